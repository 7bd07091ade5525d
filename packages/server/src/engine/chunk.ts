import {
  chunkEncodings,
  HighestSeen,
  compileMapping,
  isPlaceField,
  KeyPacker,
  keyReader,
  keyTexts,
  madeAnew,
  mergeUnknown,
  outputText,
  RecordFeed,
  sourceFieldsFor,
  timestampOfMillis,
  Unreadable,
  type ChunkEncoder,
  type Column,
  type CompiledMapping,
  type Content,
  type DeliveredKey,
  type Failure,
  type Fed,
  type HighestValue,
  type KeyTexts,
  type MappingDocument,
  type Outcome,
  type RawRow,
  type RecordPlace,
  type UnknownValues,
  type Value,
} from '@versicle/core';
import { Digests } from './changes/digests.ts';
import { Learned, originOf, placeOfKey, unchangedAt, type MappedBefore } from './changes/mapped-before.ts';
import { keyCellsOf, SeenKeys } from './changes/seen-keys.ts';
import { beforeOfPlan, marksOfPlan } from '../systems/kinds/kind.ts';
import type { ChunkCounts, FailedRow, MapJob, MappedChunk, Refused, Seen } from './messages.ts';
import { identityOf, labelOf, WentWell } from './went-well.ts';

/** Where consecutive records come from: one file, or failed records that are sent again. */
export interface Origin {
  /** Where the first one stands. */
  readonly first: RecordPlace;
  readonly replay: MapJob['replay'];
  /** One of the records, when the target has refused it. */
  readonly row: (at: number) => RawRow;
}
function placeAt({ first, replay }: Origin, at: number): RecordPlace {
  const again = replay?.[at];
  return again ?? { row: first.row + at, fileRow: first.fileRow + at, file: first.file };
}

/** With the file that it was met in. */
export const unreadOf = (unknown: UnknownValues | undefined, file: string | null): MappedChunk['unread'] =>
  new Map([...(unknown ?? [])].map(([path, of]) => [path, { ...of, file }]));

/** Records that are settled together: what goes to the target, and what is kept of those that don't. */
export class Chunk {
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
  private readonly records: FailedRow[] = [];
  private readonly sequences: number[] = [];
  stopped: number | null = null;
  /** What its records have and nothing is made of. */
  private unread: MappedChunk['unread'] = new Map();

  /** Open failures that are noticed to go well. */
  private readonly noticed = new Set<number>();
  private content: Content | null = null;
  private digests: Uint8Array = NO_DIGESTS;
  private learned: Uint8Array = NO_DIGESTS;
  /** Records that the target has as they are, which shows without mapping them. */
  private unchanged = 0;
  private readonly keyCells: string[] = [];
  private readonly sourceCells: string[] = [];
  private seen: Seen | null = null;
  private highest: HighestValue | null = null;
  private letThrough = 0;

  constructor(
    private readonly mapper: Mapper,
    /** Replayed duplicates, which may only come in as new records. */
    readonly insertOnly: boolean,
    /** Where others look at keys: those that came before, by the places of the records that are let through here. */
    private readonly twice: ReadonlyMap<number, readonly number[]> = new Map(),
  ) {}

  /** Of the records that begin with this one: what their structure does not know. */
  leaves(unknown: UnknownValues | undefined, file: string | null): void {
    if (unknown !== undefined) this.unread = mergeUnknown([this.unread, unreadOf(unknown, file)]);
  }
  add(origin: Origin, at: number, read: RawRow): void {
    const again = origin.replay?.[at] ?? null;
    this.counts.read++;
    this.characters += charactersOf(read);
    const readAs = this.mapper.originOf(read);
    if (readAs !== null && this.isUnchanged(readAs, origin, at, read)) return;
    const fed = this.mapper.feed.take(read, placeAt(origin, at), again);
    const learns = this.mapper.feed.askedBeyond || fed.outcome.stop ? null : readAs;
    if (fed.outcome.stop) this.stopped = fed.place.row;
    if (this.mapper.packer === null || fed.outcome.kind !== 'written') return this.settle(fed, origin, at, learns);
    const before = this.twice.get(this.letThrough++);
    const outcome = before === undefined ? fed.outcome : this.mapper.feed.refusedFor(fed.outcome, before);
    this.mapper.packer.add(this.mapper.keysOf(fed.outcome.values));
    this.settle({ ...fed, outcome }, origin, at, learns);
  }
  /** Counts a record that the target has as it is. One whose key came before in this run is mapped, and refused. */
  private isUnchanged(readAs: Uint8Array, origin: Origin, at: number, read: RawRow): boolean {
    const { mapper } = this;
    const place = unchangedAt(mapper.before!, readAs);
    if (place < 0 || this.twice.has(this.letThrough)) return false;
    this.letThrough++;
    this.unchanged++;
    mapper.packer!.add([place]);
    if (mapper.well !== null) this.noticeRead(mapper.well, placeAt(origin, at), read as SourceCells, false);
    return true;
  }

