import { outputText, type Value } from '../../fields/values.ts';
import { canAlways, columnsOf, mayHoldAnything, nothing, type Column, type RowFormatOf } from '../output.ts';
import type { ByteWriter } from '../text/byte-writer.ts';

const COMMA = 44;
const LINE_FEED = 10;

export const csvLines: RowFormatOf = (fields) => {
  const columns = columnsOf(fields);
  return {
    cantWrite: canAlways,
    begin: (out) => csvHeader(out, columns),
    row: (out, values) => csvLine(out, values, columns),
    end: nothing,
  };
};

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
