import { delimitedWidth } from '../delimited/sniff.ts';
import type { Guess, Sample } from '../sample.ts';
import { withMarks } from '../text/guess-marks.ts';
import { FixedWidthReader } from './read.ts';
import type { FixedWidthColumn, FixedWidthFormat } from './settings.ts';

/** Lines of one length with blanks between columns. */
export function sniffFixedWidth(sample: Sample): Guess<FixedWidthFormat> | null {
  const { bytes, encoding, reason, text, name } = sample;
  if (/\.(csv|tsv)$/.test(name)) return null;
  const lines = text
    .split(/\r?\n|\r/)
    .filter((l) => l.trim() !== '')
    .slice(0, 400);
  const whole = lines.slice(0, lines.length > 3 ? -1 : undefined);
  // Lines that are of one length in bytes only were made by a program that counts those.
  const inBytes = encoding === 'utf-8' && sizes(whole.map(asBytes)) === 1 && sizes(whole) > 1;
  const columns = guessColumns(inBytes ? whole.map(asBytes) : whole);
  if (columns === null) return null;
  // “Surname, Given” is no pair of columns: what stands in more columns of blanks, in lines of one length, wins.
  const delimited = delimitedWidth(sample);
  if (delimited > 1 && delimited >= columns.length) return null;
  const format: FixedWidthFormat = {
    kind: 'fixed',
    encoding,
    skipLines: 0,
    columns,
    emptyIsNull: true,
    ...(text.includes('\n') ? {} : { newline: '\r' }),
    ...(inBytes ? { counts: 'bytes' } : {}),
  };
  const length = inBytes
    ? `lines of ${asBytes(whole[0]!).length} bytes, with blanks between ${columns.length} columns`
    : `lines of about ${lines[0]!.length} characters, with blanks between ${columns.length} columns`;
  return withMarks(format, [reason, length], () => new FixedWidthReader(format), bytes);
}

/** A character for each byte. */
const asBytes = (line: string): string =>
  Array.from(new TextEncoder().encode(line), (byte) => String.fromCharCode(byte)).join('');
const sizes = (lines: readonly string[]): number => new Set(lines.map((l) => l.length)).size;

/**
 * Columns guessed from lines: one begins where every line before had a blank. Null when the lines don't look like columns.
 * Columns that touch can't be told apart; people draw those.
 */
export function guessColumns(lines: readonly string[]): FixedWidthColumn[] | null {
  if (lines.length < 3) return null;
  const places = lines.map((l) => (/[\ud800-\udfff]/.test(l) ? Array.from(l) : l));
  const width = Math.max(...places.map((l) => l.length));
  if (width < 4 || width > 20_000) return null;
  const sameLength = places.filter((l) => Math.abs(l.length - width) <= width / 6).length;
  if (sameLength < lines.length * 0.8) return null;
  const blank = Array.from({ length: width }, (_, i) => places.every((l) => (l[i] ?? ' ') === ' '));
  const starts: number[] = [];
  for (let i = 0; i < width; i++) if (!blank[i] && (i === 0 || blank[i - 1])) starts.push(i);
  if (starts.length < 2) return null;
  return starts.map((from, i) => ({
    name: `column_${i + 1}`,
    from: from + 1,
    width: (starts[i + 1] ?? width) - from,
  }));
}