  private settle(fed: Fed, origin: Origin, at: number, learns: Uint8Array | null): void {
    const { outcome } = fed;
    const again = origin.replay?.[at] ?? null;
    this.counts[outcome.kind]++;
    this.mapper.seen?.see(fed);
    const isLeft = outcome.kind === 'filtered' && this.mapper.job.narrowed;
    if (outcome.kind !== 'failed' && !isLeft && this.mapper.well !== null) this.notice(fed);
    if (outcome.kind === 'written') this.write(fed, origin, at, learns);
    else if (outcome.kind === 'failed')
      this.failed.push(this.mapper.failedRow(fed, again, this.mapper.mappedOf(outcome.values), outcome.failures));
    else if (again) this.close(again.id, outcome);
  }
  private notice({ place, raw, outcome: { kind, values, remarks } }: Fed): void {
    const { columns, keyIndexes } = this.mapper;
    const well = this.mapper.well!;
    const remarked = remarks.length > 0;
    this.noticeRead(well, place, raw as SourceCells, remarked);
    if (kind !== 'written' || !well.wantsKeys) return;
    const key = keyIndexes.map((i) => outputText(values[i] ?? null, columns[i]!.type));
    for (const id of well.key(JSON.stringify(key), remarked)) this.noticed.add(id);
  }

  private noticeRead(well: WentWell, place: RecordPlace, row: SourceCells, remarked: boolean): void {
    const label = labelOf(this.mapper.feed.composed ? this.mapper.ownCells(row) : row);
    for (const id of well.read(label, () => this.mapper.sourceOf(row), remarked)) this.noticed.add(id);
    if (well.wantsPlaces) for (const id of well.place(`${place.file ?? ''}:${place.fileRow}`)) this.noticed.add(id);
  }

  /** `learns`: what was read, where nothing else decides what becomes of it. */
  private write(fed: Fed, origin: Origin, at: number, learns: Uint8Array | null): void {
    const { mapper } = this;
    const { job } = mapper;
    const { values, remarks } = fed.outcome;
    const again = origin.replay?.[at];
    if (mapper.keyOf !== null) this.keys.push(mapper.keyOf(fed.values, values));
    if (mapper.numbered) this.sequences.push(mapper.feed.given);
    if (again) this.settled.push({ id: again.id, what: 'delivered', index: this.ats.length, message: '' });
    if (job.queued) {
      const id = mapper.idOf(origin, at);
      const sequence = mapper.numbered ? mapper.feed.given : null;
      this.ids.push(id);
      this.records.push({
        ...mapper.failedRow(fed, again ?? null, {}, [], refusedPrefix(fed.place)),
        deliveryKey: id,
        sequence,
      });
    }
    mapper.encoder.add(values);
    mapper.digests?.add(values);
    if (learns !== null && remarks.length === 0 && mapper.digests!.keyOf(values) !== null)
      mapper.learned.add(learns, mapper.digests!.last);
    if (job.remembersKeys) this.keyCells.push(keyCellsOf(mapper.columns, values, mapper.keyIndexes));
    // What was written could be read.
    if (mapper.sourceKey !== null)
      this.sourceCells.push(JSON.stringify(mapper.sourceKey.map((i) => (fed.raw as SourceCells)[i] ?? null)));
    mapper.highest?.see(fed.values);
    this.origins.push(origin);
    this.ats.push(at);
    if (remarks.length === 0) return;
    this.counts.remarks += remarks.length;
    this.failed.push({
      ...mapper.failedRow(fed, null, mapper.mappedOf(values), remarks, 'remark:'),
      remark: true,
      index: this.ats.length - 1,
    });
  }
  private close(id: number, { kind, skip }: Outcome): void {
    const message = kind === 'filtered' ? 'the filter leaves it out now' : `skipped by ${skip}`;
    this.settled.push({ id, what: 'closed', index: -1, message });
  }

  /** All its records are there: the next one that is added to any chunk begins with an empty encoder. */
  seal(): void {
    if (this.content !== null) return;
    const { job, encoder, digests, learned, highest, seen } = this.mapper;
    this.content = { encoding: job.encoding, of: encoder.take() } as Content;
    this.digests = digests?.take() ?? NO_DIGESTS;
    this.learned = learned.take();
    this.seen = seen?.take() ?? null;
    this.highest = highest?.take() ?? null;
  }
  /** What it has become. `bytes`: how far the source is read. */
  message(chunk: number, bytes: number): MappedChunk {
    this.seal();
    const { job, columns, feed, well, anew } = this.mapper;
    const {
      counts,
      insertOnly,
      failed,
      settled,
      stopped,
      unread,
      keys,
      ids,
      records,
      digests,
      learned,
      keyCells,
      sourceCells,
      seen,
      unchanged,
      highest,
    } = this;
    const content = this.content!;
    well?.add(this.noticed);
    const { key } = job.document.target;
    return {
      kind: 'chunk',
      chunk,
      counts,
      bytes,
      sequence: feed.sequence,
      parts: [{ dataset: job.dataset, columns, key, anew, rows: counts.written, content, ids }],
      insertOnly,
      failed,
      settled,
      stopped,
      unread,
      keys,
      records,
      digests,
      learned,
      keyCells,
      sourceCells,
      seen,
      unchanged,
      highest,
    };
  }

