import type { SheetRow } from './rows';

/** Heights in pixels: of a line, and of what stands above the first line of a section. */
export const ROW = 30;
export const SECTION = 32;
/** Rows that are drawn above and below what can be seen. */
const BEYOND = 12;

/** Where each line begins, in pixels from the first one's place, and how high they are together. */
export interface Places {
  readonly tops: readonly number[];
  readonly height: number;
}
/** `leaf`: the height of what the open line shows below itself. */
export function placesOf(rows: readonly SheetRow[], open: string | null, leaf: number): Places {
  const tops: number[] = [];
  let at = 0;
  for (const [i, row] of rows.entries()) {
    if (beginsSection(rows, i)) at += SECTION;
    tops.push(at);
    at += ROW + (row.id === open ? leaf : 0);
  }
  return { tops, height: at };
}
function beginsSection(rows: readonly SheetRow[], i: number): boolean {
  const { section } = rows[i]!;
  return section !== '' && section !== (rows[i - 1]?.section ?? '');
}

/** A line that is drawn: its index, where, and the section that begins with it. */
export interface DrawnRow {
  readonly row: SheetRow;
  readonly i: number;
  readonly top: number;
  readonly begins: string | null;
}
/** The lines in sight, some around them, and the open one wherever one scrolls: what is being written in it must not get lost. */
export function drawnRows(
  rows: readonly SheetRow[],
  { tops }: Places,
  seen: { readonly top: number; readonly height: number },
  openId: string | null,
): DrawnRow[] {
  const first = Math.max(0, lastUpTo(tops, seen.top) - BEYOND);
  const last = Math.min(rows.length, lastUpTo(tops, seen.top + seen.height) + BEYOND + 1);
  const drawn = Array.from({ length: last - first }, (_, n) => first + n);
  const open = openId === null ? -1 : rows.findIndex((r) => r.id === openId);
  if (open >= 0 && (open < first || open >= last)) drawn.push(open);
  return drawn.map((i) => ({
    row: rows[i]!,
    i,
    top: tops[i]!,
    begins: beginsSection(rows, i) ? rows[i]!.section : null,
  }));
}
/** The index of the last of the rising numbers that is not above a limit; 0 when all are. */
function lastUpTo(rising: readonly number[], limit: number): number {
  let low = 0;
  let high = rising.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (rising[middle]! <= limit) low = middle;
    else high = middle - 1;
  }
  return Math.max(0, low);
}
