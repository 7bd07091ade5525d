import type { LeavesOut } from './left-out.ts';
import type { UnknownValues, UnknownWay } from './unknown.ts';

/** How a file's bytes become records. */
export type Encoding = 'utf-8' | 'windows-1252' | 'utf-16le' | 'utf-16be' | 'iso-8859-15';

/** How numbers and dates are written in text, where that is not as PostgreSQL writes them. */
export interface Marks {
  readonly decimal: '.' | ',';
  /** In PostgreSQL's pattern letters, such as `DD.MM.YYYY`; null: ISO 8601. */
  readonly dates: string | null;
}
interface OfAnyKind {
  readonly unknown?: UnknownWay;
}
export interface DelimitedFormat extends OfAnyKind, LeavesOut {
  readonly kind: 'delimited';
  readonly encoding: Encoding;
  readonly delimiter: string;
  /** One character, or empty where nothing is quoted. */
  readonly quote: string;
  readonly newline: '\n' | '\r';
  /** Lines above the header (or the first record) that are not data. */
  readonly skipLines: number;
  readonly header: boolean;
  /** Whether an empty cell is null (the default for files). */
  readonly emptyIsNull: boolean;
  readonly marks?: Marks;
}
export interface JsonLinesFormat extends OfAnyKind {
  readonly kind: 'jsonl';
  readonly encoding: Encoding;
  /** The names of all its objects, where they were learned from whole files; otherwise those of the first ones. */
  readonly fields?: readonly string[];
  /** Kept by us: a line that begins with `!` is a record that could not be read when it was fetched (landedUnreadable). */
  readonly landed?: true;
  /** Of the dataset that they were taken from. */
  readonly marks?: Marks;
}
/** Columns by their place in the line, in characters, or in bytes of the encoding. */
export interface FixedWidthFormat extends OfAnyKind, LeavesOut {
  readonly kind: 'fixed';
  readonly encoding: Encoding;
  /** Lines above the first record that are not data. */
  readonly skipLines: number;
  readonly columns: readonly FixedWidthColumn[];
  /** What ends a line; a line feed where nothing is said. */
  readonly newline?: '\n' | '\r';
  /** What places and widths count; characters where nothing is said. Older systems count bytes. */
  readonly counts?: 'characters' | 'bytes';
  readonly emptyIsNull: boolean;
  readonly marks?: Marks;
}
export interface FixedWidthColumn {
  readonly name: string;
  /** 1-based, as rulers and record descriptions count. */
  readonly from: number;
  readonly width: number;
}
/** A repeating structure of nested records: its path below the record (empty for the record itself), and its fields. */
export interface NestedStructure {
  readonly path: string;
  readonly fields: readonly string[];
}
interface Nested extends OfAnyKind {
  readonly encoding: Encoding;
  /** Where the records are: member names for JSON (`data.items`), element names for XML (`repairs/order`). */
  readonly records: string;
  readonly structures: readonly NestedStructure[];
  /** The path of the structure that is read. */
  readonly part: string;
  /** Whether each row has its whole record as JSON in `_doc`. */
  readonly withDoc: boolean;
}
export interface JsonFormat extends Nested {
  readonly kind: 'json';
}
export interface XmlFormat extends Nested {
  readonly kind: 'xml';
}
export interface WorkbookFormat extends OfAnyKind {
  readonly kind: 'xlsx';
  readonly sheet: string;
  /** The cells that matter, such as `B4:H200`; null: all of the sheet. */
  readonly range: string | null;
  /** Rows above the header (or the first record), counted within the range. */
  readonly skipLines: number;
  readonly header: boolean;
  /** Whether each cell of a merged range has the range's value; otherwise only its first one has it. */
  readonly mergedRepeat?: boolean;
  /** Columns at least, where rows were found to have more than the header, or than the first ones. */
  readonly width?: number;
}
/** Formats that are read from first to last byte. */
export type StreamFormat = DelimitedFormat | JsonLinesFormat | FixedWidthFormat | JsonFormat | XmlFormat;
export type FileFormat = StreamFormat | WorkbookFormat;
/** How a format's numbers and dates are written, where it says so. */
export function marksOf(format: FileFormat): Marks | null {
  return 'marks' in format ? (format.marks ?? null) : null;
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
