import { existsSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import type { RunSummary } from '@versicle/contract';
import {
  counted,
  isComposed,
  isLoaded,
  membersOf,
  mentionsDoc,
  parseDocument,
  parseFieldType,
  PLACE_FIELDS,
  type DeclaredMarks,
  type Failure,
  type MappingDocument,
} from '@versicle/core';
import type { Events } from '../http/events.ts';
import type { Database, Delivery, Rejection } from '../store/database.ts';
import type { KeyMaps } from '../key-maps/key-maps.ts';
import type { SourceSets } from '../source-sets/source-sets.ts';
import type { Systems } from '../systems/systems.ts';
import type { OpenSystem, SourcePlan, Target } from '../systems/kinds/kind.ts';
import { readRun } from '../runs/run-store.ts';
import type { FailedRow, FromMapper, MapJob, MappedChunk, ReplayRow, ToMapper } from './messages.ts';
import { fromJson, isoTime } from '../store/values.ts';
import { land } from './land.ts';
import { deliveryMode } from './write-mode.ts';
import { settleChunk, type Settled } from './settle.ts';

const CHUNK_ROWS = Number(process.env['VERSICLE_CHUNK_ROWS'] ?? 20_000);

/** A person ended a run before it mapped its first record. */
class Cancelled extends Error {}

interface RunRow {
  [key: string]: unknown;
  id: number;
  kind: 'full' | 'replay';
  mapping: string;
  revision: number;
  state: string;
  row_limit: string | null;
  chunk: number;
  started_at: string | null;
  source: SourcePlan | string | null;
}

/**
 * Carries out runs, one after the other: read and map in a worker thread, deliver chunk by chunk. Per chunk, the target's
 * rows and its journal entry are one transaction in the target; failed records, counters and the checkpoint are one
 * transaction in the store. A run that was cut off at any instant goes on from its checkpoint: the journal says whether the
 * chunk after it arrived already.
 */
export class Engine {
  private readonly queue: number[] = [];
  private working: Promise<void> | null = null;
  private current: { id: number; cancel: () => void } | null = null;
  private closed = false;

  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly sourceSets: SourceSets,
    private readonly keyMaps: KeyMaps,
    private readonly events: Events,
    /** Where records are kept that a run fetched and has not worked off yet. */
    private readonly directory: string,
    /** Tells this Versicle from others that deliver into the same target. */
    private readonly installation: string,
  ) {}

  /** Takes up what an earlier process left unfinished. */
  async resume(): Promise<void> {
    const rows = await this.db.query<{ id: number }>(
      "SELECT id FROM run WHERE state IN ('queued', 'running') ORDER BY id",
    );
    for (const { id } of rows) this.enqueue(id);
  }

  enqueue(run: number): void {
    this.queue.push(run);
    this.working ??= this.work().finally(() => (this.working = null));
  }

  async cancel(run: number): Promise<void> {
    if (this.current?.id === run) return this.current.cancel();
    const waiting = this.queue.indexOf(run);
    if (waiting < 0) return;
    this.queue.splice(waiting, 1);
    await this.finish(run, 'cancelled', 'cancelled before it began');
  }

  /** Stops between two chunks; the runs go on at the next start. */
  async close(): Promise<void> {
    this.closed = true;
    this.current?.cancel();
    await this.working;
  }

  private async work(): Promise<void> {
    while (this.queue.length > 0 && !this.closed) {
      const id = this.queue.shift()!;
      try {
        await this.carryOut(id);
      } catch (error) {
        if (this.closed) return;
        if (error instanceof Cancelled) await this.finish(id, 'cancelled', 'cancelled before a record was mapped');
        else await this.finish(id, 'broken', (error as Error).message);
      }
    }
  }

  private async log(run: number, message: string): Promise<void> {
    await this.db.query('INSERT INTO run_log (run, message) VALUES ($1, $2)', [run, message]);
  }

  private async announce(id: number): Promise<void> {
    const run: RunSummary | null = await readRun(this.db, id);
    if (run) this.events.send({ type: 'run', run });
  }

  private async finish(run: number, state: string, message: string): Promise<void> {
    await this.db.transaction([
      {
        sql: "UPDATE run SET state = $2, finished_at = clock_timestamp(), error = $3 WHERE id = $1 AND state IN ('queued', 'running')",
        params: [run, state, state === 'broken' ? message : null],
      },
      {
        sql: "UPDATE failed_record SET state = 'open' WHERE state = 'replaying' AND id IN (SELECT record FROM replay_item WHERE run = $1)",
        params: [run],
      },
      { sql: 'INSERT INTO run_log (run, message) VALUES ($1, $2)', params: [run, message] },
    ]);
    await this.announce(run);
    await this.events.waitingChanged();
  }

  private async carryOut(id: number): Promise<void> {
    const [run] = await this.db.query<RunRow>(
      'SELECT id, kind, mapping, revision, state, row_limit, chunk, started_at, source FROM run WHERE id = $1',
      [id],
    );
    if (!run || (run.state !== 'queued' && run.state !== 'running')) return;
    const [revision] = await this.db.query<{ document: string }>(
      'SELECT document FROM revision WHERE mapping = $1 AND number = $2',
      [run.mapping, run.revision],
    );
    const document = parseDocument(JSON.parse(revision!.document));
    const source = await this.systems.openDataset(document.source.primary.dataset);
    const target = await this.systems.openDataset(document.target.dataset);
    const plan = await this.sourcePlan(run, document, source.system, source.dataset);
    if (!target.system.target)
      throw new Error(
        `Versicle can't write to ${document.target.dataset} yet; choose a dataset of a database, an API that takes records, or a file.`,
      );
    const resumed = run.state === 'running';
    if (resumed) await this.log(id, `taken up again after chunk ${run.chunk}`);
    else {
      const total = plan.files.reduce((sum, f) => sum + f.bytes, 0);
      await this.db.query(
        "UPDATE run SET state = 'running', started_at = clock_timestamp(), source = $2, bytes_total = $3, bytes_done = 0 WHERE id = $1",
        [id, JSON.stringify(plan), total],
      );
      await this.log(
        id,
        run.kind === 'replay' ? 'sends failed records again' : `reads ${plan.files.map((f) => f.name).join(', ')}`,
      );
    }
    for (const line of await target.system.target.prepare(document, target.dataset)) await this.log(id, line);
    await this.announce(id);
    const [{ started_at: startedAt } = { started_at: null }] = await this.db.query<RunRow>(
      'SELECT started_at FROM run WHERE id = $1',
      [id],
    );
    const replay = run.kind === 'replay' ? await this.replayRows(id) : null;
    requireKnownFields(replay ?? [], plan, document);
    const job: MapJob = {
      document,
      source: plan,
      startedAt: Date.parse(isoTime(startedAt!)),
      settled: run.chunk,
      // A limit is of the primary dataset's rows; composed records keep to it already.
      rowLimit: run.row_limit === null || isComposed(document) ? null : Number(run.row_limit),
      chunkRows: CHUNK_ROWS,
      replay,
      keyMaps: await this.keyMaps.of(document),
      keepKeys: await this.keyMaps.isKept(run.mapping),
    };
    const outcome = await this.drive(id, run, document, target.system.target, target.dataset, job);
    if (outcome === 'left') return;
    if (outcome !== 'cancelled')
      for (const line of (await target.system.target.finish?.(document, target.dataset)) ?? [])
        await this.log(id, line);
    if (outcome === 'finished' && run.kind === 'full' && run.row_limit === null) await this.closeGone(id, run.mapping);
    const after = (await readRun(this.db, id))!;
    const { read, filtered, skipped, failed, delivered } = after.counts;
    if (read !== filtered + skipped + failed + delivered)
      throw new Error(
        `The counts do not add up: ${read} read, ${filtered} filtered, ${skipped} skipped, ${failed} failed, ${delivered} delivered. This is a fault of Versicle.`,
      );
    await this.finish(
      id,
      outcome,
      outcome === 'finished'
        ? `finished: ${counted(delivered, 'record')} delivered, ${counted(failed, 'record')} failed`
        : outcome === 'stopped'
          ? 'stopped, as the document says for a failure that occurred'
          : 'cancelled; what was delivered stays',
    );
    if (run.source === null || run.kind === 'full') rmSync(this.landing(id), { force: true });
    await this.care(target.system.target, target.dataset, delivered).catch((error: Error) =>
      this.log(id, `the table could not be tidied up: ${error.message}`),
    );
  }

  /** A resumed run reads the very files it began with, or ends with a sentence. */
  private async sourcePlan(
    run: RunRow,
    document: MappingDocument,
    system: OpenSystem,
    dataset: string,
  ): Promise<SourcePlan> {
    const began = run.source === null ? null : fromJson(run.source);
    if (run.kind === 'replay' && began) return began;
    if (isComposed(document)) return this.composedPlan(run, document, began);
    const options = { withDoc: mentionsDoc(document) };
    if (!system.sourcePlan) {
      if (!system.read) throw new Error(`${document.source.primary.dataset} holds no records that could be read.`);
      if (run.kind === 'replay')
        return replayPlan({ names: (await system.describe(dataset)).fields.map((f) => f.name), marks: null });
      if (began && existsSync(this.landing(run.id))) return began;
      // What a run read from a system that moves on is kept beside the store until it ends, so that it can be taken up again.
      await this.log(run.id, `fetches the records of ${document.source.primary.dataset}`);
      const landed = await land(system.read(dataset, options), this.landing(run.id), run.row_limit);
      await this.log(run.id, `fetched ${counted(landed.records, 'record')}`);
      return landed.plan;
    }
    const plan = await system.sourcePlan(dataset, options);
    if (!began) return plan;
    for (const [i, file] of began.files.entries()) {
      const now = plan.files[i];
      if (now?.name !== file.name || now.bytes !== file.bytes || now.changed !== file.changed)
        throw new Error(
          `${file.name} has changed since the run began, so it can't go on where it was. Start a new run; records that arrived already are not doubled where the document upserts.`,
        );
    }
    return began;
  }
  /** Composed records are kept beside the store until the run ends, so that it can be taken up again. */
  private async composedPlan(run: RunRow, document: MappingDocument, began: SourcePlan | null): Promise<SourcePlan> {
    if (run.kind === 'replay') return replayPlan(await this.sourceSets.names(document));
    const path = this.landing(run.id);
    if (began && existsSync(path)) return began;
    await this.log(run.id, `composes the records of ${counted(membersOf(document).length, 'dataset')} in PostgreSQL`);
    let cancelled = false;
    const { plan, composed } = await this.sourceSets
      .compose(document, {
        rowLimit: run.row_limit === null ? null : Number(run.row_limit),
        path,
        startedAt: Date.now(),
        cancel: (stop) => {
          const cancel = (): void => {
            cancelled = true;
            stop();
          };
          this.current = { id: run.id, cancel };
        },
      })
      .catch((error: Error) => {
        throw cancelled ? new Cancelled() : error;
      });
    const { read, multiplied, unmatched, filtered, folded, records } = composed.counts;
    const n = (count: number): string => count.toLocaleString('en-GB');
    await this.log(
      run.id,
      `${n(read)} read + ${n(multiplied)} multiplied = ${n(unmatched)} unmatched + ${n(filtered)} filtered + ${n(folded)} folded + ${n(records)} records`,
    );
    for (const remark of composed.remarks) await this.log(run.id, remark);
    return plan;
  }
  private landing(run: number): string {
    return join(this.directory, `run-${run}.jsonl`);
  }

  private async replayRows(run: number): Promise<ReplayRow[]> {
    const rows = await this.db.query<{
      id: string;
      row_number: string;
      file: string | null;
      source: Record<string, string | null> | string;
      cause: string;
    }>(
      "SELECT f.id, f.row_number, f.file, f.source, f.cause FROM replay_item i JOIN failed_record f ON f.id = i.record WHERE i.run = $1 ORDER BY (f.cause = 'duplicate_key'), f.row_number, f.id",
      [run],
    );
    return rows.map((r) => ({
      id: Number(r.id),
      row: Number(r.row_number),
      file: r.file,
      source: fromJson(r.source),
      duplicate: r.cause === 'duplicate_key',
    }));
  }

  /**
   * Lets the mapping thread run and carries its chunks on. Two belts, each in order: delivery to the target, and keeping in
   * the store. While a chunk is kept, the next one is delivered already; the target's journal makes that safe.
   */
  private drive(
    id: number,
    run: RunRow,
    document: MappingDocument,
    target: Target,
    table: string,
    job: MapJob,
  ): Promise<'finished' | 'cancelled' | 'stopped' | 'left'> {
    const worker = new Worker(new URL('./map-worker.js', import.meta.url), {
      workerData: job,
      resourceLimits: { maxYoungGenerationSizeMb: 96 },
    });
    return new Promise((resolve, reject) => {
      let cancelled = false;
      let delivering: Promise<unknown> = Promise.resolve();
      let keeping: Promise<unknown> = Promise.resolve();
      let answered: (rows: readonly FailedRow[]) => void = () => undefined;
      const end = (result: 'finished' | 'cancelled' | 'stopped' | 'left'): void => {
        this.current = null;
        void worker.terminate().then(() => resolve(result));
      };
      const broken = (error: Error): void => {
        this.current = null;
        void worker.terminate().then(() => reject(error));
      };
      const deliver = async (mapped: MappedChunk): Promise<Settled> => {
        const rejections = await target.deliver(deliveryOf(this.installation, id, run.kind, document, table, mapped));
        const settled = { run: id, mapping: run.mapping, revision: run.revision, chunk: mapped, rejections };
        if (rejections.length === 0) return { ...settled, rejected: [] };
        const items = rejections.map((r) => ({
          index: r.index,
          line: r.line,
          failure: failureOf(r, document, mapped.insertOnly),
        }));
        const rejected = new Promise<readonly FailedRow[]>((answer) => (answered = answer));
        worker.postMessage({ kind: 'rejected', chunk: mapped.chunk, items } satisfies ToMapper);
        return { ...settled, rejected: await rejected };
      };
      const keep = async (delivered: Promise<Settled>, mapped: MappedChunk): Promise<void> => {
        await this.db.transaction(settleChunk(await delivered));
        await this.announceNowAndThen(id);
        if (cancelled) return;
        if (mapped.stopped !== null) end('stopped');
        else worker.postMessage({ kind: 'settled', chunk: mapped.chunk } satisfies ToMapper);
      };
      this.current = {
        id,
        cancel: () => {
          cancelled = true;
          keeping.then(() => end(this.closed ? 'left' : 'cancelled'), broken);
        },
      };
      worker.on('error', broken);
      worker.on('message', (message: FromMapper) => {
        if (message.kind === 'broken') return broken(new Error(message.message));
        if (message.kind === 'end') return cancelled ? undefined : end(message.stopped ? 'stopped' : 'finished');
        if (message.kind === 'rejected') return answered(message.rows);
        if (cancelled) return;
        const delivered = delivering.then(() => deliver(message));
        delivering = delivered;
        keeping = keeping.then(() => keep(delivered, message));
        keeping.catch(broken);
        delivered.catch(() => undefined);
      });
    });
  }

  private announced = 0;
  /** Pages hear of a moving run a few times a second, not with every chunk. */
  private async announceNowAndThen(id: number): Promise<void> {
    if (Date.now() - this.announced < 250) return;
    this.announced = Date.now();
    await this.announce(id);
  }

  /** Open records of this mapping that a whole run did not meet again are not in the way any more. */
  private async closeGone(run: number, mapping: string): Promise<void> {
    await this.db.transaction([
      {
        sql: "INSERT INTO failed_event (record, run, revision, what, message) SELECT id, $1, revision, 'closed', 'did not fail in this run any more' FROM failed_record WHERE mapping = $2 AND state IN ('open', 'remark') AND run < $1 ON CONFLICT DO NOTHING",
        params: [run, mapping],
      },
      {
        sql: "UPDATE failed_record SET state = 'closed', updated_at = now() WHERE mapping = $2 AND state IN ('open', 'remark') AND run < $1",
        params: [run, mapping],
      },
    ]);
  }

  /** The run has ended already when the stores are looked after. */
  private async care(target: Target, table: string, delivered: number): Promise<void> {
    await target.care?.(table, delivered);
    await this.db.exec('CHECKPOINT');
  }
}

