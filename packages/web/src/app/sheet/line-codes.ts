import { clipboardRows, type Code, doubledCodes, type MappingDocument } from '@versicle/core';
import { codeOf } from '../codes/code-rows.component';
import { firstOf } from '../shared/words';

/** Codes that a block of text gives: from, to and meaning, from a spreadsheet program or with commas or semicolons between. */
export interface CodeBlock {
  readonly codes: readonly Code[];
  /** Rows that say no code, as they stand there. */
  readonly left: readonly string[];
}

export function codeBlock(text: string): CodeBlock {
  const codes: Code[] = [];
  const left: string[] = [];
  const mark = text.includes('\t') ? '\t' : (text.split('\n')[0] ?? '').includes(';') ? ';' : ',';
  for (const row of clipboardRows(text, mark)) {
    const [from = '', to = '', meaning = ''] = row;
    if (row.every((cell) => cell.trim() === '')) continue;
    if (from.trim() === '' || row.length < 2) left.push(row.join(mark));
    else codes.push(codeOf(from, to, meaning));
  }
  return { codes, left };
}

/** What became of codes that were given to a table. */
export interface GivenCodes {
  readonly document: MappingDocument;
  readonly taken: number;
  /** Given more than once: the first one counts. */
  readonly twice: readonly string[];
  /** Left as they stand, because they count only for a time: another could not be told from them. */
  readonly timed: readonly string[];
}

/** The document with these codes in a table, which is made if it is not there; a code that stands there is changed. */
export function withCodes(document: MappingDocument, table: string, codes: readonly Code[]): GivenCodes {
  const before = Object.hasOwn(document.codeTables, table) ? document.codeTables[table]! : [];
  const counts = (code: Code): boolean => code.validFrom !== undefined || code.validTo !== undefined;
  const timed = new Set(before.filter(counts).map((code) => code.from));
  /** By from-code: several only where they count for times that do not meet. */
  const taken = new Map<string, Code[]>();
  for (const code of codes) {
    const others = taken.get(code.from) ?? [];
    if (!timed.has(code.from) && doubledCodes([...others, code]).length === 0) taken.set(code.from, [...others, code]);
  }
  const known = new Set(before.map((code) => code.from));
  const next = [
    // A meaning that stands there stays where none is given.
    ...before.flatMap((code) => taken.get(code.from)?.map((now) => ({ ...meaningOf(code), ...now })) ?? [code]),
    ...[...taken].flatMap(([from, these]) => (known.has(from) ? [] : these)),
  ];
  return {
    document: { ...document, codeTables: { ...document.codeTables, [table]: next } },
    taken: [...taken.values()].flat().length,
    twice: doubledCodes(codes),
    timed: [...new Set(codes.map((code) => code.from))].filter((from) => timed.has(from)),
  };
}
const meaningOf = ({ meaning }: Code): Partial<Code> => (meaning === undefined ? {} : { meaning });

/** What became of given codes, in a sentence; `left`: rows that were no codes. */
export function givenWords({ taken, twice, timed }: Omit<GivenCodes, 'document'>, left: readonly string[]): string {
  const few = (list: readonly string[]): string => firstOf(list, 5, ' · ');
  return [
    taken === 0
      ? $localize`No code was taken.`
      : taken === 1
        ? $localize`One code was taken.`
        : $localize`${taken} codes were taken.`,
    twice.length > 0 ? $localize`Given twice, the first one counts: ${few(twice)}.` : '',
    timed.length > 0 ? $localize`Left as they are, because they count only for a time: ${few(timed)}.` : '',
    left.length > 0 ? $localize`No codes are in: ${few(left)}.` : '',
  ]
    .filter(Boolean)
    .join(' ');
}

/** The different values among these that a table has no code for, the frequent ones first. */
export function lackingCodes(
  document: MappingDocument,
  table: string,
  values: readonly (string | null)[],
): { readonly code: string; readonly records: number }[] {
  const known = new Set((document.codeTables[table] ?? []).map((code) => code.from));
  const counts = new Map<string, number>();
  for (const value of values)
    if (value !== null && value !== '' && !known.has(value)) counts.set(value, (counts.get(value) ?? 0) + 1);
  return [...counts].map(([code, records]) => ({ code, records })).sort((a, b) => b.records - a.records);
}
