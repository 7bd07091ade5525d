import {
  type Block,
  blockCutter,
  type BlocksOfFile,
  ChunkCutter,
  Fault,
  type FileFormat,
  isFault,
  mergeUnknown,
  type RawRow,
  readBlock,
  readerFor,
  readRows,
  readSheet,
  type RowBatch,
  type UnknownWay,
  rowsOf,
  splitBlock,
  UnknownCounter,
  Unreadable,
  Workbook,
  type WorkbookFormat,
} from '@versicle/core';
import { stat } from 'node:fs/promises';
import { openArchive } from './archive.ts';
import { chunksOf } from './chunks.ts';
import { steady, type FileState } from './steady-file.ts';

/**
 * The records of a file on disk, in batches. `count` hears of bytes as they are read (for a workbook, of all at its end).
 * `fields` are those of the dataset that the file belongs to: where the file has a header of its own, they are found by their
 * names, wherever they stand; what the file lacks is null. With `as` the file has to be as it was then. Throws a fault.
 */
export async function* recordsOf(
  path: string,
  name: string,
  format: FileFormat,
  count: (bytes: number) => void = () => undefined,
  fields: readonly string[] | null = null,
  as: FileState | null = null,
): AsyncGenerator<RowBatch> {
  if (format.kind !== 'xlsx') {
    const hasHeader = format.kind === 'delimited' && format.header;
    const known = format.kind === 'jsonl' || format.kind === 'delimited' ? fields : null;
    const reader = readerFor(format, hasHeader ? null : known);
    const batches = readRows(counted(chunksOf(path, name, as), count), reader);
    return yield* hasHeader && fields !== null ? byName(batches, () => reader.names, fields, format.unknown) : batches;
  }
  yield* sheetRecords({ path, name, format, fields, as, count });
}
interface SheetOfFile {
  readonly path: string;
  readonly name: string;
  readonly format: WorkbookFormat;
  readonly fields: readonly string[] | null;
  readonly as: FileState | null;
  readonly count: (bytes: number) => void;
  /** The whole sheet is compared with its check sum first: at its end, where that is known otherwise, its records are on their way. */
  readonly checked?: boolean;
}
async function* sheetRecords({
  path,
  name,
  format,
  fields,
  as,
  count,
  checked = false,
}: SheetOfFile): AsyncGenerator<RowBatch> {
  const look = await steady(path, name, as);
  const archive = await openArchive(path, name);
  try {
    const workbook = await Workbook.open(archive);
    if (checked) await archive.check(workbook.sheet(format.sheet).path);
    let names: readonly string[] | null = null;
    const batches = looking(
      readSheet(workbook, format, (found) => (names = found)),
      look,
    );
    if (fields === null) yield* batches;
    else if (format.header) yield* byName(batches, () => names, fields, format.unknown);
    else for await (const batch of batches) yield mapped(batch, (row) => asWideAs(row, fields.length));
    count((await stat(path)).size);
  } finally {
    archive.close();
  }
}
async function* looking<T>(batches: AsyncIterable<T>, look: () => Promise<void>): AsyncGenerator<T> {
  for await (const batch of batches) {
    await look();
    yield batch;
  }
}
async function* counted(chunks: AsyncIterable<Uint8Array>, count: (bytes: number) => void): AsyncGenerator<Uint8Array> {
  for await (const chunk of chunks) {
    count(chunk.length);
    yield chunk;
  }
}

/** Puts the cells of a file where the dataset has their fields. */
async function* byName(
  batches: AsyncIterable<RowBatch>,
  namesOf: () => readonly string[] | null,
  fields: readonly string[],
  way: UnknownWay | undefined,
): AsyncGenerator<RowBatch> {
  let places: Places | null | undefined;
  for await (const batch of batches) {
    if (places === undefined) places = placesOf(namesOf() ?? fields, fields);
    const at = places;
    yield at === null ? batch : placed(batch, at, way);
  }
}
/** Where each field stands in the file, and the columns that the dataset has no field for. */
interface Places {
  readonly at: readonly number[];
  readonly others: readonly { readonly name: string; readonly at: number }[];
}
function placed(batch: RowBatch, { at, others }: Places, way: UnknownWay | undefined): RowBatch {
  const counter = new UnknownCounter(way);
  const { rows, unknown } = mapped(batch, (row, number) => {
    if (row instanceof Unreadable) return row;
    for (const other of others) if ((row[other.at] ?? '') !== '') counter.see(other.name, number);
    const refusal = counter.refusal(number);
    if (refusal !== null) return new Unreadable(refusal, textOf(row));
    return at.map((i) => (i < 0 ? null : (row[i] ?? null)));
  });
  const left = mergeUnknown([unknown, counter.take().unknown]);
  return { firstRow: batch.firstRow, rows, ...(left.size > 0 ? { unknown: left } : {}) };
}
/** Null where the fields stand in the file as they are wanted. */
function placesOf(names: readonly string[], fields: readonly string[]): Places | null {
  const same = names.length === fields.length && names.every((name, i) => name === fields[i]);
  if (same) return null;
  const known = new Set(fields);
  const others = names.map((name, at) => ({ name, at })).filter(({ name }) => !known.has(name));
  const places = new Map(names.map((name, at) => [name, at]));
  return { at: fields.map((field) => places.get(field) ?? -1), others };
}
function mapped(batch: RowBatch, map: (row: RawRow, number: number) => RawRow): RowBatch {
  return { ...batch, rows: batch.rows.map((row, i) => map(row, batch.firstRow + i)) };
}
function asWideAs(row: RawRow, width: number): RawRow {
  if (row instanceof Unreadable || row.slice(width).every((c) => c === null)) return row;
  return new Unreadable(`It has ${row.length} cells; the others of the dataset have ${width}.`, textOf(row));
}
const textOf = (row: readonly (string | null)[]): string =>
  row
    .map((c) => c ?? '')
    .join(' ')
    .slice(0, 200);

