import type { Endpoint } from '@versicle/contract';
import { parseJsonTree, type Members, type Tree } from '@versicle/core';
import { faultOf, memberAt } from './answers.ts';
import type { HttpAnswer } from './answers.ts';

export type WriteSetting = NonNullable<Endpoint['write']>;
export interface RefusedRecord {
  /** Its place in the request, from 0. */
  readonly at: number;
  readonly message: string;
  readonly field: string | null;
}
/** What an answer says of the records that were sent: which were refused, that all were, or that it can't be told. */
export type Judgement =
  | { readonly kind: 'judged'; readonly refused: readonly RefusedRecord[] }
  | { readonly kind: 'all refused'; readonly message: string; readonly field: string | null }
  | { readonly kind: 'unclear'; readonly why: string };

const judged = (refused: readonly RefusedRecord[] = []): Judgement => ({ kind: 'judged', refused });
const unclear = (why: string): Judgement => ({ kind: 'unclear', why });

/**
 * Reads an answer (below 500) to a request with `count` records, by the endpoint's settings; `placeOfId` finds the place of
 * the record with an id. Where it says something that the settings do not know, nothing counts as taken.
 */
export function judge(
  answer: HttpAnswer,
  write: WriteSetting,
  count: number,
  placeOfId: (id: string) => number | null,
): Judgement {
  const tree = treeOf(answer.text);
  const fine = answer.status >= 200 && answer.status < 300;
  if (answer.status < 200 || (answer.status >= 300 && answer.status < 400))
    return unclear(`status ${answer.status} says neither yes nor no`);
  if (tree !== null && (write.answer === 'results' || write.answer === null)) {
    const results = resultsOf(tree, write, count, placeOfId);
    if (results !== null) return results;
    if (write.answer === 'results' && fine) return unclear(`there is no list of results at “${write.results}”`);
  }
  const listed = tree === null || write.answer === 'status' ? null : errorsOf(tree, write, count, placeOfId);
  if (listed?.kind === 'unclear') return fine || count > 1 ? listed : allRefused(answer);
  if (!fine) {
    // A list that names nobody of a request that was not taken says nothing about which record is at fault.
    if (listed?.kind === 'judged' && listed.refused.length > 0 && count > 1) return listed;
    return allRefused(answer);
  }
  if (write.answer === 'success') return bySuccess(answer, tree, write);
  if (write.answer === 'errors' && listed === null && (answer.status === 207 || (tree !== null && hasBody(tree))))
    if (answer.status === 207 || signOfRefusal(tree!) !== null)
      return unclear(`there is no list of refusals at “${write.errors}”`);
  if (write.answer === 'status') return answer.status === 207 ? unclear('status 207 says yes to some only') : judged();
  const refused = listed?.kind === 'judged' ? listed.refused : [];
  if (answer.status === 207 && listed === null) return unclear('status 207 says yes to some only, and not to which');
  const against = tree === null ? null : doubtAbout(tree, write, count, refused.length);
  return against === null ? judged(refused) : unclear(against);
}

function allRefused(answer: HttpAnswer): Judgement {
  return { kind: 'all refused', ...faultOf(answer) };
}
function treeOf(text: string): Tree | null {
  if (text.trim() === '') return null;
  try {
    return parseJsonTree(text);
  } catch {
    return null;
  }
}
const hasBody = (tree: Tree): boolean => tree instanceof Map && tree.size > 0;
function textAt(tree: Tree, path: string): string | null {
  const value = memberAt(tree, path);
  return typeof value === 'string' ? value : null;
}

function bySuccess(answer: HttpAnswer, tree: Tree | null, write: WriteSetting): Judgement {
  const said = tree === null ? null : textAt(tree, write.success);
  if (said === null) return unclear(`there is nothing at “${write.success}”`);
  return said.toLowerCase() === write.successValue.toLowerCase() ? judged() : allRefused(answer);
}

/** A list with a result for each record; null where the answer has none. */
function resultsOf(
  tree: Tree,
  write: WriteSetting,
  count: number,
  placeOfId: (id: string) => number | null,
): Judgement | null {
  const list = memberAt(tree, write.results);
  if (!Array.isArray(list)) return null;
  const entries = list as Tree[];
  if (write.answer === null && !entries.every((e) => e instanceof Map && textAt(e, write.resultStatus) !== null))
    return null;
  if (entries.length !== count)
    return unclear(`it has ${entries.length} results for ${count === 1 ? 'one record' : `${count} records`}`);
  const ok = new Set(write.taken.map((t) => t.toLowerCase()));
  const refused: RefusedRecord[] = [];
  const seen = new Set<number>();
  for (const [order, entry] of entries.entries()) {
    const status = textAt(entry, write.resultStatus);
    if (status === null) return unclear(`result ${order + 1} has nothing at “${write.resultStatus}”`);
    const at = write.place === 'id' ? placeOf(entry, write, count, placeOfId) : order;
    if (at === null || seen.has(at)) return unclear(`result ${order + 1} belongs to no record that was sent`);
    seen.add(at);
    if (!ok.has(status.toLowerCase())) refused.push({ at, ...reasonOf(entry, write) });
  }
  return judged(refused);
}

