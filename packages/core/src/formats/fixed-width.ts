import { ChunkDecoder } from './decode.ts';
import { Unreadable, type FixedWidthColumn, type FixedWidthFormat, type RawRow, type RowBatch } from './format.ts';
import { LineSplitter } from './lines.ts';

/** Fixed-width text as a stream: one record a line, columns by their place, blanks around a value dropped. */
export class FixedWidthReader {
  private readonly decoder: ChunkDecoder;
  private readonly lines = new LineSplitter();
  private nextRow = 1;
  private toSkip: number;
  readonly names: readonly string[];
  private readonly needed: number;

  constructor(private readonly format: FixedWidthFormat) {
    this.decoder = new ChunkDecoder(format.encoding);
    this.toSkip = format.skipLines;
    this.names = format.columns.map((c) => c.name);
    this.needed = Math.max(0, ...format.columns.map((c) => c.from - 1));
  }

  push(bytes: Uint8Array): RowBatch {
    return this.scan(this.decoder.push(bytes), false);
  }
  end(): RowBatch {
    return this.scan(this.decoder.end(), true);
  }

  private scan(text: string, last: boolean): RowBatch {
    const lines = this.lines.push(text, last);
    const skipped = lines.splice(0, Math.min(this.toSkip, lines.length));
    this.toSkip -= skipped.length;
    const firstRow = this.nextRow;
    this.nextRow += lines.length;
    return { firstRow, rows: lines.map((line) => (typeof line === 'string' ? this.row(line) : line)) };
  }

  private row(line: string): RawRow {
    if (line.includes('\u0000')) return new Unreadable('The line has a zero byte.', line.slice(0, 200));
    if (line.length <= this.needed && line.trimEnd().length < this.needed / 2)
      return new Unreadable(
        `The line has ${line.length} characters; the last column begins at ${this.needed + 1}.`,
        line.slice(0, 200),
      );
    return this.format.columns.map(({ from, width }) => {
      const value = line.slice(from - 1, from - 1 + width).trim();
      return value === '' && this.format.emptyIsNull ? null : value;
    });
  }
}

/**
 * Columns guessed from lines: one begins where every line before had a blank. Null when the lines don't look like columns.
 * Columns that touch can't be told apart; people draw those.
 */
export function guessColumns(lines: readonly string[]): FixedWidthColumn[] | null {
  if (lines.length < 3) return null;
  const width = Math.max(...lines.map((l) => l.length));
  if (width < 4 || width > 20_000) return null;
  const sameLength = lines.filter((l) => Math.abs(l.length - width) <= width / 6).length;
  if (sameLength < lines.length * 0.8) return null;
  const blank = Array.from({ length: width }, (_, i) => lines.every((l) => (l[i] ?? ' ') === ' '));
  const starts: number[] = [];
  for (let i = 0; i < width; i++) if (!blank[i] && (i === 0 || blank[i - 1])) starts.push(i);
  if (starts.length < 2) return null;
  return starts.map((from, i) => ({
    name: `column_${i + 1}`,
    from: from + 1,
    width: (starts[i + 1] ?? width) - from,
  }));
}
