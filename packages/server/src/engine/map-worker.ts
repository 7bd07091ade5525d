import { parentPort, workerData } from 'node:worker_threads';
import {
  compileMapping,
  chunkEncodings,
  isPlaceField,
  keyReader,
  outputText,
  RecordFeed,
  sourceFieldsFor,
  timestampOfMillis,
  Unreadable,
  buffersOf,
  type Content,
  type DeliveredKey,
  type ChunkEncoder,
  type Failure,
  type Fed,
  type Outcome,
  type RawRow,
  type RecordPlace,
  type Value,
} from '@versicle/core';
import { datasetRecords } from '@versicle/files';
import { beforeOfPlan, marksOfPlan } from '../systems/kinds/kind.ts';
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
const well = job.open.length > 0 ? new WentWell(job.open) : null;
const numbered = job.document.lines.some((l) => l.kind === 'generated' && (l.generate ?? 'uuid') === 'sequence');
const keyIndexes = mapping.keys.find((k) => k.primary)?.indexes ?? [];
const feed = new RecordFeed(mapping, {
  startedAt: timestampOfMillis(job.startedAt),
  keyMaps: job.keyMaps,
  before: beforeOfPlan(job.source),
});
const send = (message: FromMapper, transfer: ArrayBuffer[] = []): void => port.postMessage(message, transfer);
let bytes = 0;

/** Where consecutive records come from: one file, or failed records that are sent again. */
interface Origin {
  /** Where the first one stands. */
  readonly first: RecordPlace;
  readonly replay: MapJob['replay'];
  readonly rows: readonly RawRow[];
}
function placeAt({ first, replay }: Origin, at: number): RecordPlace {
  const again = replay?.[at];
  return again ?? { row: first.row + at, fileRow: first.fileRow + at, file: first.file };
}

async function* origins(): AsyncGenerator<Origin> {
  if (job.replay) {
    const rows = job.replay.map((r) => names.map((n) => r.source[n] ?? null));
    const first = { row: 1, fileRow: 1, file: null };
    yield { first, replay: job.replay, rows };
    return;
  }
  const count = (n: number): void => void (bytes += n);
  for await (const batch of datasetRecords(job.source.files, job.source.format, names, count)) {
    const { rows, file } = batch;
    yield { first: { row: batch.firstInDataset, fileRow: batch.firstRow, file }, replay: null, rows };
  }
}
/** Takes the written records of the chunk that is being made. */
const encoder = chunkEncodings[job.encoding].encoder(columns) as ChunkEncoder<unknown>;

class Chunk {
  readonly counts: ChunkCounts = { read: 0, filtered: 0, skipped: 0, failed: 0, written: 0, remarks: 0 };
  /** Of the records as read. */
  characters = 0;
  private readonly failed: FailedRow[] = [];
  private readonly settled: MappedChunk['settled'][number][] = [];
  /** Where the written records came from, for when the target refuses one. */
  private readonly origins: Origin[] = [];
  private readonly ats: number[] = [];
  private readonly keys: (DeliveredKey | null)[] = [];
  private readonly ids: string[] = [];
  private readonly sequences: number[] = [];
  stopped: number | null = null;

  /** `insertOnly`: replayed duplicates, which may only come in as new records. */
  constructor(readonly insertOnly: boolean) {}

  add(origin: Origin, at: number): void {
    const read = origin.rows[at]!;
    const again = origin.replay?.[at] ?? null;
    this.counts.read++;
    this.characters += charactersOf(read);
    const fed = feed.take(read, placeAt(origin, at), again);
    const { outcome } = fed;
    this.counts[outcome.kind]++;
    if (outcome.kind !== 'failed' && well !== null) this.notice(fed);
    if (outcome.kind === 'written') this.write(fed, origin, at);
    else if (outcome.kind === 'failed')
      this.failed.push(failedRow(fed, again, mappedOf(outcome.values), outcome.failures));
    else if (again) this.close(again.id, outcome);
    if (outcome.stop) this.stopped = fed.place.row;
  }
  private notice({ place, raw, outcome: { kind, values, remarks } }: Fed): void {
    const remarked = remarks.length > 0;
    const row = raw as SourceCells;
    well!.read(labelOf(feed.composed ? ownCells(row) : row), () => sourceOf(row), remarked);
    if (well!.wantsPlaces) well!.place(`${place.file ?? ''}:${place.fileRow}`);
    if (kind !== 'written' || !well!.wantsKeys) return;
    const key = keyIndexes.map((i) => outputText(values[i] ?? null, columns[i]!.type));
    well!.key(JSON.stringify(key), remarked);
  }

