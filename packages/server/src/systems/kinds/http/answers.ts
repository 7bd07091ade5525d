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
import type { HttpAnswer } from './client.ts';

/** The records in an answer, and where the next ones are. */
export interface Page {
  readonly records: readonly Tree[];
  /** The parameter or address of the next page; null: there is none. */
  readonly next: string | null;
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
  if (answer.status === 204 || answer.text.trim() === '') return { records: [], next: null };
  return endpoint.body === 'xml' ? xmlPage(answer, endpoint) : jsonPage(answer, endpoint);
}

function jsonPage(answer: HttpAnswer, endpoint: Endpoint): Page {
  let tree: Tree;
  try {
    tree = parseJsonTree(answer.text);
  } catch (error) {
    throw new UnexpectedAnswer(
      `${answer.url} did not answer with JSON (${(error as Error).message}); it begins “${answer.text.slice(0, 60)}”.`,
    );
  }
  const path = endpoint.records ?? guessRecords(answer.text);
  const found = memberAt(tree, path);
  if (found === undefined)
    throw new UnexpectedAnswer(
      `There is nothing at “${path}” in the answer of ${answer.url}; it has ${tree instanceof Map ? [...(tree as Members).keys()].join(', ') : 'a list'}.`,
    );
  const records = found === null ? [] : Array.isArray(found) ? (found as Tree[]) : [found];
  return { records, next: nextOf(tree, answer, endpoint) };
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
      `${answer.url} did not answer with XML (${(error as Error).message}); it begins “${answer.text.slice(0, 60)}”.`,
    );
  }
  const broken = found.find((r) => r instanceof Unreadable);
  if (broken) throw new UnexpectedAnswer(`The answer of ${answer.url} can't be read: ${broken.message}`);
  const { paging } = endpoint;
  return { records: found as Tree[], next: paging.kind === 'link' ? linkNext(answer) : null };
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
