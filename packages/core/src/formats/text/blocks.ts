import { ChunkDecoder, DAMAGED } from './decode.ts';
import { DelimitedReader } from '../delimited/read.ts';
import type { DelimitedFormat } from '../delimited/settings.ts';
import type { FileFormat } from '../file-format.ts';
import type { JsonLinesFormat } from '../json-lines/settings.ts';
import type { RowBatch } from '../format.ts';
import { JsonLinesReader } from '../json-lines/read.ts';
import { leavesOut } from './left-out.ts';
import { mergeUnknown } from '../unknown.ts';

/**
 * A stretch of a file, to be read by whoever has time: whole records as text, `rows` of them, or records that were read
 * already, because where they end is not plain. Offsets are in characters of the file as text, so that they are the same
 * whatever pieces the file came in.
 */
export type Block = {
  readonly firstRow: number;
  /** Where it begins and ends. */
  readonly from: number;
  readonly to: number;
  /** The file's fields. */
  readonly names: readonly string[];
} & (
  | { readonly text: string; readonly rows: number }
  | { readonly read: RowBatch['rows']; readonly ends: readonly number[]; readonly unknown?: RowBatch['unknown'] }
);
type LineFormat = DelimitedFormat | JsonLinesFormat;

export const rowsOf = (block: Block): number => ('read' in block ? block.read.length : block.rows);

/** The records of a block. */
export function readBlock(block: Block, format: FileFormat): RowBatch {
  const { firstRow, names } = block;
  if ('read' in block) return { firstRow, rows: block.read, ...(block.unknown ? { unknown: block.unknown } : {}) };
  if (format.kind === 'delimited') return DelimitedReader.within(format, names, firstRow).pushText(block.text);
  if (format.kind === 'jsonl') {
    const reader = new JsonLinesReader(format, names);
    reader.goOn(firstRow, block.from);
    return reader.pushText(block.text);
  }
  throw new Error('Only lines come as blocks of text.');
}

/** Splits a block behind its first `rows` records, or behind the one that reaches `offset`, whichever comes first. */
export function splitBlock(block: Block, rows: number, offset: number, format: FileFormat): [Block, Block | null] {
  if (rowsOf(block) <= rows && block.to < offset) return [block, null];
  const { firstRow, from, to, names } = block;
  if ('read' in block) {
    const reached = block.ends.findIndex((end) => end >= offset) + 1;
    const count = Math.min(rows, reached === 0 ? Infinity : reached);
    if (count >= block.read.length) return [block, null];
    const at = block.ends[count - 1]!;
    return [
      // What is not known of any of them is told once.
      { ...block, to: at, read: block.read.slice(0, count), ends: block.ends.slice(0, count) },
      { firstRow: firstRow + count, from: at, to, names, read: block.read.slice(count), ends: block.ends.slice(count) },
    ];
  }
  const { text } = block;
  let count = 0;
  let at = 0;
  for (const line of lines(text, format as LineFormat, names)) {
    count += line.isRecord ? 1 : 0;
    at = line.end;
    if (line.isRecord && (count >= rows || from + at >= offset)) break;
  }
  if (count >= block.rows) return [block, null];
  return [
    { firstRow, from, to: from + at, names, text: text.slice(0, at), rows: count },
    { firstRow: firstRow + count, from: from + at, to, names, text: text.slice(at), rows: block.rows - count },
  ];
}

/** The lines of a text without quotes; a blank one is no record, unless the only field may be empty. */
function* lines(
  text: string,
  format: LineFormat,
  names: readonly string[],
): Generator<{ end: number; isRecord: boolean }> {
  const newline = format.kind === 'delimited' ? format.newline : '\n';
  const single = format.kind === 'delimited' && names.length === 1;
  for (let at = 0; at < text.length;) {
    const end = text.indexOf(newline, at);
    yield { end: end + 1, isRecord: single || !isBlank(text, at, end, format) };
    at = end + 1;
  }
}
function isBlank(text: string, from: number, to: number, format: LineFormat): boolean {
  if (format.kind === 'delimited')
    return to === from || (format.newline === '\n' && to === from + 1 && text.charCodeAt(from) === 13);
  // Nearly every line begins with a brace.
  return text.charCodeAt(from) !== 123 && text.slice(from, to).trim() === '';
}
/** How many records a text has, and where the last one ends: blank lines behind it belong to none. */
function countRecords(text: string, format: LineFormat, names: readonly string[]): { rows: number; end: number } {
  let rows = 0;
  let last = 0;
  for (const { end, isRecord } of lines(text, format, names)) {
    if (!isRecord) continue;
    rows++;
    last = end;
  }
  return { rows, end: last };
}

/** Cuts the bytes of a file into blocks, without reading the records in them where it can be helped. */
export class BlockCutter {
  private readonly decoder: ChunkDecoder;
  private readonly reader: DelimitedReader | JsonLinesReader;
  /** The beginning of a record whose end is still to come; null while only the reader can go on. */
  private rest: string | null = null;
  private nextRow = 1;
  private offset = 0;