  private write(fed: Fed, origin: Origin, at: number): void {
    const { values, remarks } = fed.outcome;
    const again = origin.replay?.[at];
    if (keyOf !== null) this.keys.push(keyOf(fed.values, values));
    if (numbered) this.sequences.push(feed.given);
    if (again) this.settled.push({ id: again.id, what: 'delivered', index: this.ats.length, message: '' });
    if (job.wantsIds) this.ids.push(idOf(origin, at));
    encoder.add(values);
    this.origins.push(origin);
    this.ats.push(at);
    if (remarks.length === 0) return;
    this.counts.remarks += remarks.length;
    this.failed.push({
      ...failedRow(fed, null, mappedOf(values), remarks, 'remark:'),
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
    const content = { encoding: job.encoding, of: encoder.take() } as Content;
    const { key } = job.document.target;
    return {
      kind: 'chunk',
      chunk,
      counts,
      bytes,
      sequence,
      parts: [{ dataset: job.dataset, columns, key, rows: counts.written, content, ids }],
      insertOnly,
      failed,
      settled,
      stopped,
      keys,
    };
  }

  /** The full records of those that the target refused. Their identity goes by their row: asked for late, out of turn. */
  refused(items: readonly Refused[]): FailedRow[] {
    return items.map(({ index, failure, cells, answer }) => {
      const origin = this.origins[index]!;
      const at = this.ats[index]!;
      const raw = origin.rows[at]!;
      const again = origin.replay?.[at] ?? null;
      const record = again ? { place: again, raw } : feed.place(raw, placeAt(origin, at));
      const mapped = Object.fromEntries(columns.map((c, i) => [c.name, cells[i] ?? null]));
      return {
        ...failedRow(record, again, mapped, [failure], `row ${record.place.row}:`),
        deliveryKey: job.wantsIds ? idOf(origin, at) : null,
        sequence: this.sequences[index] ?? null,
        answer,
      };
    });
  }
}

/** What the target may know a record by: it stays the same when the record is sent again, in this run or in a replay. */
function idOf(origin: Origin, at: number): string {
  return origin.replay?.[at]?.deliveryKey ?? `${job.uid}-${origin.first.row + at}`;
}
function charactersOf(raw: RawRow): number {
  if (raw instanceof Unreadable) return raw.raw.length;
  let sum = 0;
  for (const cell of raw) if (cell !== null) sum += cell.length;
  return sum;
}

type SourceCells = readonly (string | null)[];

function mappedOf(values: readonly Value[]): Record<string, string | null> {
  return Object.fromEntries(columns.map((c, i) => [c.name, outputText(values[i] ?? null, c.type)]));
}

const occurrences = new Map<string, number>();
/** What is kept of a record: the same record that fails in the next run has the same identity. */
function failedRow(
  { place: { row, fileRow, file }, raw }: Pick<Fed, 'place' | 'raw'>,
  replayed: { readonly id: number } | null,
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
  const known = { row, fileRow, file, identity, label, source, mapped, failures, remark: false };
  return { ...known, replayed: replayed?.id ?? null, index: null, deliveryKey: null, sequence: null, answer: null };
}
function sourceOf(raw: SourceCells): Record<string, string | null> {
  const source = Object.create(null) as Record<string, string | null>;
  for (const [i, name] of names.entries()) if (!feed.composed || !isPlaceField(name)) source[name] = raw[i] ?? null;
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
  send(
    message,
    message.parts.flatMap((part) => buffersOf(part.content)),
  );
}

async function main(): Promise<void> {
  const errors = mapping.problems.filter((p) => p.severity === 'error');
  if (errors.length > 0) {
    const message = errors.map((p) => `${p.line ? `Line ${p.line}: ` : ''}${p.message}`).join(' ');
    return send({ kind: 'broken', message });
  }
  feed.sequence = job.sequenceFrom;
  const { settled, cut } = job;
  let number = settled.chunk;
  let read = 0;
  let chunk = new Chunk(false);
  const flush = async (insertOnly: boolean): Promise<void> => {
    // The text of a chunk is taken also where it arrived in an earlier life of the run: the next one begins with none.
    const message = chunk.message(number + 1, feed.sequence);
    if (read > settled.read || settled.read === 0) {
      number++;
      await hand(message, chunk);
    }
    chunk = new Chunk(insertOnly);
  };
  let stopped = false;
  reading: for await (const origin of origins())
    for (let at = 0; at < origin.rows.length; at++) {
      if (job.rowLimit !== null && read >= job.rowLimit) break reading;
      const insertOnly = origin.replay?.[at]?.duplicate ?? false;
      if (insertOnly !== chunk.insertOnly) {
        if (chunk.counts.read > 0) await flush(insertOnly);
        else chunk = new Chunk(insertOnly);
      }
      read++;
      chunk.add(origin, at);
      stopped = chunk.stopped !== null;
      if (stopped) break reading;
      // The next chunk begins right after the last record that was settled, wherever it was cut then.
      const resumes = read === settled.read;
      if (resumes || chunk.counts.read >= cut.rows || chunk.characters >= cut.characters) await flush(insertOnly);
      if (resumes) feed.sequence = settled.sequence ?? feed.sequence;
    }
  // Also a source without records is one chunk: a target that is replaced must become empty.
  if (chunk.counts.read > 0 || number === 0) await flush(false);
  await untilOut(0);
  send({ kind: 'end', bytes, stopped, well: well?.ids ?? [] });
}

main().catch((error: Error) => send({ kind: 'broken', message: error.message }));
