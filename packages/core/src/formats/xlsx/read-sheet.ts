import { Fault } from '../../faults.ts';
import { Unreadable, type RawRow, type RowBatch } from '../format.ts';
import type { WorkbookFormat } from './settings.ts';
import { UnknownCounter } from '../unknown.ts';
import { MAX_MERGED, MergedCells } from './merged-cells.ts';
import { columnLetters, parseRange, type CellRange } from './range.ts';
import type { SheetRow } from './sheet-parser.ts';
import { BATCH_CELLS, type Workbook } from './workbook.ts';

type Cells = readonly (string | null)[];

/** Characters of the raw text that are kept of a row that can't be read. */
const RAW = 200;

/** Records of a workbook's sheet, in batches. Cells beyond its header are told by their column. */
export async function* readSheet(
  workbook: Workbook,
  format: WorkbookFormat,
  /** Hears the names in the header, where there is one. */
  heard: (names: readonly string[]) => void = () => undefined,
): AsyncGenerator<RowBatch> {
  const range = format.range === null ? null : parseRange(format.range);
  let skip = format.skipLines + (format.header ? 1 : 0);
  let names: readonly string[] | null = format.header ? null : [];
  let width = range ? range.right - range.left + 1 : (format.width ?? 0);
  let firstRow = 1;
  let next = range?.top ?? 1;
  const unknown = new UnknownCounter(format.unknown);
  const sheet = workbook.sheet(format.sheet);
  const merged = format.mergedRepeat ? new MergedCells(requireFew(await workbook.merged(sheet))) : null;
  for await (const batch of workbook.rows(sheet)) {
    let rows: RawRow[] = [];
    for (const row of batch) {
      // Its value may reach below the rows that matter, so each row goes through.
      const whole = merged ? merged.fill(row.number, row.cells) : row.cells;
      if (range && row.number < range.top) continue;
      if (range && row.number > range.bottom) break;
      // Rows that are not stored at all count as skipped title rows, never as data.
      skip -= Math.max(0, Math.min(skip - (names === null ? 1 : 0), row.number - next));
      next = row.number + 1;
      const cells = range ? fit(whole.slice(range.left), width) : whole;
      if (skip > 0) {
        skip--;
        if (skip === 0 && names === null) {
          if (row.problem !== null) throw new Fault('unreadable', `The header can't be read: ${row.problem}`);
          names = headerNames(cells, format.width);
          heard(names);
          width = Math.max(width, names.length);
        }
        continue;
      }
      if (row.problem !== null) {
        rows.push(new Unreadable(row.problem, rawOf(cells)));
        continue;
      }
      if (cells.every((c) => c === null)) continue;
      const isNamed = names !== null && names.length > 0;
      const size = isNamed ? names!.length : Math.max(width, cells.length);
      const number = firstRow + rows.length;
      if (isNamed) seeBeyond(cells, size, range?.left ?? 0, number, unknown);
      width = size;
      const refusal = unknown.refusal(number);
      rows.push(refusal === null ? fit(cells, size) : new Unreadable(refusal, rawOf(cells)));
      if (rows.length * size >= BATCH_CELLS) {
        yield { firstRow, rows, ...unknown.take() };
        firstRow += rows.length;
        rows = [];
      }
    }
    if (rows.length > 0) {
      yield { firstRow, rows, ...unknown.take() };
      firstRow += rows.length;
    }
  }
}
/** The columns that the widest record has, and how many records there are. */
export async function sheetWidth(
  workbook: Workbook,
  format: WorkbookFormat,
): Promise<{ readonly width: number; readonly records: number }> {
  let width = 0;
  let records = 0;
  // Without a header each row is as wide as its cells; the rows above stay out.
  const bare = { ...format, header: false, skipLines: format.skipLines + (format.header ? 1 : 0) };
  for await (const { rows } of readSheet(workbook, bare)) {
    records += rows.length;
    for (const row of rows) {
      if (row instanceof Unreadable) continue;
      let last = row.length;
      while (last > width && (row[last - 1] ?? '').trim() === '') last--;
      width = Math.max(width, last);
    }
  }
  return { width, records };
}
/** What is beyond them would be read as if it was not merged. */
function requireFew(ranges: CellRange[]): CellRange[] {
  if (ranges.length <= MAX_MERGED) return ranges;
  throw new Fault(
    'unreadable',
    `The sheet has more than ${MAX_MERGED.toLocaleString('en-GB')} ranges of merged cells; their values can't be repeated.`,
  );
}
function seeBeyond(cells: Cells, size: number, left: number, row: number, unknown: UnknownCounter): void {
  for (let i = size; i < cells.length; i++)
    if ((cells[i] ?? '').trim() !== '') unknown.see(`column ${columnLetters(left + i)}`, row);
}
function fit(cells: Cells, size: number): (string | null)[] {
  return Array.from({ length: size }, (_, i) => cells[i] ?? null);
}
const rawOf = (cells: Cells): string =>
  cells
    .map((c) => c ?? '')
    .join(' ')
    .slice(0, RAW);

/** The cells of a row that has to be read as a whole. Throws a fault. */
export function soundCells({ cells, problem }: SheetRow): Cells {
  if (problem !== null) throw new Fault('unreadable', problem);
  return cells;
}

/** Names of a header row, of at least so many columns: blanks are numbered, doubled ones counted. */
export function headerNames(cells: Cells, width = 0): string[] {
  const used = new Set<string>();
  let last = cells.length;
  while (last > 0 && (cells[last - 1] ?? '').trim() === '') last--;
  return fit(cells.slice(0, last), Math.max(last, width)).map((cell, i) => {
    const base = (cell ?? '').replace(/\s+/g, ' ').trim() || `column_${i + 1}`;
    let name = base;
    for (let n = 2; used.has(name); n++) name = `${base}_${n}`;
    used.add(name);
    return name;
  });
}