  /** `fields`: those of the dataset; a header names the file's own. */
  constructor(
    private readonly format: LineFormat,
    private readonly fields: readonly string[],
  ) {
    this.decoder = new ChunkDecoder(format.encoding);
    this.reader =
      format.kind === 'jsonl'
        ? new JsonLinesReader(format, fields)
        : new DelimitedReader(format, format.header ? null : fields);
  }

  push(bytes: Uint8Array): Block[] {
    const text = this.decoder.push(bytes);
    const { rest } = this;
    if (rest === null) return this.read(this.reader.pushText(text), this.reader.ends);
    const whole = rest === '' ? text : rest + text;
    const newline = this.format.kind === 'delimited' ? this.format.newline : '\n';
    const end = whole.lastIndexOf(newline) + 1;
    if (end === 0 || !this.isPlain(whole)) {
      this.goOn();
      return this.read(this.reader.pushText(whole), this.reader.ends);
    }
    this.rest = whole.slice(end);
    return this.plain(whole.slice(0, end));
  }
  end(): Block[] {
    const text = (this.rest ?? '') + this.decoder.end();
    if (this.rest !== null) this.goOn();
    const { firstRow, rows, unknown: before } = this.reader.pushText(text);
    const { ends } = this.reader;
    const last = this.reader.end();
    const unknown = mergeUnknown([before, last.unknown]);
    return this.read({ firstRow, rows: [...rows, ...last.rows], ...(unknown.size > 0 ? { unknown } : {}) }, [
      ...ends,
      ...this.reader.ends,
    ]);
  }

  /** While nothing is quoted or damaged, every line is a record. */
  private isPlain(text: string): boolean {
    if (text.includes(DAMAGED)) return false;
    if (this.format.kind === 'jsonl') return true;
    const { quote } = this.format;
    return !((quote !== '' && text.includes(quote)) || text.includes('\u0000'));
  }
  private goOn(): void {
    this.rest = null;
    this.reader.goOn(this.nextRow, this.offset);
  }
  private get names(): readonly string[] {
    return this.format.kind === 'jsonl' ? this.fields : (this.reader.names ?? this.fields);
  }
  private read({ firstRow, rows, unknown }: RowBatch, ends: readonly number[]): Block[] {
    const from = this.offset;
    this.nextRow = firstRow + rows.length;
    this.offset = ends.at(-1) ?? from;
    this.rest = this.reader.takeRest();
    if (this.rest !== null) this.offset = this.reader.at - this.rest.length;
    return rows.length === 0
      ? []
      : [{ firstRow, from, to: ends.at(-1)!, names: this.names, read: rows, ends, ...(unknown ? { unknown } : {}) }];
  }
  private plain(text: string): Block[] {
    const from = this.offset;
    this.offset += text.length;
    const { rows, end } = countRecords(text, this.format, this.names);
    if (rows === 0) return [];
    const firstRow = this.nextRow;
    this.nextRow += rows;
    const records = end === text.length ? text : text.slice(0, end);
    return [{ firstRow, from, to: from + end, names: this.names, text: records, rows }];
  }
}

/** Null: files of this format are read from beginning to end by one reader. */
export function blockCutter(format: FileFormat, fields: readonly string[]): BlockCutter | null {
  if (format.kind === 'jsonl') return new BlockCutter(format, fields);
  // Whether a row is a record is known only when it is read.
  return format.kind === 'delimited' && !leavesOut(format) ? new BlockCutter(format, fields) : null;
}

/** Records of one file that belong to one chunk. */
export interface BlocksOfFile {
  readonly block: Block;
  readonly file: string;
  /** How many records of the dataset come before those of the file. */
  readonly before: number;
}

/**
 * Puts blocks together to chunks of so many records, or so many characters. Where a chunk ends depends on the records alone,
 * so that a run that is taken up again cuts the same chunks.
 */
export class ChunkCutter {
  private blocks: BlocksOfFile[] = [];
  private rows = 0;
  private characters = 0;
  /** Where the last record that was counted ends in its file. */
  private at = 0;

  constructor(
    private readonly cut: { readonly rows: number; readonly characters: number },
    private readonly format: FileFormat,
  ) {}

  beginFile(): void {
    this.at = 0;
  }
  /** The chunks that are full with this block. */
  push({ block, file, before }: BlocksOfFile): BlocksOfFile[][] {
    const full: BlocksOfFile[][] = [];
    const { cut } = this;
    for (let rest: Block | null = block; rest !== null;) {
      const [first, then]: [Block, Block | null] = splitBlock(
        rest,
        cut.rows - this.rows,
        this.at + cut.characters - this.characters,
        this.format,
      );
      this.blocks.push({ block: first, file, before });
      this.rows += rowsOf(first);
      this.characters += first.to - this.at;
      this.at = first.to;
      if (this.rows >= cut.rows || this.characters >= cut.characters) full.push(this.take());
      rest = then;
    }
    return full;
  }
  /** What is left, where anything is: a chunk ends here, whatever its size. */
  takeIfAny(): BlocksOfFile[][] {
    return this.blocks.length === 0 ? [] : [this.take()];
  }
  private take(): BlocksOfFile[] {
    const { blocks } = this;
    this.blocks = [];
    this.rows = 0;
    this.characters = 0;
    return blocks;
  }
}
