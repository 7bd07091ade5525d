import type { Endpoint } from '@versicle/contract';
import {
  guessRecords,
  guessXmlRecords,
  parseJsonTree,
  Unreadable,
  XmlRecords,
  type Members,
  type Tree,
} from '@versicle/core';

export interface HttpAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly text: string;
  readonly url: string;
}

/** The records in an answer, and where the next ones are. */
export interface Page {
  readonly records: readonly Tree[];
  /** The parameter or address of the next page; null: there is none. */
  readonly next: string | null;
  /** Whether there are more, and how many records there are in all, where the answer says so. */
  readonly more: boolean | null;
  readonly total: number | null;
}

/** Answers that are not in the form that was expected: what came instead. */
export class UnexpectedAnswer extends Error {}

/** A member by its path (`paging.next`). */
export function memberAt(tree: Tree, path: string): Tree | undefined {
  let at: Tree | undefined = tree;
  for (const name of path === '' ? [] : path.split('.')) {
    if (!(at instanceof Map)) return undefined;
    at = (at as Members).get(name);
  }
  return at;
}

export function pageOf(answer: HttpAnswer, endpoint: Endpoint): Page {
  if (answer.status === 204) return { records: [], next: null, more: false, total: null };
  if (answer.text.trim() === '')
    throw new UnexpectedAnswer(`${answer.url} answered with nothing at all (status ${answer.status}).`);
  return endpoint.body === 'xml' ? xmlPage(answer, endpoint) : jsonPage(answer, endpoint);
}

function jsonPage(answer: HttpAnswer, endpoint: Endpoint): Page {
  let tree: Tree;
  try {
    tree = parseJsonTree(answer.text, true);
  } catch (error) {
    throw new UnexpectedAnswer(
      `${answer.url} did not answer with JSON (${(error as Error).message}); it begins “${answer.text.slice(0, 60)}”.`,
    );
  }
  const path = endpoint.records ?? guessRecords(answer.text);
  const found = memberAt(tree, path);
  const fault = faultAmong(tree, path, Array.isArray(found));
  if (fault !== null)
    throw new UnexpectedAnswer(`${answer.url} answered with status ${answer.status}, but with a fault: ${fault}`);
  if (found === undefined)
    throw new UnexpectedAnswer(
      `There is nothing at “${path}” in the answer of ${answer.url}; it has ${tree instanceof Map ? [...(tree as Members).keys()].join(', ') : 'a list'}.`,
    );
  const records = found === null ? [] : Array.isArray(found) ? (found as Tree[]) : [found];
  return { records, next: nextOf(tree, answer, endpoint), ...whatFollows(tree) };
}

/** Members that answers without records have, when something went wrong. */
const FAULT_MEMBERS =
  /^(errors?|error_?(code|description|message|type)|message|code|status|detail|title|type|instance|success|ok|timestamp|path|trace_?id|request_?id|help|documentation_url)$/i;
/** What an answer with a good status says is wrong all the same; null where nothing is. */
function faultAmong(tree: Tree, path: string, hasList: boolean): string | null {
  if (!(tree instanceof Map)) return null;
  const members = tree as Members;
  const wrong = [...members].find(([name, value]) =>
    /^(success|ok)$/i.test(name) ? value === 'false' : /^errors?$/i.test(name) && name !== path && !isEmpty(value),
  );
  if (!wrong) return null;
  // A record may well have a field of such a name; what is nothing but a fault is no record.
  if (path === '' && !hasList && ![...members.keys()].every((name) => FAULT_MEMBERS.test(name))) return null;
  const [name, value] = wrong;
  const said = typeof value === 'string' ? value : value instanceof Map ? (value as Members).get('message') : null;
  return typeof said === 'string' && said !== 'false'
    ? `“${said.slice(0, 200)}”`
    : `“${name}” is ${value === 'false' ? 'false' : 'not empty'}`;
}
function isEmpty(value: Tree): boolean {
  if (value === null || value === 'false' || value === '' || value === '0') return true;
  return Array.isArray(value) ? value.length === 0 : value instanceof Map && value.size === 0;
}

/** What the answer says of further pages, in it or in the member that is about paging. */
function whatFollows(tree: Tree): Pick<Page, 'more' | 'total'> {
  const about: Members[] = tree instanceof Map ? [tree as Members] : [];
  for (const [name, value] of about[0] ?? [])
    if (value instanceof Map && /^(paging|pagination|page|pages|meta|metadata|links?|_meta)$/i.test(name))
      about.push(value as Members);
  let more: boolean | null = null;
  let total: number | null = null;
  for (const members of about)
    for (const [name, value] of members) {
      if (/^(has_?more|has_?next(_?page)?|more|is_?last)$/i.test(name) && (value === 'true' || value === 'false'))
        more ??= (value === 'true') !== /last/i.test(name);
      if (
        /^(total|total_?(count|items|records|results|elements)|record_?count)$/i.test(name) &&
        typeof value === 'string'
      )
        total ??= /^\d{1,15}$/.test(value) ? Number(value) : null;
    }
  return { more, total };
}

