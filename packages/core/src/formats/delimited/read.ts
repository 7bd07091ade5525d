import { Fault } from '../../faults.ts';
import { quoted } from '../../words.ts';
import { ChunkDecoder, DAMAGED, shownDamaged } from '../text/decode.ts';
import { MAX_CELL, MAX_COLUMNS, MAX_RECORD, Unreadable, type RawRow, type RowBatch } from '../format.ts';
import type { DelimitedFormat } from './settings.ts';
import { LeftOutRows } from '../text/left-out.ts';

/**
 * Delimited text (RFC 4180 and its everyday relatives) as a stream: bytes in, batches of rows out. Memory is bounded by
 * MAX_RECORD; a record that can't be read becomes an Unreadable and the rest goes on after it.
 */
export class DelimitedReader {
  private readonly decoder: ChunkDecoder;
  private buffer = '';
  private linesToSkip: number;
  private nextRow = 1;
  private rows: RawRow[] = [];
  /** Where each row that came last ends, in characters of the file as text. */
  ends: number[] = [];
  /** Where the buffer begins. */
  private offset = 0;
  private headerNames: readonly string[] | null = null;
  /** Throwing away the rest of a line that is longer than MAX_RECORD. */
  private discarding = false;
  /** The known place of the next quote in the buffer; -1: not looked for; Infinity: none. */
  private quoteAt = -1;
  private readonly leftOut: LeftOutRows;
  /** Something in the buffer can't be text; only then is each row looked at. */
  private mayBeDamaged = false;

  constructor(
    private readonly format: DelimitedFormat,
    /** The names expected, when they are known already; otherwise they come from the header or are numbered. */
    private readonly fields: readonly string[] | null = null,
  ) {
    this.decoder = new ChunkDecoder(format.encoding);
    this.linesToSkip = format.skipLines;
    this.leftOut = new LeftOutRows(format);
    if (!format.header && fields) this.headerNames = fields;
  }

  /** Reads whole records that stand within a file, the first of them as this row. */
  static within(format: DelimitedFormat, names: readonly string[], firstRow: number): DelimitedReader {
    const reader = new DelimitedReader(format);
    reader.headerNames = names;
    reader.linesToSkip = 0;
    reader.nextRow = firstRow;
    return reader;
  }

  /** Field names; null until the first record has been read. */
  get names(): readonly string[] | null {
    return this.headerNames;
  }

  push(bytes: Uint8Array): RowBatch {
    return this.pushText(this.decoder.push(bytes));
  }
  /** What is decoded already. */
  pushText(text: string): RowBatch {
    return this.scan(text, false);
  }
  end(): RowBatch {
    return this.scan(this.decoder.end(), true);
  }

  private scan(text: string, last: boolean): RowBatch {
    this.buffer = this.buffer === '' ? text : this.buffer + text;
    this.mayBeDamaged = this.buffer.includes(DAMAGED) || this.buffer.includes('\u0000');
    this.quoteAt = -1;
    this.rows = [];
    this.ends = [];
    const firstRow = this.nextRow;
    let at = 0;
    for (;;) {
      const next = this.record(at, last);
      if (next < 0) break;
      at = next;
      if (this.rows.length > this.ends.length) this.ends.push(this.offset + at);
    }
    this.offset += at;
    this.buffer = at === 0 ? this.buffer : this.buffer.slice(at);
    return { firstRow, rows: this.rows, ...this.leftOut.take() };
  }

  /**
   * Hands out the beginning of a record that waits for its end, so that somebody else may go on with it, or null where only
   * this reader can. `goOn` comes back to this reader, behind so many records.
   */
  takeRest(): string | null {
    const { quote } = this.format;
    const unsure = this.discarding || this.linesToSkip > 0 || this.headerNames === null;
    if (unsure || (quote !== '' && this.buffer.includes(quote))) return null;
    const rest = this.buffer;
    this.buffer = '';
    this.offset += rest.length;
    return rest;
  }
  /** Where it has come to, in characters of the file. */
  get at(): number {
    return this.offset + this.buffer.length;
  }
  goOn(firstRow: number, offset: number): void {
    this.nextRow = firstRow;
    this.offset = offset;
  }