/** A file of a dataset, by its path and by the name that people know it by. */
export interface DatasetFile {
  readonly path: string;
  readonly name: string;
  /** How it was when it was chosen, where that counts. */
  readonly bytes?: number;
  readonly changed?: number;
}
export const stateOf = ({ bytes, changed }: DatasetFile): FileState | null =>
  bytes === undefined || changed === undefined ? null : { bytes, changed };
/** Consecutive records of one file of a dataset. */
export interface DatasetBatch extends RowBatch {
  readonly file: string;
  /** The number of the first one among all records of the dataset; `firstRow` is that within the file. */
  readonly firstInDataset: number;
}

/**
 * The records of all files of a dataset, one file after the other, numbered throughout. Throws a fault, with the name
 * of the file.
 */
export async function* datasetRecords(
  files: readonly DatasetFile[],
  format: FileFormat,
  fields: readonly string[] | null,
  count: (bytes: number) => void = () => undefined,
): AsyncGenerator<DatasetBatch> {
  let before = 0;
  for (const file of files) {
    const { path, name } = file;
    let last = 0;
    try {
      const records =
        format.kind === 'xlsx'
          ? sheetRecords({ path, name, format, fields, as: stateOf(file), count, checked: true })
          : recordsOf(path, name, format, count, fields, stateOf(file));
      for await (const batch of records) {
        last = batch.firstRow + batch.rows.length - 1;
        yield { ...batch, file: name, firstInDataset: before + batch.firstRow };
      }
    } catch (error) {
      throw isFault(error, 'unreadable') ? new Fault('unreadable', withName(name, error.message)) : error;
    }
    before += last;
  }
}
export const withName = (name: string, message: string): string =>
  message.includes(name) ? message : `${name}: ${message}`;

/** The records of a block, with its cells where the dataset has their fields. */
export function recordsOfBlock(block: Block, format: FileFormat, fields: readonly string[]): RowBatch {
  const batch = readBlock(block, format);
  const places = format.kind === 'delimited' && format.header ? placesOf(block.names, fields) : null;
  return places === null ? batch : placed(batch, places, format.unknown);
}
/** Whether files of this format can be cut into chunks without reading the records in them. */
export const comesInChunks = (format: FileFormat): boolean => blockCutter(format, []) !== null;

export interface ChunkWish {
  readonly cut: { readonly rows: number; readonly characters: number };
  readonly rowLimit: number | null;
  /** A chunk ends behind so many records, wherever it would end otherwise. */
  readonly settled: number;
}
/**
 * The records of all files of a dataset, cut into chunks that others read (`recordsOfBlock`). Where a chunk ends depends on
 * the records alone. Throws a fault, with the name of the file.
 */
export async function* datasetChunks(
  { files, format, fields }: { files: readonly DatasetFile[]; format: FileFormat; fields: readonly string[] },
  { cut, rowLimit, settled }: ChunkWish,
  count: (bytes: number) => void,
): AsyncGenerator<BlocksOfFile[]> {
  const chunks = new ChunkCutter(cut, format);
  let read = 0;
  let before = 0;
  for (const file of files) {
    const { name } = file;
    let last = 0;
    chunks.beginFile();
    for await (const block of blocksOf(file, format, fields, count)) {
      last = block.firstRow + rowsOf(block) - 1;
      for (let rest: Block | null = block; rest !== null && (rowLimit === null || read < rowLimit);) {
        const ends = [rowLimit, settled].filter((end) => end !== null && end > read) as number[];
        const [first, then]: [Block, Block | null] = splitBlock(
          rest,
          Math.min(...ends, Infinity) - read,
          Infinity,
          format,
        );
        yield* chunks.push({ block: first, file: name, before });
        read += rowsOf(first);
        if (read === settled) yield* chunks.takeIfAny();
        rest = then;
      }
      if (rowLimit !== null && read >= rowLimit) return yield* chunks.takeIfAny();
    }
    before += last;
  }
  yield* chunks.takeIfAny();
}
async function* blocksOf(
  file: DatasetFile,
  format: FileFormat,
  fields: readonly string[],
  count: (bytes: number) => void,
): AsyncGenerator<Block> {
  const { path, name } = file;
  const cutter = blockCutter(format, fields)!;
  try {
    for await (const bytes of counted(chunksOf(path, name, stateOf(file)), count)) yield* cutter.push(bytes);
    yield* cutter.end();
  } catch (error) {
    throw isFault(error, 'unreadable') ? new Fault('unreadable', withName(name, error.message)) : error;
  }
}
