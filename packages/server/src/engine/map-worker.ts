import { parentPort, workerData } from 'node:worker_threads';
import {
  ByteWriter,
  compileMapping,
  copyCells,
  copyLine,
  FormatError,
  keyReader,
  MappingRun,
  placeReader,
  isPlaceField,
  outputText,
  rowTyper,
  sourceFieldsFor,
  timestampOfMillis,
  Unreadable,
  unreadableFailure,
  type DeliveredKey,
  type Failure,
  type Outcome,
  type RawRow,
  type Value,
} from '@versicle/core';
import { recordsOf } from '@versicle/files';
import { marksOfPlan } from '../systems/kinds/kind.ts';
import type { ChunkCounts, FailedRow, FromMapper, MapJob, MappedChunk, Refused, ToMapper } from './messages.ts';
import { identityOf, labelOf, WentWell } from './went-well.ts';

/** Reads and maps in a thread of its own: while one chunk is delivered, the next is made; never more than two are out. */

const job = workerData as MapJob;
const port = parentPort!;
const names = job.source.fields.map((f) => f.name);
const fields = sourceFieldsFor(job.document, names, marksOfPlan(job.source));
const mapping = compileMapping(job.document, fields);
const columns = mapping.columns.map((c) => ({ name: c.name, type: c.type.value }));
const keyOf = job.keepKeys ? keyReader(mapping) : null;
const toTyped = rowTyper(fields);
const well = job.open.length > 0 ? new WentWell(job.open) : null;
const numbered = job.document.lines.some((l) => l.kind === 'generated' && (l.generate ?? 'uuid') === 'sequence');
const keyIndexes = mapping.keys.find((k) => k.primary)?.indexes ?? [];
/** Composed records carry their place in the primary dataset. */
const placed = placeReader(names);
const send = (message: FromMapper, transfer: ArrayBuffer[] = []): void => port.postMessage(message, transfer);
let bytes = 0;

/** Where consecutive records come from: one file, or failed records that are sent again. */
interface Origin {
  /** Number of the first one in the dataset, and in its file. */
  readonly first: number;
  readonly firstInFile: number;
  readonly file: string | null;
  readonly replay: MapJob['replay'];
  /** The records themselves once more, for when the target refuses one. */
  readonly again: () => readonly RawRow[];
}
interface SourceBatch {
  readonly origin: Origin;
  readonly rows: readonly RawRow[];
}
interface Place {
  readonly row: number;
  readonly fileRow: number;
  readonly file: string | null;
  readonly replayed: number | null;
}
function placeOf(origin: Origin, at: number, raw: RawRow | null): Place {
  const again = origin.replay?.[at];
  if (again) return { row: again.row, fileRow: again.row, file: again.file, replayed: again.id };
  if (placed && raw !== null) {
    const { number, file } = placed(raw);
    const row = number ?? origin.first + at;
    return { row, fileRow: row, file, replayed: null };
  }
  return { row: origin.first + at, fileRow: origin.firstInFile + at, file: origin.file, replayed: null };
}

async function* sourceBatches(): AsyncGenerator<SourceBatch> {
  if (job.replay) {
    const rows = job.replay.map((r) => names.map((n) => r.source[n] ?? null));
    yield { rows, origin: { first: 1, firstInFile: 1, file: null, replay: job.replay, again: () => rows } };
    return;
  }
  let before = 0;
  for (const file of job.source.files) {
    let last = 0;
    try {
      const count = (n: number): void => void (bytes += n);
      const batches = recordsOf(file.path, file.name, job.source.format, count, names);
      for await (const { firstRow, rows, again } of batches) {
        last = firstRow + rows.length - 1;
        const first = before + firstRow;
        yield { rows, origin: { first, firstInFile: firstRow, file: file.name, replay: null, again } };
      }
    } catch (error) {
      const { message } = error as Error;
      const sentence =
        error instanceof FormatError ? `${file.name}: ${message}` : `${file.name} can't be read: ${message}`;
      throw new Error(sentence, { cause: error });
    }
    before += last;
  }
}
/** COPY text of the chunk that is being made. */
const copyText = new ByteWriter(1024 * 1024);

class Chunk {
  readonly counts: ChunkCounts = { read: 0, filtered: 0, skipped: 0, failed: 0, written: 0, remarks: 0 };
  /** Of the records as read. */
  characters = 0;
  private readonly failed: FailedRow[] = [];
  private readonly settled: MappedChunk['settled'][number][] = [];
  /**
   * Where the written records came from, for when the target refuses one. The rows themselves are read again then: kept as
   * objects, thousands of them would be moved about by the garbage collector until the chunk is settled.
   */
  private readonly origins: Origin[] = [];
  private readonly ats: number[] = [];
  private readonly keys: (DeliveredKey | null)[] = [];
  private readonly ids: string[] = [];
  private readonly sequences: number[] = [];
  stopped: number | null = null;

  /** `insertOnly`: replayed duplicates, which may only come in as new records. */
  constructor(readonly insertOnly: boolean) {}

