import { outputText, type Value } from '../../fields/values.ts';
import { mayHoldAnything, type Column } from '../output.ts';
import type { ByteWriter } from './byte-writer.ts';

const TAB = 9;
const LINE_FEED = 10;

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
