import { ChunkDecoder } from '../text/decode.ts';
import { Unreadable, type RawRow, type RowBatch } from '../format.ts';
import type { FixedWidthFormat } from './settings.ts';
import { LineSplitter } from '../text/lines.ts';
import { LeftOutRows } from '../text/left-out.ts';
import { mergeUnknown, UnknownCounter } from '../unknown.ts';

/**
 * Fixed-width text as a stream: one record a line, columns by their place, blanks around a value dropped. What stands behind
 * the last column is told, and a value that would be cut there makes its record one that can't be read.
 */
export class FixedWidthReader {
  private readonly decoder: ChunkDecoder;
  private readonly lines: LineSplitter;
  private readonly unknown: UnknownCounter;
  private readonly leftOut: LeftOutRows;
  private nextRow = 1;
  readonly names: readonly string[];
  /** Places before the last column, and all places. */
  private readonly needed: number;
  private readonly width: number;
  private readonly last: string;

  constructor(private readonly format: FixedWidthFormat) {
    this.decoder = new ChunkDecoder(format.encoding);
    this.lines = new LineSplitter(format.skipLines, format.newline);
    this.unknown = new UnknownCounter(format.unknown);
    this.leftOut = new LeftOutRows(format);
    this.names = format.columns.map((c) => c.name);
    this.needed = Math.max(0, ...format.columns.map((c) => c.from - 1));
    this.width = Math.max(0, ...format.columns.map((c) => c.from - 1 + c.width));
    this.last = format.columns.find((c) => c.from - 1 + c.width === this.width)?.name ?? '';
  }

  push(bytes: Uint8Array): RowBatch {
    return this.scan(this.decoder.push(bytes), false);
  }
  end(): RowBatch {
    return this.scan(this.decoder.end(), true);
  }

  private scan(text: string, last: boolean): RowBatch {
    const lines = this.lines.push(text, last);
    const firstRow = this.nextRow;
    const rows: RawRow[] = [];
    for (const line of lines) {
      const row = typeof line === 'string' ? this.row(line, this.nextRow) : line;
      if (row === null) continue;
      rows.push(row);
      this.nextRow++;
    }
    const unknown = mergeUnknown([this.unknown.take().unknown, this.leftOut.take().unknown]);
    return { firstRow, rows, ...(unknown.size > 0 ? { unknown } : {}) };
  }

  /** Null where it is none. */
  private row(line: string, number: number): RawRow | null {
    const unreadable = (message: string): Unreadable => new Unreadable(message, line.slice(0, 200));
    if (line.includes('\u0000')) return unreadable('The line has a zero byte.');
    if (this.leftOut.begins(line, number - 1)) return null;
    const places = placesOf(line, this.format);
    // The blanks at its end may have been cut off, so a line that is not far too short is a record.
    const isShort = places.length <= this.needed && line.trimEnd().length < this.needed / 2;
    if (isShort && this.leftOut.isShort(number - 1)) return null;
    if (isShort)
      return unreadable(
        `The line has ${places.length} ${this.format.counts ?? 'characters'}; the last column begins at ${this.needed + 1}.`,
      );
    if (places.length > this.width && places.from(this.width).trim() !== '') {
      if (isFilled(places.at(this.width - 1)) && isFilled(places.at(this.width)))
        return unreadable(
          `“${this.last}” goes on behind place ${this.width}, where the last column ends; make that column wider.`,
        );
      this.unknown.see(`behind place ${this.width}`, number);
      const refusal = this.unknown.refusal(number);
      if (refusal !== null) return unreadable(refusal);
    }
    try {
      return this.format.columns.map(({ from, width }) => {
        const value = places.slice(from - 1, from - 1 + width).trim();
        return value === '' && this.format.emptyIsNull ? null : value;
      });
    } catch {
      return unreadable('A column begins or ends within a character; are its places counted in bytes?');
    }
  }
}
const isFilled = (text: string): boolean => text.trim() !== '';

/** A line by its places. */
interface Places {
  readonly length: number;
  /** Throws an Error where that cuts a character. */
  slice(from: number, to: number): string;
  from(place: number): string;
  at(place: number): string;
}
function placesOf(line: string, { counts, encoding }: FixedWidthFormat): Places {
  if (counts === 'bytes' && encoding === 'utf-8' && MANY_BYTES.test(line)) return byBytes(line);
  if (counts === 'bytes' && encoding.startsWith('utf-16')) return byUnits(line, 2);
  if (!SURROGATES.test(line)) return byUnits(line, 1);
  const letters = Array.from(line);
  return {
    length: letters.length,
    slice: (from, to) => letters.slice(from, to).join(''),
    from: (place) => letters.slice(place).join(''),
    at: (place) => letters[place] ?? '',
  };
}
const MANY_BYTES = /\P{ASCII}/u;
const SURROGATES = /[\ud800-\udfff]/;
function byUnits(line: string, bytes: number): Places {
  return {
    length: line.length * bytes,
    slice: (from, to) => line.slice(from / bytes, to / bytes),
    from: (place) => line.slice(place / bytes),
    at: (place) => line.charAt(place / bytes),
  };
}
function byBytes(line: string): Places {
  const bytes = new TextEncoder().encode(line);
  const strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });
  const lax = new TextDecoder();
  return {
    length: bytes.length,
    slice: (from, to) => strict.decode(bytes.subarray(from, to)),
    from: (place) => lax.decode(bytes.subarray(place)),
    at: (place) => lax.decode(bytes.subarray(place, place + 1)),
  };
}
