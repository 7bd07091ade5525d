import { Fault } from '../../faults.ts';

export interface CellRange {
  /** Columns are 0-based, rows 1-based. */
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

/** `B4:H200`, `B4:H` (to the last row) or `B:H`. Throws a fault. */
export function parseRange(text: string): CellRange {
  const found = /^\s*\$?([A-Za-z]{1,3})\$?(\d{1,7})?\s*:\s*\$?([A-Za-z]{1,3})\$?(\d{1,7})?\s*$/.exec(text);
  if (!found) throw new Fault('unreadable', `“${text}” is not a range of cells; write it like B4:H200.`);
  const [left, right] = [columnIndex(found[1]!), columnIndex(found[3]!)];
  const range = { left, right, top: Number(found[2] ?? 1), bottom: Number(found[4] ?? 2_000_000) };
  if (range.right < left || range.bottom < range.top)
    throw new Fault('unreadable', `“${text}” ends before it begins; write the upper left cell first.`);
  return range;
}
function columnIndex(letters: string): number {
  let index = 0;
  for (const letter of letters.toUpperCase()) index = index * 26 + letter.charCodeAt(0) - 64;
  return index - 1;
}
export function columnLetters(index: number): string {
  let letters = '';
  for (let n = index + 1; n > 0; n = Math.floor((n - 1) / 26))
    letters = String.fromCharCode(65 + ((n - 1) % 26)) + letters;
  return letters;
}
