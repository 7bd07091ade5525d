import type { CellRange } from './range.ts';

/** Merged ranges of a sheet that are looked at. */
export const MAX_MERGED = 100_000;

/**
 * The merged ranges of a sheet, which its XML names behind all its rows (ECMA-376, 18.3.1.55): found by the text alone, as
 * parsing a large sheet twice for them would double its time.
 * One more than the most stands for all others.
 */
export async function mergedRanges(
  sheet: AsyncIterable<Uint8Array>,
  parse: (ref: string) => CellRange,
): Promise<CellRange[]> {
  const decoder = new TextDecoder('latin1');
  const found: CellRange[] = [];
  let kept = '';
  for await (const bytes of sheet) {
    const text = kept + decoder.decode(bytes, { stream: true });
    let end = 0;
    if (text.includes('mergeCell '))
      for (const match of text.matchAll(/<(?:\w+:)?mergeCell\s[^>]*?ref="([A-Z0-9:$]+)"[^>]*>/g)) {
        end = match.index + match[0].length;
        if (match[1]!.includes(':') && found.length <= MAX_MERGED) found.push(parse(match[1]!));
      }
    kept = text.slice(Math.max(end, text.length - 200));
  }
  return found;
}

/** Gives each cell of a merged range the value of its first one, row after row. */
export class MergedCells {
  private readonly byTop: CellRange[];
  private open: { readonly range: CellRange; readonly value: string | null }[] = [];
  private next = 0;

  constructor(ranges: readonly CellRange[]) {
    this.byTop = [...ranges].sort((a, b) => a.top - b.top);
  }
  fill(number: number, cells: readonly (string | null)[]): readonly (string | null)[] {
    const { byTop } = this;
    this.open = this.open.filter((o) => o.range.bottom >= number);
    for (; this.next < byTop.length && byTop[this.next]!.top <= number; this.next++) {
      const range = byTop[this.next]!;
      // Where the first row of a range is not stored, its first cell is empty.
      const value = range.top === number ? (cells[range.left] ?? null) : null;
      if (range.bottom >= number) this.open.push({ range, value });
    }
    if (this.open.length === 0) return cells;
    const filled = [...cells];
    for (const { range, value } of this.open)
      for (let column = range.left; column <= range.right; column++) filled[column] = value;
    return Array.from(filled, (cell) => cell ?? null);
  }
}
