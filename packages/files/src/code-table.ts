import { type Code, Fault, fromHarmlessCell, Unreadable } from '@versicle/core';
import { lookAt } from './look.ts';
import { recordsOf } from './records.ts';

/** Columns by their heading, in the languages of the trade's spreadsheets that came our way. */
const HEADINGS = {
  from: ['from', 'source', 'source code', 'from code', 'old', 'code'],
  to: ['to', 'target', 'target code', 'to code', 'new'],
  meaning: ['meaning', 'description', 'label', 'name', 'text'],
  validFrom: ['valid from', 'from date', 'since'],
  validTo: ['valid to', 'to date', 'until'],
} as const;
type Part = keyof typeof HEADINGS;
const MOST = 1_000_000;

/**
 * Reads a code table from a delimited file or a workbook: columns called from, to, meaning, valid from and valid to, or else
 * the first two or three. Throws a fault with a sentence.
 */
export async function readCodeTable(path: string, name: string): Promise<Code[]> {
  const guess = await lookAt(path, name);
  // The first line is the header even where it looks like the others, and an empty code is a code.
  const format =
    guess.format.kind === 'delimited' ? { ...guess.format, header: true, emptyIsNull: false } : guess.format;
  const { fields } = guess.format === format ? guess : await lookAt(path, name, null, format);
  if (fields.length < 2)
    throw new Fault('unreadable', `${name}: a code table needs at least two columns, from and to.`);
  const at = columnsOf(fields);
  const codes: Code[] = [];
  for await (const batch of recordsOf(path, name, format))
    for (const [i, row] of batch.rows.entries()) {
      const number = batch.firstRow + i;
      if (row instanceof Unreadable) throw new Fault('unreadable', `${name}, row ${number}: ${row.message}`);
      const plain = (text: string | null | undefined): string =>
        format.kind === 'delimited' ? fromHarmlessCell(text ?? '') : (text ?? '');
      const cell = (part: Part): string | undefined => (at[part] < 0 ? undefined : plain(row[at[part]]) || undefined);
      if (row.every((v) => v === null || v === '')) continue;
      if (codes.length >= MOST)
        throw new Fault('unreadable', `${name} has more than ${MOST.toLocaleString('en-GB')} codes.`);
      codes.push({
        from: plain(row[at.from]),
        to: plain(row[at.to]),
        ...part('meaning', cell('meaning')),
        ...part('validFrom', dateOf(cell('validFrom'), name, number)),
        ...part('validTo', dateOf(cell('validTo'), name, number)),
      });
    }
  return codes;
}
function columnsOf(fields: readonly string[]): Record<Part, number> {
  const names = fields.map((n) => n.trim().toLowerCase());
  const place = (part: Part): number => names.findIndex((n) => (HEADINGS[part] as readonly string[]).includes(n));
  const known = place('from') >= 0 && place('to') >= 0;
  if (!known)
    return {
      from: 0,
      to: 1,
      meaning: names.length > 2 ? 2 : -1,
      validFrom: place('validFrom'),
      validTo: place('validTo'),
    };
  return {
    from: place('from'),
    to: place('to'),
    meaning: place('meaning'),
    validFrom: place('validFrom'),
    validTo: place('validTo'),
  };
}
function part(name: Part, value: string | undefined): Partial<Code> {
  return value === undefined ? {} : { [name]: value };
}
function dateOf(text: string | undefined, name: string, row: number): string | undefined {
  if (text === undefined) return undefined;
  const day = text.slice(0, 10);
  if (/^\d{4}-\d{2}-\d{2}$/.test(day) && !Number.isNaN(Date.parse(day))) return day;
  throw new Fault('unreadable', `${name}, row ${row}: “${text}” is no date such as 2026-08-03.`);
}
