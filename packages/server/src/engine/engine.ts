import { existsSync, readdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import type { RunSummary } from '@versicle/contract';
import { counted, isComposed, parseDocument, type MappingDocument } from '@versicle/core';
import type { Events } from '../http/events.ts';
import type { KeyMaps } from '../key-maps/key-maps.ts';
import { readRun } from '../runs/run-store.ts';
import type { SourceSets } from '../source-sets/source-sets.ts';
import type { Database } from '../store/database.ts';
import { fromJson, isoTime } from '../store/values.ts';
import type { Finished, SourcePlan, Target, TargetRun } from '../systems/kinds/kind.ts';
import type { Systems } from '../systems/systems.ts';
import { Drive, type DriveEnd } from './drive.ts';
import type { Cut, MapJob, ReplayRow } from './messages.ts';
import { closeMended, openFailures } from './open-failures.ts';
import { Aborted, CANCELLED, Outage, pause } from '../systems/outage.ts';
import { requireKnownFields, sourcePlanOf } from './source-plan.ts';

const CHUNK_ROWS = Number(process.env['VERSICLE_CHUNK_ROWS'] ?? 20_000);
const CHUNK_CHARACTERS = 32 * 1024 * 1024;
/** How long a run waits for a target that does not answer, before it ends and others may go. */
const OUTAGE_SECONDS = Number(process.env['VERSICLE_OUTAGE_SECONDS'] ?? 600);
/** What broken runs left lies ready for so long to be taken up again. */
const KEPT_DAYS = 14;

export interface RunRow {
  [key: string]: unknown;
  id: number;
  uid: string | null;
  kind: 'full' | 'replay';
  mapping: string;
  revision: number;
  state: string;
  row_limit: string | null;
  chunk: number;
  read: string;
  cut: Cut | string | null;
  sequence: string | null;
  sequence_from: string | null;
  confirmed_by: string | null;
  started_at: string | null;
  source: SourcePlan | string | null;
  removes_at_most: number;
}
/** A run under way, and the way to end it: `cancel` by a person, `close` by the server's stop. */
interface Current {
  readonly id: number;
  readonly abort: AbortController;
  cancelled: boolean;
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
  private current: Current | null = null;
  private closed = false;

  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly sourceSets: SourceSets,
    private readonly keyMaps: KeyMaps,
    private readonly events: Events,
    /** Where records are kept that a run fetched and has not worked off yet. */
    private readonly directory: string,
    /** How targets know runs that began before runs had ids of their own. */
    private readonly installation: string,
  ) {}

  /** Takes up what an earlier process left unfinished, and removes what nobody needs any more. */
  async resume(): Promise<void> {
    const rows = await this.db.query<{ id: number; state: string }>(
      "SELECT id, state FROM run WHERE state IN ('queued', 'running', 'broken', 'asks') ORDER BY id",
    );
    this.sweep(new Set(rows.map((r) => r.id)));
    for (const { id, state } of rows) if (state === 'queued' || state === 'running') this.enqueue(id);
  }
  private sweep(needed: ReadonlySet<number>): void {
    if (!existsSync(this.directory)) return;
    const old = Date.now() - KEPT_DAYS * 86_400_000;
    for (const name of readdirSync(this.directory)) {
      const run = /^run-(\d+)\.jsonl/.exec(name)?.[1];
      const path = join(this.directory, name);
      const partial = !name.endsWith('.jsonl');
      if (partial || run === undefined || !needed.has(Number(run)) || statSync(path).mtimeMs < old)
        rmSync(path, { force: true, recursive: true });
    }
  }

  enqueue(run: number): void {
    this.queue.push(run);
    this.working ??= this.work().finally(() => {
      this.working = null;
      if (this.queue.length > 0 && !this.closed) this.enqueue(this.queue.pop()!);
    });
  }

  async cancel(run: number): Promise<void> {
    if (this.current?.id === run) {
      this.current.cancelled = true;
      return this.current.abort.abort(CANCELLED);
    }
    const waiting = this.queue.indexOf(run);
    if (waiting >= 0) {
      this.queue.splice(waiting, 1);
      return this.finish(run, 'cancelled', 'cancelled before it began');
    }
    await this.leave(run);
  }
  /** A run that waits for somebody, or that broke, is given up. */
  private async leave(run: number): Promise<void> {
    await this.db.query("UPDATE run SET state = 'running' WHERE id = $1 AND state IN ('asks', 'broken')", [run]);
    await this.giveUp(run, 'given up; what was delivered stays');
  }
  private async giveUp(id: number, message: string): Promise<void> {
    const at = await this.targetOf(id).catch(() => null);
    if (at) {
      const { row, document, target, dataset, run } = at;
      const back = replaces(row, document);
      if (back) await this.takeBack(id);
      const tidy = async (): Promise<void> => {
        if (!back && row.state === 'running') await target.finish?.(document, dataset, run);
        await target.discard?.(run, dataset, !back);
      };
      await tidy().catch((error: Error) => this.log(id, `the target could not be tidied up: ${error.message}`));
    }
    await this.finish(id, 'cancelled', message);
    rmSync(this.landing(id), { force: true });
  }

  /** Takes a run up again that broke, or that asked and was answered. */
  async takeUp(run: number): Promise<void> {
    await this.db.query(
      "UPDATE run SET state = CASE WHEN started_at IS NULL OR cut IS NULL THEN 'queued' ELSE 'running' END, finished_at = NULL, error = NULL, outage = false WHERE id = $1 AND state IN ('broken', 'asks')",
      [run],
    );
    await this.announce(run);
    this.enqueue(run);
  }
  /** Runs that ended because a system could not be reached go on when it answers again. */
  async takeUpAfterOutage(): Promise<void> {
    const rows = await this.db.query<{ id: number; mapping: string; revision: number }>(
      "SELECT id, mapping, revision FROM run WHERE state = 'broken' AND outage ORDER BY id",
    );
    for (const { id, mapping, revision } of rows) {
      const document = await this.document(mapping, revision);
      const system = document.target.dataset.split('/')[0]!;
      const found = await this.systems.test(system).catch(() => null);
      if (found?.ok) await this.takeUp(id);
    }
  }

  /** Stops at once; the runs go on at the next start. */
  async close(): Promise<void> {
    this.closed = true;
    this.current?.abort.abort();
    await this.working;
  }

  private async work(): Promise<void> {
    while (this.queue.length > 0 && !this.closed) {
      const id = this.queue.shift()!;
      const current: Current = { id, abort: new AbortController(), cancelled: false };
      this.current = current;
      try {
        await this.carryOut(id, current);
      } catch (error) {
        if (this.closed && !current.cancelled) return;
        await this.ended(id, error, current).catch((fault: Error) => {
          // Not even that could be kept: the next start finds the run as it was left.
          process.stderr.write(`Run ${id} could not be closed: ${fault.message}\n`);
        });
      } finally {
        this.current = null;
      }
    }
  }
  private async ended(id: number, error: unknown, { cancelled }: Current): Promise<void> {
    if (cancelled) return this.giveUp(id, 'cancelled; what was delivered stays');
    await this.finish(id, 'broken', (error as Error).message, error instanceof Outage);
  }

  private readonly log = async (run: number, message: string): Promise<void> => {
    await this.db.query('INSERT INTO run_log (run, message) VALUES ($1, $2)', [run, message]);
  };

  private async announce(id: number): Promise<void> {
    const run: RunSummary | null = await readRun(this.db, id);
    if (run) this.events.send({ type: 'run', run });
  }

  private async finish(run: number, state: string, message: string, outage = false): Promise<void> {
    await this.db.transaction([
      {
        sql: "UPDATE run SET state = $2, finished_at = clock_timestamp(), error = $3, outage = $4 WHERE id = $1 AND state IN ('queued', 'running')",
        params: [run, state, state === 'broken' || state === 'asks' ? message : null, outage],
      },
      // What may have arrived in an outage stays with its run, which can be taken up again.
      ...(outage || state === 'asks'
        ? []
        : [
            {
              sql: "UPDATE failed_record SET state = 'open' WHERE state = 'replaying' AND id IN (SELECT record FROM replay_item WHERE run = $1)",
              params: [run],
            },
          ]),
      { sql: 'INSERT INTO run_log (run, message) VALUES ($1, $2)', params: [run, message] },
    ]);
    await this.announce(run);
    await this.events.waitingChanged();
  }

  private async row(id: number): Promise<RunRow | null> {
    const [run] = await this.db.query<RunRow>(
      `SELECT r.id, r.uid, r.kind, r.mapping, r.revision, r.state, r.row_limit, r.chunk, r.read, r.cut, r.sequence, r.sequence_from,
              r.confirmed_by, r.started_at, r.source, p.removes_at_most FROM run r JOIN plan p ON p.id = r.plan WHERE r.id = $1`,
      [id],
    );
    return run ?? null;
  }
  private async document(mapping: string, revision: number): Promise<MappingDocument> {
    const [found] = await this.db.query<{ document: string }>(
      'SELECT document FROM revision WHERE mapping = $1 AND number = $2',
      [mapping, revision],
    );
    return parseDocument(JSON.parse(found!.document));
  }
  private async targetOf(
    id: number,
  ): Promise<{ row: RunRow; document: MappingDocument; target: Target; dataset: string; run: TargetRun } | null> {
    const row = await this.row(id);
    if (!row) return null;
    const document = await this.document(row.mapping, row.revision);
    const { system, dataset } = await this.systems.openDataset(document.target.dataset);
    const run = this.targetRun(row, new AbortController().signal);
    return system.target ? { row, document, target: system.target, dataset, run } : null;
  }
  private targetRun(run: RunRow, signal: AbortSignal): TargetRun {
    return {
      uid: run.uid ?? this.installation,
      legacy: run.uid === null,
      kind: run.kind,
      mayRemove: run.confirmed_by === null ? run.removes_at_most : null,
      signal,
    };
  }

  private async carryOut(id: number, { abort: { signal } }: Current): Promise<void> {
    const run = await this.row(id);
    if (!run || (run.state !== 'queued' && run.state !== 'running')) return;
    const document = await this.document(run.mapping, run.revision);
    const source = await this.systems.openDataset(document.source.primary.dataset);
    const { system, dataset } = await this.systems.openDataset(document.target.dataset);
    const { target } = system;
    if (!target)
      throw new Error(
        `Versicle can't write to ${document.target.dataset} yet; choose a dataset of a database, an API that takes records, or a file.`,
      );
    const targetRun = this.targetRun(run, signal);
    // What a person said yes to lies ready: nothing is read again.
    if (run.confirmed_by !== null)
      return this.conclude(run, document, target, dataset, targetRun, { how: 'finished', well: [] });
    const plan = await sourcePlanOf(
      {
        kind: run.kind,
        document,
        system: source.system,
        dataset: source.dataset,
        rowLimit: run.row_limit === null ? null : Number(run.row_limit),
        began: run.source === null ? null : fromJson(run.source),
        landing: this.landing(id),
        signal,
        log: (message) => this.log(id, message),
      },
      this.sourceSets,
    );
    if (run.state === 'running') await this.log(id, `taken up again after ${counted(Number(run.read), 'record')}`);
    else {
      const total = plan.files.reduce((sum, f) => sum + f.bytes, 0);
      const most = (await target.chunkRows?.(dataset)) ?? Infinity;
      const cut: Cut = { rows: Math.min(CHUNK_ROWS, most), characters: CHUNK_CHARACTERS };
      await this.db.query(
        `UPDATE run SET state = 'running', started_at = clock_timestamp(), source = $2, bytes_total = $3, bytes_done = 0, cut = $4,
                sequence_from = COALESCE((SELECT last FROM mapping_sequence s WHERE s.mapping = run.mapping), 0) WHERE id = $1`,
        [id, JSON.stringify(plan), total, JSON.stringify(cut)],
      );
      await this.log(
        id,
        run.kind === 'replay' ? 'sends failed records again' : `reads ${plan.files.map((f) => f.name).join(', ')}`,
      );
      if (run.kind === 'full') for (const remark of plan.remarks ?? []) await this.log(id, remark);
    }
    const prepared = await this.patiently(id, signal, () => target.prepare(document, dataset, targetRun));
    for (const line of prepared) await this.log(id, line);
    await this.announce(id);
    const job = await this.job((await this.row(id))!, document, plan, target);
    const drive = new Drive({
      db: this.db,
      run: { ...run, ...targetRun },
      document,
      target,
      dataset,
      job,
      patiently: (work) => this.patiently(id, signal, work),
      announce: () => this.announceNowAndThen(id),
    });
    const end = await drive.go();
    if (end.how === 'aborted') throw new Aborted();
    await this.conclude(run, document, target, dataset, targetRun, end);
  }

  private async job(run: RunRow, document: MappingDocument, plan: SourcePlan, target: Target): Promise<MapJob> {
    const replay = run.kind === 'replay' ? await this.replayRows(run.id) : null;
    requireKnownFields(replay ?? [], plan, document);
    return {
      document,
      source: plan,
      startedAt: Date.parse(isoTime(run.started_at!)),
      uid: run.uid ?? `${this.installation}-${run.id}`,
      settled: {
        chunk: run.chunk,
        read: Number(run.read),
        sequence: run.sequence === null ? null : Number(run.sequence),
      },
      // A limit is of the primary dataset's rows; composed records keep to it already.
      rowLimit: run.row_limit === null || isComposed(document) ? null : Number(run.row_limit),
      cut: run.cut === null ? { rows: CHUNK_ROWS, characters: Infinity } : fromJson(run.cut),
      sequenceFrom: Number(run.sequence_from ?? 0),
      open: run.kind === 'full' ? await openFailures(this.db, run.mapping, document) : [],
      wantsIds: target.wantsIds === true,
      replay,
      keyMaps: await this.keyMaps.of(document),
      keepKeys: await this.keyMaps.isKept(run.mapping),
    };
  }

  /** Tries again while a system can't be reached, with growing pauses; then the run ends and can be taken up again. */
  private async patiently<T>(id: number, signal: AbortSignal, work: () => Promise<T>): Promise<T> {
    const until = Date.now() + OUTAGE_SECONDS * 1000;
    for (let attempt = 0; ; attempt++) {
      try {
        const result = await work();
        if (attempt > 0) await this.log(id, 'the target answers again; goes on');
        return result;
      } catch (error) {
        if (!(error instanceof Outage) || Date.now() > until) throw error;
        if (attempt === 0) await this.log(id, `${error.message}; tries again until it answers`);
        await pause(Math.min(30_000, 250 * 2 ** attempt) * (0.75 + Math.random() / 2), signal);
      }
    }
  }

  private async conclude(
    run: RunRow,
    document: MappingDocument,
    target: Target,
    dataset: string,
    targetRun: TargetRun,
    end: DriveEnd,
  ): Promise<void> {
    const { id } = run;
    // What a document stops does not replace the content of its target by a part.
    const stays = end.how === 'stopped' && replaces(run, document);
    const { finish } = target;
    const finished: Finished =
      finish && !stays
        ? await this.patiently(id, targetRun.signal, () => finish.call(target, document, dataset, targetRun))
        : { log: [] };
    for (const line of finished.log) await this.log(id, line);
    if (finished.asks !== undefined) return this.finish(id, 'asks', finished.asks);
    if (stays) await this.takeBack(id);
    await target.discard?.(targetRun, dataset, !stays);
    await closeMended(this.db, id, document, end.well);
    const { counts } = (await readRun(this.db, id))!;
    const { read, filtered, skipped, unchanged, failed, delivered } = counts;
    if (read !== filtered + skipped + unchanged + failed + delivered)
      throw new Error(
        `The counts do not add up: ${read} read, ${filtered} filtered, ${skipped} skipped, ${unchanged} unchanged, ${failed} failed, ${delivered} delivered. This is a fault of Versicle.`,
      );
    await this.finish(
      id,
      end.how,
      end.how === 'finished'
        ? `finished: ${counted(delivered, 'record')} delivered, ${counted(failed, 'record')} failed`
        : 'stopped, as the document says for a failure that occurred',
    );
    rmSync(this.landing(id), { force: true });
    await this.care(target, dataset, delivered).catch((error: Error) =>
      this.log(id, `the table could not be tidied up: ${error.message}`),
    );
  }

  /** What was loaded beside a target and does not take its place was not delivered. */
  private async takeBack(run: number): Promise<void> {
    await this.db.transaction([
      {
        sql: "INSERT INTO run_log (run, message) SELECT id, delivered || ' loaded records did not take the place of what the target has; it stays as it was' FROM run WHERE id = $1 AND delivered > 0",
        params: [run],
      },
      {
        sql: 'UPDATE run SET read = read - delivered - unchanged, delivered = 0, unchanged = 0 WHERE id = $1',
        params: [run],
      },
    ]);
  }

  private landing(run: number): string {
    return join(this.directory, `run-${run}.jsonl`);
  }

  private async replayRows(run: number): Promise<ReplayRow[]> {
    const rows = await this.db.query<{
      id: string;
      row_number: string;
      file_row: string | null;
      file: string | null;
      source: Record<string, string | null> | string;
      duplicate: boolean;
      delivery_key: string | null;
      sequence: string | null;
    }>(
      `SELECT f.id, f.row_number, f.file_row, f.file, f.source, i.duplicate, f.delivery_key, f.sequence
         FROM replay_item i JOIN failed_record f ON f.id = i.record WHERE i.run = $1 ORDER BY i.duplicate, i.place, f.id`,
      [run],
    );
    return rows.map((r) => ({
      id: Number(r.id),
      row: Number(r.row_number),
      fileRow: Number(r.file_row ?? r.row_number),
      file: r.file,
      source: fromJson(r.source),
      duplicate: r.duplicate,
      deliveryKey: r.delivery_key,
      sequence: r.sequence === null ? null : Number(r.sequence),
    }));
  }

  private announced = 0;
  /** Pages hear of a moving run a few times a second, not with every chunk. */
  private async announceNowAndThen(id: number): Promise<void> {
    if (Date.now() - this.announced < 250) return;
    this.announced = Date.now();
    await this.announce(id);
  }

  /** The run has ended already when the stores are looked after. */
  private async care(target: Target, table: string, delivered: number): Promise<void> {
    await target.care?.(table, delivered);
    await this.db.exec('CHECKPOINT');
  }
}

const replaces = (run: RunRow, document: MappingDocument): boolean =>
  run.kind === 'full' && document.write.mode === 'replace';
