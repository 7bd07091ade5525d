import type { ValueType } from '../fields/types.ts';
import { outputText, valueText, type Value } from '../fields/values.ts';
import type { ByteWriter } from './byte-writer.ts';

export interface Column {
  readonly name: string;
  readonly type: ValueType;
}

/** Numbers, dates and booleans have nothing in them that would need quotes or escapes. */
function mayHoldAnything(type: ValueType): boolean {
  return type === 'text' || type === 'jsonb' || type === 'unknown';
}

const COMMA = 44;
const TAB = 9;
const LINE_FEED = 10;

/** UTF-8 CSV with LF: nulls are empty cells, booleans t and f, dates ISO, numerics with their scale. */
export function csvHeader(out: ByteWriter, columns: readonly Column[]): void {
  out.text(`${columns.map((c) => csvCell(c.name)).join(',')}\n`);
}
export function csvLine(out: ByteWriter, values: readonly Value[], columns: readonly Column[]): void {
  for (let i = 0; i < columns.length; i++) {
    if (i > 0) out.ascii(COMMA);
    const value = values[i]!;
    if (value === null) continue;
    const { type } = columns[i]!;
    const text = outputText(value, type)!;
    out.text(mayHoldAnything(type) ? csvCell(text) : text);
  }
  out.ascii(LINE_FEED);
}
const NEEDS_QUOTES = /[",\r\n]/;
function csvCell(text: string): string {
  // An empty text is quoted, so that it stays apart from null.
  if (text === '') return '""';
  return NEEDS_QUOTES.test(text) ? `"${text.replace(/"/g, '""')}"` : text;
}

/** One JSON object a line; whole numbers and booleans as such, decimals and all else as text, so that nothing is rounded. */
export function jsonLine(out: ByteWriter, values: readonly Value[], columns: readonly Column[]): void {
  const parts = columns.map(({ name, type }, i) => {
    const value = values[i]!;
    return `${JSON.stringify(name)}:${value === null ? 'null' : jsonValue(value, type)}`;
  });
  out.text(`{${parts.join(',')}}\n`);
}
function jsonValue(value: NonNullable<Value>, type: ValueType): string {
  if (type === 'bool' || type === 'int2' || type === 'int4') return String(value);
  if (type === 'jsonb') return value as string;
  return JSON.stringify(valueText(value, type));
}

/** A row in COPY's text format (PostgreSQL, “COPY”, Text Format). */
export function copyLine(out: ByteWriter, values: readonly Value[], columns: readonly Column[]): void {
  for (let i = 0; i < columns.length; i++) {
    if (i > 0) out.ascii(TAB);
    const value = values[i]!;
    if (value === null) {
      out.text('\\N');
      continue;
    }
    const { type } = columns[i]!;
    const text = outputText(value, type)!;
    if (mayHoldAnything(type)) out.copyCell(text);
    else out.text(text);
  }
  out.ascii(LINE_FEED);
}

/** The cells of a row in COPY's text format, without its line end: the other way round of copyLine. */
export function copyCells(line: string): (string | null)[] {
  const plain: Record<string, string> = { t: '\t', n: '\n', r: '\r' };
  return line
    .split('\t')
    .map((cell) => (cell === '\\N' ? null : cell.replace(/\\(.)/g, (_, c: string) => plain[c] ?? c)));
}
