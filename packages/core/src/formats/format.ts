import type { UnknownValues, UnknownWay } from './unknown.ts';

/** How a file's bytes become records. */
export type Encoding = 'utf-8' | 'windows-1252' | 'utf-16le' | 'utf-16be' | 'iso-8859-15';

/** How numbers and dates are written in text, where that is not as PostgreSQL writes them. */
export interface Marks {
  readonly decimal: '.' | ',';
  /** In PostgreSQL's pattern letters, such as `DD.MM.YYYY`; null: ISO 8601. */
  readonly dates: string | null;
}
/** What may be said of any format. */
export interface OfAnyKind {
  readonly unknown?: UnknownWay;
}
/** A record that could not be read, with the reason; its place in the file is its row number. */
export class Unreadable {
  constructor(
    readonly message: string,
    /** The beginning of the raw text, as far as it could be decoded. */
    readonly raw: string,
  ) {}
}
export type RawRow = readonly (string | null)[] | Unreadable;

/** Consecutive records; `rows[i]` is data row `firstRow + i` (1-based, header and skipped lines not counted). */
export interface RowBatch {
  readonly firstRow: number;
  readonly rows: readonly RawRow[];
  /** Values that the rows have no field for; not there where there are none. */
  readonly unknown?: UnknownValues;
}

/** Characters of one record at the most. */
export const MAX_RECORD = 4 * 1024 * 1024;
/** Characters of one cell at the most. */
export const MAX_CELL = 1024 * 1024;
export const MAX_COLUMNS = 20_000;
/** Levels of nesting at the most. */
export const MAX_DEPTH = 100;