/** A list of refusals; null where the answer has none. */
function errorsOf(
  tree: Tree,
  write: WriteSetting,
  count: number,
  placeOfId: (id: string) => number | null,
): Judgement | null {
  const list = memberAt(tree, write.errors);
  if (list instanceof Map && list.size > 0) return errorsByName(list as Members, write, count, placeOfId);
  if (!Array.isArray(list)) return null;
  const found = new Map<number, RefusedRecord>();
  for (const [i, error] of (list as Tree[]).entries()) {
    const at = count === 1 ? 0 : placeOf(error, write, count, placeOfId);
    if (at === null)
      return unclear(
        `refusal ${i + 1} at “${write.errors}” does not say which record it is about (${write.place === 'id' ? `an id at “${write.errorIndex}”` : `a place at “${write.errorIndex}”, ${write.place}`})`,
      );
    add(found, at, reasonOf(error, write));
  }
  return judged([...found.values()]);
}
/** `{"3": "too long"}` or `{"L17": {"message": …}}`: refusals under the place or id of their record. */
function errorsByName(
  errors: Members,
  write: WriteSetting,
  count: number,
  placeOfId: (id: string) => number | null,
): Judgement {
  const found = new Map<number, RefusedRecord>();
  for (const [name, error] of errors) {
    const at = count === 1 ? 0 : placeOfName(name, write, count, placeOfId);
    if (at === null) return unclear(`“${name}” at “${write.errors}” names no record that was sent`);
    add(found, at, reasonOf(error, write));
  }
  return judged([...found.values()]);
}
function add(found: Map<number, RefusedRecord>, at: number, reason: Omit<RefusedRecord, 'at'>): void {
  const before = found.get(at);
  found.set(
    at,
    before
      ? { at, message: `${before.message}; ${reason.message}`, field: before.field ?? reason.field }
      : { at, ...reason },
  );
}

function placeOf(
  entry: Tree,
  write: WriteSetting,
  count: number,
  placeOfId: (id: string) => number | null,
): number | null {
  if (!(entry instanceof Map)) return null;
  const said = textAt(entry, write.errorIndex);
  return said === null ? null : placeOfName(said, write, count, placeOfId);
}
function placeOfName(
  said: string,
  write: WriteSetting,
  count: number,
  placeOfId: (id: string) => number | null,
): number | null {
  if (write.place === 'id') return placeOfId(said);
  // RFC 6901: the first number in a pointer is the record's place.
  const digits = write.place === 'pointer' ? /(?:^|[/[.])(\d+)(?=$|[/\].])/.exec(said)?.[1] : said;
  if (digits === undefined || !/^\d{1,9}$/.test(digits)) return null;
  const at = Number(digits) - (write.place === 'from 1' ? 1 : 0);
  return at >= 0 && at < count ? at : null;
}
function reasonOf(entry: Tree, write: WriteSetting): Omit<RefusedRecord, 'at'> {
  if (typeof entry === 'string') return { message: entry, field: null };
  if (Array.isArray(entry)) return reasonOf((entry as Tree[])[0] ?? null, write);
  const message = textAt(entry, write.errorMessage);
  const named = textAt(entry, write.errorField);
  if (message !== null) return { message, field: named };
  const inner = entry instanceof Map ? ['error', 'errors', 'detail'].map((n) => (entry as Members).get(n)) : [];
  const more = inner.find((v) => v !== undefined && v !== null);
  return more === undefined
    ? { message: 'refused without a reason', field: named }
    : { ...reasonOf(more, write), ...(named === null ? {} : { field: named }) };
}

const NO_WORDS = /^(error|errors|failed|failure|fail|rejected|refused|invalid|denied)$/i;
/** Members by which answers say that something was not taken. */
function signOfRefusal(tree: Tree): string | null {
  if (!(tree instanceof Map)) return null;
  for (const [name, value] of tree as Members) {
    if (/^(success|ok|succeeded|accepted|valid|is_?success)$/i.test(name) && value === 'false')
      return `“${name}” is false`;
    if (/^(errors?|faults?|failures?|rejected|rejections?|violations?|failed)$/i.test(name)) {
      const empty =
        value === null ||
        value === 'false' ||
        value === '' ||
        value === '0' ||
        (Array.isArray(value) && value.length === 0) ||
        (value instanceof Map && value.size === 0);
      if (!empty) return `“${name}” is not empty`;
    }
    if (/^(status|state|result|outcome)$/i.test(name) && typeof value === 'string')
      if (NO_WORDS.test(value) || /^[45]\d\d$/.test(value)) return `“${name}” is ${value}`;
  }
  return null;
}

/** What speaks against all others having been taken, in an answer whose form nobody settled. */
function doubtAbout(tree: Tree, write: WriteSetting, count: number, refused: number): string | null {
  const known = write.errors.split('.')[0]!;
  const members: [string, Tree][] = tree instanceof Map ? [...(tree as Members)] : [['', tree]];
  const others: Members = new Map(members.filter(([name]) => name !== known));
  const sign = signOfRefusal(others);
  if (sign !== null) return sign;
  let counted = 0;
  let hasCounts = false;
  for (const [name, value] of others) {
    if (value instanceof Map) {
      const inner = signOfRefusal(value);
      if (inner !== null) return inner;
    }
    if (Array.isArray(value) && value.length > 0 && count > 1) {
      const against = (value as Tree[]).map(signOfRefusal).find((s) => s !== null);
      if (against !== undefined) return `in the list at “${name}”, ${against}`;
      if (value.length !== count - refused && value.length !== count)
        return `the list at “${name}” has ${value.length} entries, but ${count - refused} records should have been taken`;
    }
    if (
      /^(accepted|created|updated|inserted|imported|taken|succeeded|success_?count|saved|stored)$/i.test(name) &&
      typeof value === 'string' &&
      /^\d+$/.test(value)
    ) {
      hasCounts = true;
      counted += Number(value);
    }
  }
  if (hasCounts && counted < count - refused)
    return `it speaks of ${counted} records taken, but ${count - refused} should have been`;
  return null;
}