  /** The full records of those that the target refused. Their identity goes by their row: asked for late, out of turn. */
  refused(items: readonly Refused[]): FailedRow[] {
    const { mapper } = this;
    const { columns, feed } = mapper;
    return items.map(({ index, failure, cells, answer }) => {
      const origin = this.origins[index]!;
      const at = this.ats[index]!;
      const raw = origin.row(at);
      const again = origin.replay?.[at] ?? null;
      const record = again ? { place: again, raw } : feed.place(raw, placeAt(origin, at));
      const mapped = Object.fromEntries(columns.map((c, i) => [c.name, cells[i] ?? null]));
      return {
        ...mapper.failedRow(record, again, mapped, [failure], refusedPrefix(record.place)),
        sequence: this.sequences[index] ?? null,
        answer,
      };
    });
  }
}

const NO_DIGESTS = new Uint8Array(0);

function charactersOf(raw: RawRow): number {
  if (raw instanceof Unreadable) return raw.raw.length;
  let sum = 0;
  for (const cell of raw) if (cell !== null) sum += cell.length;
  return sum;
}

/** What maps the records of a job in one thread: the compiled document, its feed, and what it takes to tell of a record. */
export class Mapper {
  readonly names: readonly string[];
  readonly mapping: CompiledMapping;
  readonly columns: readonly Column[];
  readonly feed: RecordFeed;
  /** Takes the written records of the chunk that is being made. */
  readonly encoder: ChunkEncoder<unknown>;
  readonly keyOf: ReturnType<typeof keyReader>;
  readonly well: WentWell | null;
  readonly numbered: boolean;
  readonly keyIndexes: readonly number[];
  /** Fields that each record is given anew. */
  readonly anew: readonly string[];
  /** What is remembered of the written records of the chunk that is being made, and up to where they go. */
  readonly digests: Digests | null;
  readonly highest: HighestSeen | null;
  readonly seen: SeenKeys | null;
  /** What became of records before, and of those of the chunk that is being made. */
  readonly before: MappedBefore | null;
  readonly learned = new Learned();
  /** The places of the source's own key among its fields, where that is remembered. */
  readonly sourceKey: readonly number[] | null;
  /** Takes the keys of records that are let through, where others look at them; null where this mapper does itself. */
  readonly packer: KeyPacker | null;

  /** `keysElsewhere`: others map records of the same run, and keys are looked at by whoever sees all of them. */
  constructor(
    readonly job: MapJob,
    keysElsewhere: boolean,
  ) {
    this.names = job.source.fields.map((f) => f.name);
    const fields = sourceFieldsFor(job.document, this.names, marksOfPlan(job.source));
    this.mapping = compileMapping(job.document, fields);
    this.columns = this.mapping.columns.map((c) => ({ name: c.name, type: c.type.value }));
    this.encoder = chunkEncodings[job.encoding].encoder(this.columns) as ChunkEncoder<unknown>;
    this.keyOf = job.keepKeys ? keyReader(this.mapping) : null;
    this.well = job.open.length > 0 ? new WentWell(job.open, (source) => this.identityOf(source)) : null;
    this.numbered = isNumbered(job.document);
    this.keyIndexes = this.mapping.keys.find((k) => k.primary)?.indexes ?? [];
    const startedAt = timestampOfMillis(job.startedAt);
    const anew = madeAnew(job.document);
    this.anew = [...anew];
    this.digests = job.remembers ? new Digests(this.columns, this.keyIndexes, anew) : null;
    this.highest = job.watermark === null ? null : new HighestSeen(this.mapping, job.watermark, startedAt);
    this.feed = new RecordFeed(this.mapping, {
      startedAt,
      keyMaps: job.keyMaps,
      variables: job.variables,
      run: job.run,
      before: beforeOfPlan(job.source),
      keysElsewhere,
    });
    this.seen = job.sees ? new SeenKeys(this.feed, this.columns, this.keyIndexes) : null;
    this.sourceKey = job.sourceKey?.map((name) => this.names.indexOf(name)) ?? null;
    this.before = keysElsewhere && this.digests !== null && this.isToldByKey() ? job.before : null;
    this.packer = keysElsewhere ? new KeyPacker(this.mapping.keys.length) : null;
    this.feed.sequence = job.sequenceFrom;
  }