  add(mapper: MappingRun, { origin, rows }: SourceBatch, at: number): void {
    this.counts.read++;
    const raw = rows[at]!;
    this.characters += charactersOf(raw);
    const known = raw instanceof Unreadable || !placed ? raw : placed(raw).row;
    const row = known instanceof Unreadable ? known : fitted(known);
    const values = row instanceof Unreadable || toTyped === null ? row : toTyped(row);
    if (values instanceof Unreadable) {
      const place = placeOf(origin, at, raw);
      this.counts.failed++;
      const failure = unreadableFailure(values, place.file ?? 'the source', place.fileRow);
      this.failed.push(failedRow(known, place, mappedOf([]), [failure]));
      return;
    }
    const again = origin.replay?.[at];
    const own = again || !placed ? null : placed(raw);
    if (own) mapper.fileName = own.file;
    const rowNumber = again ? again.row : own ? own.number : origin.first + at;
    const outcome = mapper.apply(values, rowNumber, again?.sequence ?? undefined);
    this.counts[outcome.kind]++;
    if (outcome.kind !== 'failed' && well !== null) this.notice(outcome, origin, at, row as SourceCells);
    if (outcome.kind === 'written') {
      if (keyOf !== null) this.keys.push(keyOf(values, outcome.values));
      if (numbered) this.sequences.push(mapper.given);
      this.write(row as SourceCells, origin, at, outcome);
    } else if (outcome.kind === 'failed')
      this.failed.push(failedRow(raw, placeOf(origin, at, raw), mappedOf(outcome.values), outcome.failures));
    else if (again) this.close(again.id, outcome);
    if (outcome.stop) this.stopped = origin.first + at;
  }
  private notice({ kind, values, remarks }: Outcome, origin: Origin, at: number, row: SourceCells): void {
    const remarked = remarks.length > 0;
    well!.read(labelOf(placed ? ownCells(row) : row), () => sourceOf(row), remarked);
    if (well!.wantsPlaces) {
      const place = placeOf(origin, at, row);
      well!.place(`${place.file ?? ''}:${place.row}`);
    }
    if (kind !== 'written' || !well!.wantsKeys) return;
    const key = keyIndexes.map((i) => outputText(values[i] ?? null, columns[i]!.type));
    well!.key(JSON.stringify(key), remarked);
  }

  private write(row: SourceCells, origin: Origin, at: number, { values, remarks }: Outcome): void {
    const again = origin.replay?.[at];
    if (again) this.settled.push({ id: again.id, what: 'delivered', index: this.ats.length, message: '' });
    if (job.wantsIds) this.ids.push(idOf(origin, at));
    copyLine(copyText, values, columns);
    this.origins.push(origin);
    this.ats.push(at);
    if (remarks.length === 0) return;
    this.counts.remarks += remarks.length;
    const place = { ...placeOf(origin, at, row), replayed: null };
    this.failed.push({
      ...failedRow(row, place, mappedOf(values), remarks, 'remark:'),
      remark: true,
      index: this.ats.length - 1,
    });
  }
  private close(id: number, { kind, skip }: Outcome): void {
    const message = kind === 'filtered' ? 'the filter leaves it out now' : `skipped by ${skip}`;
    this.settled.push({ id, what: 'closed', index: -1, message });
  }

  message(chunk: number, sequence: number): MappedChunk {
    const { counts, insertOnly, failed, settled, stopped, keys, ids } = this;
    return {
      kind: 'chunk',
      chunk,
      counts,
      bytes,
      sequence,
      copy: copyText.take(),
      insertOnly,
      failed,
      settled,
      stopped,
      keys,
      ids,
    };
  }

  /** The full records of those that the target refused. Their identity goes by their row: asked for late, out of turn. */
  refused(items: readonly Refused[]): FailedRow[] {
    const read = new Map<Origin, readonly RawRow[]>();
    return items.map(({ index, failure, line, answer }) => {
      const origin = this.origins[index]!;
      const at = this.ats[index]!;
      const rows = read.get(origin) ?? origin.again();
      read.set(origin, rows);
      const place = placeOf(origin, at, rows[at]!);
      const cells = copyCells(line);
      const mapped = Object.fromEntries(columns.map((c, i) => [c.name, cells[i] ?? null]));
      return {
        ...failedRow(fitted(rows[at] as SourceCells), place, mapped, [failure], `row ${place.row}:`),
        deliveryKey: job.wantsIds ? idOf(origin, at) : null,
        sequence: this.sequences[index] ?? null,
        answer,
      };
    });
  }
}

/** What the target may know a record by: it stays the same when the record is sent again, in this run or in a replay. */
function idOf(origin: Origin, at: number): string {
  return origin.replay?.[at]?.deliveryKey ?? `${job.uid}-${origin.first + at}`;
}
function charactersOf(raw: RawRow): number {
  if (raw instanceof Unreadable) return raw.raw.length;
  let sum = 0;
  for (const cell of raw) if (cell !== null) sum += cell.length;
  return sum;
}