function deliveryOf(
  source: string,
  run: number,
  kind: 'full' | 'replay',
  document: MappingDocument,
  table: string,
  mapped: MappedChunk,
): Delivery {
  const { key, fields } = document.target;
  const loaded = new Set(document.lines.filter(isLoaded).map((l) => l.target));
  const written = fields.filter((f) => loaded.has(f.name));
  return {
    source,
    run,
    chunk: mapped.chunk,
    table,
    columns: written.map((f) => f.name),
    types: written.map((f) => parseFieldType(f.type).sql),
    key,
    mode: mapped.insertOnly ? 'insert' : deliveryMode(document, kind === 'replay'),
    rows: mapped.counts.written,
    copy: mapped.copy,
  };
}

/** The field that a refusal speaks of: named in the sentence, or in the constraint's name as databases make it (table_field_check). */
function fieldNamedBy({ message, constraint }: Rejection, document: MappingDocument): string | null {
  const names = document.target.fields.map((f) => f.name).sort((a, b) => b.length - a.length);
  const within = (text: string, name: string): boolean =>
    new RegExp(`(^|[^\\p{L}\\p{N}])${name.replace(/[^\p{L}\p{N}_]/gu, '\\$&')}([^\\p{L}\\p{N}]|$)`, 'u').test(text);
  return (
    names.find((name) => new RegExp(`\\b${name.replace(/[^\p{L}\p{N}_]/gu, '\\$&')}\\b`, 'u').test(message)) ??
    names.find((name) => constraint !== null && within(constraint, name)) ??
    null
  );
}