/** Whether an answer to a look-up says that there is no such record. */
export function isEmptyAnswer(answer: HttpAnswer): boolean {
  if (answer.status === 204 || answer.text.trim() === '') return true;
  let tree: Tree;
  try {
    tree = parseJsonTree(answer.text);
  } catch {
    return false;
  }
  if (tree === null || Array.isArray(tree)) return tree === null || tree.length === 0;
  if (!(tree instanceof Map)) return false;
  const lists = [...(tree as Members).values()].filter((v) => Array.isArray(v));
  return lists.length > 0 ? lists.every((l) => (l as Tree[]).length === 0) : tree.size === 0;
}
function nextOf(tree: Tree, answer: HttpAnswer, { paging }: Endpoint): string | null {
  if (paging.kind === 'link' && paging.next === null) return linkNext(answer);
  if (paging.kind !== 'cursor' && paging.kind !== 'link') return null;
  const value = memberAt(tree, paging.next!);
  if (typeof value !== 'string' || value === '' || value === 'false') return null;
  return paging.kind === 'link' ? new URL(value, answer.url).href : value;
}
/** RFC 8288: `<https://…>; rel="next"`. */
function linkNext(answer: HttpAnswer): string | null {
  const header = answer.headers['link'];
  const text = Array.isArray(header) ? header.join(', ') : (header ?? '');
  for (const [, target, rest] of text.matchAll(/<([^>]*)>([^,]*(?:,(?!\s*<)[^,]*)*)/g))
    if (/;\s*rel\s*=\s*"?([^";]*\s)?next(\s[^";]*)?"?/i.test(rest!)) return new URL(target!, answer.url).href;
  return null;
}

function xmlPage(answer: HttpAnswer, endpoint: Endpoint): Page {
  let found: (Tree | Unreadable)[];
  try {
    const records = new XmlRecords(endpoint.records ?? guessXmlRecords(answer.text));
    found = [...records.push(answer.text), ...records.end()];
  } catch (error) {
    throw new UnexpectedAnswer(
      `${answer.url} did not answer with XML that can be read (${(error as Error).message.replace(/\.$/, '')}); it begins “${answer.text.slice(0, 60)}”.`,
    );
  }
  const broken = found.find((r) => r instanceof Unreadable);
  if (broken) throw new UnexpectedAnswer(`The answer of ${answer.url} can't be read: ${broken.message}`);
  const { paging } = endpoint;
  return { records: found as Tree[], next: paging.kind === 'link' ? linkNext(answer) : null, more: null, total: null };
}

/** `<problem><message>…</message><field>…</field></problem>`, whatever its outermost element is called. */
function xmlFault(text: string): { message: string; field: string | null } | null {
  const root = /<([\p{L}_][\p{L}\p{N}_.-]*)[\s>]/u.exec(text.replace(/^\s*<\?[^>]*\?>/, ''))?.[1];
  if (root === undefined) return null;
  try {
    const records = new XmlRecords(root);
    const [found] = [...records.push(text), ...records.end()];
    const said = (names: string[]): string | null => {
      for (const name of names) {
        const value = found instanceof Map ? (found as Members).get(name) : undefined;
        if (typeof value === 'string' && value !== '') return value;
      }
      return null;
    };
    const message = said(['message', 'detail', 'reason', 'title']);
    return message === null ? null : { message, field: said(['field', 'path', '@field']) };
  } catch {
    return null;
  }
}

/** What an answer says is wrong, in the ways that APIs say it (problem details of RFC 9457 among them). */
export function faultOf(answer: HttpAnswer): { message: string; field: string | null } {
  try {
    const tree = parseJsonTree(answer.text);
    const say = (at: Tree): { message: string; field: string | null } | null => {
      if (!(at instanceof Map)) return typeof at === 'string' ? { message: at, field: null } : null;
      const members = at as Members;
      const text = (names: string[]): string | null => {
        for (const name of names) {
          const value = members.get(name);
          if (typeof value === 'string' && value !== '') return value;
        }
        return null;
      };
      for (const name of ['errors', 'faults', 'violations', 'details'])
        if (Array.isArray(members.get(name))) {
          const first = say((members.get(name) as Tree[])[0] ?? null);
          if (first) return first;
        }
      const message = text(['detail', 'message', 'error_description', 'error', 'title', 'reason']);
      return message === null ? null : { message, field: text(['field', 'path', 'property', 'pointer', 'name']) };
    };
    const said = say(tree);
    if (said) return said;
  } catch {
    const said = xmlFault(answer.text);
    if (said) return said;
    // Neither JSON nor XML: the text itself, as far as it is one.
  }
  const text = answer.text
    .replace(/<[^>]*>/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  return { message: text === '' ? `status ${answer.status}` : text.slice(0, 300), field: null };
}