type SourceCells = readonly (string | null)[];
function fitted(row: readonly (string | null)[]): readonly (string | null)[] {
  if (row.length === names.length) return row;
  return row.length > names.length
    ? row.slice(0, names.length)
    : [...row, ...new Array<null>(names.length - row.length).fill(null)];
}

function mappedOf(values: readonly Value[]): Record<string, string | null> {
  return Object.fromEntries(columns.map((c, i) => [c.name, outputText(values[i] ?? null, c.type)]));
}

const occurrences = new Map<string, number>();
/** What is kept of a record: the same record that fails in the next run has the same identity. */
function failedRow(
  raw: RawRow,
  { row, file, replayed }: Place,
  mapped: Readonly<Record<string, string | null>>,
  failures: readonly Failure[],
  prefix = '',
): FailedRow {
  const source = raw instanceof Unreadable ? { row: raw.raw } : sourceOf(raw);
  const key = `${prefix}${identityOf(source)}`;
  const occurrence = (occurrences.get(key) ?? 0) + 1;
  occurrences.set(key, occurrence);
  const label = raw instanceof Unreadable ? raw.raw.slice(0, 80) : labelOf(Object.values(source));
  const identity = occurrence === 1 ? key : `${key}#${occurrence}`;
  const failed = { row, file, identity, label, source, mapped, failures, remark: false, replayed };
  return { ...failed, index: null, deliveryKey: null, sequence: null, answer: null };
}
function sourceOf(raw: SourceCells): Record<string, string | null> {
  const source = Object.create(null) as Record<string, string | null>;
  for (const [i, name] of names.entries()) if (!placed || !isPlaceField(name)) source[name] = raw[i] ?? null;
  return source;
}
function* ownCells(row: SourceCells): Generator<string | null> {
  for (const [i, name] of names.entries()) if (!isPlaceField(name)) yield row[i] ?? null;
}

/** Chunks that are out and not settled yet, by their number. */
const out = new Map<number, Chunk>();
let roomMade: () => void = () => undefined;
port.on('message', (message: ToMapper) => {
  if (message.kind === 'settled') {
    out.delete(message.chunk);
    roomMade();
  } else {
    send({ kind: 'rejected', rows: out.get(message.chunk)!.refused(message.items) });
  }
});
async function untilOut(atMost: number): Promise<void> {
  while (out.size > atMost) await new Promise<void>((resolve) => (roomMade = resolve));
}
async function hand(message: MappedChunk, chunk: Chunk): Promise<void> {
  await untilOut(1);
  out.set(message.chunk, chunk);
  send(message, [message.copy.buffer as ArrayBuffer]);
}

async function main(): Promise<void> {
  const errors = mapping.problems.filter((p) => p.severity === 'error');
  if (errors.length > 0) {
    const message = errors.map((p) => `${p.line ? `Line ${p.line}: ` : ''}${p.message}`).join(' ');
    return send({ kind: 'broken', message });
  }
  const mapper = new MappingRun(mapping, { startedAt: timestampOfMillis(job.startedAt), keyMaps: job.keyMaps });
  mapper.number = job.sequenceFrom;
  const { settled, cut } = job;
  let number = settled.chunk;
  let read = 0;
  let chunk = new Chunk(false);
  const flush = async (insertOnly: boolean): Promise<void> => {
    // The text of a chunk is taken also where it arrived in an earlier life of the run: the next one begins with none.
    const message = chunk.message(number + 1, mapper.number);
    if (read > settled.read || settled.read === 0) {
      number++;
      await hand(message, chunk);
    }
    chunk = new Chunk(insertOnly);
  };
  let stopped = false;
  batches: for await (const batch of sourceBatches())
    for (let at = 0; at < batch.rows.length; at++) {
      if (job.rowLimit !== null && read >= job.rowLimit) break batches;
      const insertOnly = batch.origin.replay?.[at]?.duplicate ?? false;
      if (insertOnly !== chunk.insertOnly) {
        if (chunk.counts.read > 0) await flush(insertOnly);
        else chunk = new Chunk(insertOnly);
      }
      read++;
      mapper.fileName = batch.origin.replay?.[at]?.file ?? batch.origin.file;
      chunk.add(mapper, batch, at);
      stopped = chunk.stopped !== null;
      if (stopped) break batches;
      // The next chunk begins right after the last record that was settled, wherever it was cut then.
      const resumes = read === settled.read;
      if (resumes || chunk.counts.read >= cut.rows || chunk.characters >= cut.characters) await flush(insertOnly);
      if (resumes) mapper.number = settled.sequence ?? mapper.number;
    }
  // Also a source without records is one chunk: a target that is replaced must become empty.
  if (chunk.counts.read > 0 || number === 0) await flush(false);
  await untilOut(0);
  send({ kind: 'end', bytes, stopped, well: well?.ids ?? [] });
}

main().catch((error: Error) => send({ kind: 'broken', message: error.message }));