/** The target's refusal as a failure, filed under the line of the field that it names. */
function failureOf(rejection: Rejection, document: MappingDocument, replayedDuplicate: boolean): Failure {
  const named = rejection.column ?? fieldNamedBy(rejection, document);
  const isKey = rejection.code === '23505';
  const target = isKey ? document.target.key.join(', ') || named : named;
  const line = document.lines.find((l) => l.target === (isKey ? (document.target.key[0] ?? named) : named))?.id ?? null;
  const causes: Record<string, Failure['cause']> = {
    '23503': 'reference_missing',
    '22001': 'too_long',
    delivery_failed: 'delivery_failed',
  };
  const cause = causes[rejection.code] ?? 'target_rejected';
  if (isKey && replayedDuplicate)
    return {
      line,
      target,
      cause: 'duplicate_key',
      message: `${target} is in the target already, from the record that came first.`,
      values: {},
    };
  return { line, target, cause, message: `The target refused: ${rejection.message}`, values: {} };
}

/** Failed records that are sent again come as they were kept; only the names of the fields are needed. */
/** Records that were read before the source set was changed have other fields than the lines ask for now. */
function requireKnownFields(rows: readonly ReplayRow[], plan: SourcePlan, document: MappingDocument): void {
  const composed = plan.fields.some((f) => f.name === PLACE_FIELDS.row);
  const known = new Set(plan.fields.map((f) => f.name));
  const strangers = rows.filter(({ source }) => {
    const names = Object.keys(source);
    const others = composed !== isComposed(document) || !names.some((name) => known.has(name));
    return names.join() !== 'row' && names.length > 0 && others;
  });
  if (strangers.length > 0)
    throw new Error(
      `${counted(strangers.length, 'of these records was', 'of these records were')} read before the source set was changed, and can't be sent again as they are; run the plan instead.`,
    );
}

function replayPlan({ names, marks }: { names: readonly string[]; marks: DeclaredMarks }): SourcePlan {
  return {
    kind: 'files',
    files: [],
    format: { kind: 'jsonl', encoding: 'utf-8' },
    fields: names.map((name) => ({ name, type: 'text' })),
    ...(marks instanceof Map ? { marks: Object.fromEntries(marks) } : {}),
  };
}
