import { parseJsonTree, type Members, type Tree } from '@versicle/core';
import type { HttpAnswer } from './answers.ts';
import type { WriteSetting } from './judge.ts';

type Patch = Partial<WriteSetting>;
export interface Proposal {
  readonly patch: Patch;
  /** What was seen in the answer, for the person. */
  readonly because: string;
}

/** Lists of an answer with their paths, the topmost first. */
function* listsOf(tree: Tree, path = '', depth = 0): Generator<readonly [path: string, list: readonly Tree[]]> {
  if (Array.isArray(tree)) yield [path, tree as readonly Tree[]];
  if (!(tree instanceof Map) || depth > 2) return;
  for (const [name, inner] of tree as Members) yield* listsOf(inner, path === '' ? name : `${path}.${name}`, depth + 1);
}
const textOf = (entry: Tree, name: string): string | null => {
  const value = entry instanceof Map ? (entry as Members).get(name) : undefined;
  return typeof value === 'string' ? value : null;
};
const STATUS = /^(status|code|state|result|outcome|success|ok|http_?status)$/i;
const MESSAGE = /^(message|detail|reason|error|description|title|msg)$/i;
const FIELD = /^(field|property|param|attribute|column|name)$/i;
const NO = /^([45]\d\d|error|failed|failure|rejected|refused|invalid|false)$/i;

/**
 * How an endpoint's answers say what was taken, from the answer to records of which the one at `bad` (from 0) had to be
 * refused. Null where it does not show.
 */
export function propose(answer: HttpAnswer, records: readonly Tree[], bad: number): Proposal | null {
  let tree: Tree;
  try {
    tree = parseJsonTree(answer.text);
  } catch {
    return answer.status >= 400
      ? { patch: { answer: 'status' }, because: `it was refused with status ${answer.status}` }
      : null;
  }
  for (const [path, list] of listsOf(tree)) {
    const found =
      list.length === 0 ? null : (fromResults(path, list, records, bad) ?? fromErrors(path, list, records, bad));
    if (found) return found;
  }
  for (const [name, value] of tree instanceof Map ? (tree as Members) : [])
    if (value === 'false' && /^(success|ok|succeeded|accepted)$/i.test(name))
      return { patch: { answer: 'success', success: name, successValue: 'true' }, because: `“${name}” is false` };
  return answer.status >= 400
    ? {
        patch: { answer: 'status' },
        because: `it was refused with status ${answer.status}, and nothing else says which`,
      }
    : null;
}

/** A result for each record: the refused one's status is another than those of the others. */
function fromResults(path: string, list: readonly Tree[], records: readonly Tree[], bad: number): Proposal | null {
  if (list.length !== records.length) return null;
  const [first] = list;
  const names = first instanceof Map ? [...(first as Members).keys()] : [];
  const status = names.find((n) => STATUS.test(n) && list.every((e) => textOf(e, n) !== null));
  if (status === undefined) return null;
  const refused = textOf(list[bad]!, status)!;
  if (!NO.test(refused)) return null;
  const taken = [...new Set(list.flatMap((e, i) => (i === bad ? [] : [textOf(e, status)!])))].filter(
    (t) => !NO.test(t),
  );
  return {
    patch: {
      answer: 'results',
      results: path,
      resultStatus: status,
      ...(taken.length > 0 ? { taken } : {}),
      ...wordsOf(list[bad]!),
    },
    because: `each record has a result at “${path}”, and that of the refused one has ${status} ${refused}`,
  };
}

/** A list of refusals: what in them names the refused record. */
function fromErrors(path: string, list: readonly Tree[], records: readonly Tree[], bad: number): Proposal | null {
  const entry = list[0]!;
  if (!(entry instanceof Map)) return null;
  const record = records[bad] ?? null;
  const ids =
    record instanceof Map ? [...(record as Members)].filter(([, v]) => typeof v === 'string' && v !== '') : [];
  const made = (
    place: WriteSetting['place'],
    name: string,
    words: string,
    idField: string | null = null,
  ): Proposal => ({
    patch: { answer: 'errors', errors: path, errorIndex: name, place, idField, ...wordsOf(entry) },
    because: `refusals stand at “${path}”, and “${name}” names the record by ${words}`,
  });
  for (const [name, value] of entry as Members) {
    if (typeof value !== 'string' || MESSAGE.test(name)) continue;
    const pointed = /^#?\/.*?(\d+)/.exec(value)?.[1] ?? /\[(\d+)\]/.exec(value)?.[1];
    if (pointed !== undefined && Number(pointed) === bad) return made('pointer', name, 'a pointer');
    const id = ids.find(([, v]) => v === value);
    if (id && !/^\d{1,3}$/.test(value)) return made('id', name, `its ${id[0]}`, id[0]);
    if (/^\d+$/.test(value) && Number(value) === bad) return made('from 0', name, 'its place from 0');
    if (/^\d+$/.test(value) && Number(value) === bad + 1) return made('from 1', name, 'its place from 1');
    if (id) return made('id', name, `its ${id[0]}`, id[0]);
  }
  return null;
}
function wordsOf(entry: Tree): Patch {
  const names = entry instanceof Map ? [...(entry as Members).keys()] : [];
  const message = names.find((n) => MESSAGE.test(n));
  const field = names.find((n) => FIELD.test(n));
  return { ...(message ? { errorMessage: message } : {}), ...(field ? { errorField: field } : {}) };
}