  /** Reads one record at `at`. Returns where the next begins, or -1 when more text is needed (or nothing is left). */
  private record(at: number, last: boolean): number {
    const { buffer } = this;
    const { newline, quote } = this.format;
    if (at >= buffer.length) return -1;
    const lineEnd = buffer.indexOf(newline, at);
    if (this.discarding) {
      if (lineEnd < 0) return buffer.length > at ? buffer.length : -1;
      this.discarding = false;
      return lineEnd + 1;
    }
    if (lineEnd < 0 && buffer.length - at > MAX_RECORD) {
      this.unreadable(
        `The line is longer than ${MAX_RECORD.toLocaleString('en-GB')} characters; it can't be a record of this format.`,
        buffer.slice(at, at + 200),
      );
      this.discarding = true;
      return buffer.length;
    }
    if (lineEnd < 0 && !last) return -1;
    const end = lineEnd < 0 ? buffer.length : lineEnd;
    const after = lineEnd < 0 ? buffer.length : lineEnd + 1;
    if (this.linesToSkip > 0) {
      this.linesToSkip--;
      return after;
    }
    if (quote !== '' && this.nextQuote(at) < end) return this.quotedRecord(at, end, after, last);
    const line = buffer.slice(at, newline === '\n' && buffer.charCodeAt(end - 1) === 13 && end > at ? end - 1 : end);
    if (line !== '' || this.headerNames?.length === 1) this.cells(line.split(this.format.delimiter), line);
    return after;
  }

  private nextQuote(from: number): number {
    if (this.quoteAt < from) {
      const found = this.buffer.indexOf(this.format.quote, from);
      this.quoteAt = found < 0 ? Infinity : found;
    }
    return this.quoteAt;
  }

  private quotedRecord(start: number, firstEnd: number, afterFirst: number, last: boolean): number {
    const { buffer } = this;
    const { delimiter, quote, newline } = this.format;
    const cells: string[] = [];
    let at = start;
    for (;;) {
      if (buffer[at] !== quote) {
        // An unquoted cell; a quote inside it is just a character.
        let end = at;
        while (end < buffer.length && !buffer.startsWith(delimiter, end) && buffer[end] !== newline) end++;
        if (end >= buffer.length && !last) return this.wait(start, firstEnd, afterFirst);
        const atLineEnd = end >= buffer.length || buffer[end] === newline;
        cells.push(
          buffer.slice(at, atLineEnd && newline === '\n' && end > at && buffer[end - 1] === '\r' ? end - 1 : end),
        );
        if (atLineEnd) return this.finish(cells, start, Math.min(end + 1, buffer.length));
        at = end + delimiter.length;
        continue;
      }
      const cell = this.quotedCell(at + 1);
      if (cell === null) {
        if (!last) return this.wait(start, firstEnd, afterFirst);
        this.unreadable('A quoted cell that begins in this row has no closing quote.', buffer.slice(start, firstEnd));
        return afterFirst;
      }
      cells.push(cell.text);
      at = cell.end;
      if (buffer.startsWith(delimiter, at)) {
        at += delimiter.length;
        continue;
      }
      if (newline === '\n' && buffer[at] === '\r' && (buffer[at + 1] === '\n' || (last && at + 1 >= buffer.length)))
        at++;
      if (at >= buffer.length) {
        if (!last) return this.wait(start, firstEnd, afterFirst);
        return this.finish(cells, start, at);
      }
      if (buffer[at] === newline) return this.finish(cells, start, at + 1);
      if (!last && buffer.length - at < 2) return this.wait(start, firstEnd, afterFirst);
      this.unreadable(
        'There is text behind the closing quote of a cell; quotes inside a quoted cell are doubled.',
        buffer.slice(start, firstEnd),
      );
      return afterFirst;
    }
  }

  private quotedCell(from: number): { text: string; end: number } | null {
    const { buffer } = this;
    const { quote } = this.format;
    let at = from;
    let text = '';
    for (;;) {
      const close = buffer.indexOf(quote, at);
      if (close < 0 || close + 1 > buffer.length) return null;
      text += buffer.slice(at, close);
      if (buffer[close + 1] !== quote) return { text, end: close + 1 };
      text += quote;
      at = close + 2;
    }
  }

  /** More text is needed, unless the record is already too long: then its first line is given up and the next one is tried. */
  private wait(start: number, firstEnd: number, afterFirst: number): number {
    if (this.buffer.length - start <= MAX_RECORD) return -1;
    this.unreadable(
      `A quoted cell that begins in this row has no closing quote within ${MAX_RECORD.toLocaleString('en-GB')} characters.`,
      this.buffer.slice(start, Math.min(firstEnd, start + 200)),
    );
    return afterFirst;
  }