  /** Throws what stands against mapping anything. */
  requireSound(): void {
    const errors = this.mapping.problems.filter((p) => p.severity === 'error');
    if (errors.length > 0)
      throw new Error(errors.map((p) => `${p.line ? `Line ${p.line}: ` : ''}${p.message}`).join(' '));
  }

  /** Whether the one key of a record is told apart just as it is remembered: of other types, values that are written differently are equal. */
  private isToldByKey(): boolean {
    const { keys } = this.mapping;
    return keys.length === 1 && keys[0]!.primary && this.keyIndexes.every((i) => PLAIN.has(this.columns[i]!.type));
  }
  /** In short what was read, where it may be known what becomes of it. */
  originOf(read: RawRow): Uint8Array | null {
    if (this.before === null || read instanceof Unreadable || read.length !== this.names.length) return null;
    return originOf(read);
  }
  /** What a record that is let through is told apart by: of a key that is known its place among the known ones. */
  keysOf(values: readonly Value[]): KeyTexts {
    const key = this.before === null ? null : this.digests!.keyOf(values);
    const place = key === null ? -1 : placeOfKey(this.before!.keys, key);
    return place < 0 ? keyTexts(values, this.mapping) : [place];
  }

  /** What the target may know a record by: it stays the same when the record is sent again, in this run or in a replay. */
  idOf(origin: Origin, at: number): string {
    return origin.replay?.[at]?.deliveryKey ?? `${this.job.uid}-${origin.first.row + at}`;
  }
  mappedOf(values: readonly Value[]): Record<string, string | null> {
    return Object.fromEntries(this.columns.map((c, i) => [c.name, outputText(values[i] ?? null, c.type)]));
  }
  sourceOf(raw: SourceCells): Record<string, string | null> {
    const source = Object.create(null) as Record<string, string | null>;
    for (const [i, name] of this.names.entries())
      if (!this.feed.composed || !isPlaceField(name)) source[name] = raw[i] ?? null;
    return source;
  }
  /** By the fields that the source had first: what comes to be there besides makes no other record of it. */
  identityOf(source: Readonly<Record<string, string | null>>): string {
    const { identity } = this.job;
    if (identity === null) return identityOf(source);
    return identityOf(Object.fromEntries(identity.map((name) => [name, source[name] ?? null])));
  }
  *ownCells(row: SourceCells): Generator<string | null> {
    for (const [i, name] of this.names.entries()) if (!isPlaceField(name)) yield row[i] ?? null;
  }

  /** What is kept of a record. */
  failedRow(
    { place: { row, fileRow, file }, raw }: Pick<Fed, 'place' | 'raw'>,
    replayed: { readonly id: number } | null,
    mapped: Readonly<Record<string, string | null>>,
    failures: readonly Failure[],
    prefix = '',
  ): FailedRow {
    const source = raw instanceof Unreadable ? { row: raw.raw } : this.sourceOf(raw);
    const identity = `${prefix}${raw instanceof Unreadable ? identityOf(source) : this.identityOf(source)}`;
    const label = raw instanceof Unreadable ? raw.raw.slice(0, 80) : labelOf(Object.values(source));
    const known = { row, fileRow, file, identity, label, source, mapped, failures, remark: false };
    return { ...known, replayed: replayed?.id ?? null, index: null, deliveryKey: null, sequence: null, answer: null };
  }
}
/** Types of which equal values are written alike. */
const PLAIN: ReadonlySet<string> = new Set(['text', 'int2', 'int4', 'int8', 'uuid', 'date', 'bool']);
type SourceCells = readonly (string | null)[];
/** A record that the target refuses is another failure than one of the mapping, and each row one of its own. */
const refusedPrefix = ({ row }: RecordPlace): string => `row ${row}:`;

/** Whether the document numbers its records; such a run is mapped in one thread, since each number depends on what came before. */
export function isNumbered(document: MappingDocument): boolean {
  return document.lines.some((l) => l.kind === 'generated' && (l.generate ?? 'uuid') === 'sequence');
}

/** Records that fail and are the same are told apart by how many came before: so the same record has the same identity in each run. */
export class Occurrences {
  private readonly seen = new Map<string, number>();

  /** Chunk after chunk, in the order of the source. */
  number(chunk: MappedChunk): MappedChunk {
    const failed = chunk.failed.map((row) => {
      const occurrence = (this.seen.get(row.identity) ?? 0) + 1;
      this.seen.set(row.identity, occurrence);
      return occurrence === 1 ? row : { ...row, identity: `${row.identity}#${occurrence}` };
    });
    return { ...chunk, failed };
  }
}
