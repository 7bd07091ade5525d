/**
 * A sheet of a document's workbook. All cells are texts; null is an empty cell. Columns are found by their headings, so that
 * they may be moved, and columns that people added are passed over.
 */
export interface WorkbookSheet {
  readonly name: string;
  readonly header: readonly string[];
  readonly rows: readonly (readonly (string | null)[])[];
  /** Columns whose cells take one of these words only. */
  readonly choices?: Readonly<Record<string, readonly string[]>>;
  /** Widths of columns in characters, where they are not the usual one. */
  readonly widths?: Readonly<Record<string, number>>;
  /** So many columns from the left are for people and are printed; the others stand grouped beside them. All, where it is not said. */
  readonly printed?: number;
  /** Columns that follow from others, and are shown as such. */
  readonly derived?: readonly string[];
  /** Columns that are folded away: always, or as long as nothing stands in them. People can unfold them. */
  readonly folded?: { readonly always: readonly string[]; readonly empty: readonly string[] };
  /** A page that is read from top to bottom, without headings of columns: how each of its rows looks. */
  readonly page?: readonly RowLook[];
  /** Not for people. */
  readonly hidden?: true;
}
/**
 * `title`: the name of it all · `heading`: begins a part · `entry`: read back · `derived`: worked out, and not read back ·
 * `kept`: read back, and of no interest to people; not printed.
 */
export type RowLook = 'title' | 'heading' | 'entry' | 'derived' | 'kept';

/** A row by its headings. */
export type Row = Record<string, string | null | undefined>;

/** An empty text is written as two quotes, so that an empty cell is nothing. */
function put(text: string | null | undefined): string | null {
  if (text === null || text === undefined) return null;
  return /^("")*$/.test(text) ? `""${text}` : text;
}
/** What `put` wrote. */
export function got(cell: string | null | undefined): string | undefined {
  if (cell === null || cell === undefined || cell === '') return undefined;
  return /^("")+$/.test(cell) ? cell.slice(2) : cell;
}

/** What follows from other cells is for reading: where it is very long, its beginning says enough. */
export function shortened(text: string): string {
  return text.length <= MOST_SHOWN ? text : `${text.slice(0, MOST_SHOWN)} …`;
}
const MOST_SHOWN = 4000;

export function sheetOf(
  name: string,
  header: readonly string[],
  rows: readonly Row[],
  more: Omit<WorkbookSheet, 'name' | 'header' | 'rows'> = {},
): WorkbookSheet {
  return { name, header, rows: rows.map((row) => header.map((h) => put(row[h]))), ...more };
}