  private finish(cells: string[], start: number, next: number): number {
    if (next - start > MAX_RECORD)
      this.unreadable(
        `The record is longer than ${MAX_RECORD.toLocaleString('en-GB')} characters.`,
        this.buffer.slice(start, start + 200),
      );
    else this.cells(cells, null);
    this.quoteAt = -1;
    return next;
  }

  private unreadable(message: string, raw: string): void {
    if (this.headerNames === null) throw new Fault('unreadable', `The header can't be read: ${message}`);
    this.rows.push(new Unreadable(message, shownDamaged(raw).slice(0, 200)));
    this.nextRow++;
  }

  private cells(cells: (string | null)[], line: string | null): void {
    if (this.headerNames === null) {
      if (this.format.header) {
        this.headerNames = headerNames(cells as string[]);
        if (this.fields) this.expectFields(this.headerNames, this.fields);
        return;
      }
    }
    if (this.leftOut.begins(cells[0]!, this.nextRow - 1)) return;
    this.headerNames ??= cells.map((_, i) => `column_${i + 1}`);
    const width = this.headerNames.length;
    if (cells.length !== width) {
      if (cells.length < width && this.leftOut.isShort(this.nextRow - 1)) return;
      const text = line ?? cells.join(this.format.delimiter);
      return this.unreadable(
        `The row has ${cells.length === 1 ? 'one cell' : `${cells.length} cells`} where ${this.format.header ? 'the header has' : 'the file should have'} ${width}.`,
        text,
      );
    }
    const { emptyIsNull } = this.format;
    for (let i = 0; i < width; i++) {
      const cell = cells[i]!;
      if (cell === '') {
        if (emptyIsNull) cells[i] = null;
      } else if (cell!.length > MAX_CELL)
        return this.unreadable(
          `Cell ${this.headerNames[i]} is longer than ${MAX_CELL.toLocaleString('en-GB')} characters.`,
          cell!,
        );
    }
    if (this.mayBeDamaged && this.damaged(line ?? cells.join(''))) return;
    this.rows.push(cells);
    this.nextRow++;
  }

  private damaged(whole: string): boolean {
    if (whole.includes(DAMAGED))
      this.unreadable(
        `The row has bytes that are not ${this.format.encoding.toUpperCase()}; choose the file's real encoding or mend the row.`,
        whole,
      );
    else if (whole.includes('\u0000'))
      this.unreadable('The row has a zero byte; the file may be damaged.', whole.replaceAll('\u0000', '␀'));
    else return false;
    return true;
  }

  /** With columns known from elsewhere, the header must still name them. */
  private expectFields(found: readonly string[], wanted: readonly string[]): void {
    const missing = wanted.filter((name) => !found.includes(name));
    if (missing.length > 0)
      throw new Fault(
        'unreadable',
        `The header lacks ${missing.map((m) => quoted(m)).join(', ')}; it has ${found
          .slice(0, 12)
          .map((f) => quoted(f))
          .join(', ')}${found.length > 12 ? ' …' : ''}.`,
      );
  }
}

/** Names from a header row. Throws a fault for doubled names and for more columns than can be meant. */
export function headerNames(cells: readonly string[]): string[] {
  if (cells.length > MAX_COLUMNS)
    throw new Fault(
      'unreadable',
      `The header has ${cells.length.toLocaleString('en-GB')} columns; ${MAX_COLUMNS.toLocaleString('en-GB')} is the limit. Is the delimiter right?`,
    );
  if (cells.some((c) => c.includes('\u0000') || c.includes(DAMAGED)))
    throw new Fault('unreadable', 'The header has bytes that are no text in this encoding; choose another encoding.');
  const names = cells.map((cell, i) => cell.trim() || `column_${i + 1}`);
  const first = new Map<string, number>();
  for (const [i, name] of names.entries()) {
    const before = first.get(name);
    if (before !== undefined)
      throw new Fault(
        'unreadable',
        `The header has two columns called ${quoted(name)} (columns ${before + 1} and ${i + 1}); rename one of them in the file.`,
      );
    first.set(name, i);
  }
  return names;
}
