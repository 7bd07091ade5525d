import type { LogLevel } from '@versicle/contract';
import { rmSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { Aborted, counted, isComposed, limitReached, type MappingDocument, requireVariables } from '@versicle/core';
import { comesInChunks } from '@versicle/files';
import type { KeyMaps } from '../key-maps/key-maps.ts';
import { readRun } from '../runs/run-store.ts';
import {
  carriedBy,
  mappedOf,
  readsPart,
  requireClaim,
  sourceOf,
  startOf,
  variablesOf,
  type CapturedRun,
  type Claim,
  type Cut,
  type MappingEnd,
  type RunRow,
  type Runs,
} from '../runs/runs.ts';
import type { SourceSets } from '../source-sets/source-sets.ts';
import type { Readings } from '../sources/readings.ts';
import type { Database } from '@versicle/postgres';
import { fromJson, isoTime } from '../store/values.ts';
import type { BulkTarget, Finished, QueueTarget, SourcePlan, Target, TargetRun } from '../systems/kinds/kind.ts';
import { Outage, pause } from '../systems/outage.ts';
import type { Systems } from '../systems/systems.ts';
import { NO_CHANGES, type Changes, type RunChanges } from './changes/changes.ts';
import { isNumbered } from './chunk.ts';
import type { UnderWay } from './under-way.ts';
import { Drive } from './drive.ts';
import { BulkLane } from './lanes/bulk.ts';
import { windowWords } from './lanes/queue/outbox.ts';
import { failRest, QueueLane, QUEUED_CHUNK_ROWS, type QueueHouse } from './lanes/queue/queue.ts';
import type { SentRun } from './lanes/queue/settle-sent.ts';
import type { Keep, Kept } from './keep.ts';
import type { MapJob, ReplayRow } from './messages.ts';
import type { OtherSteps } from './other-steps.ts';
import { closeMended, openFailures } from './open-failures.ts';
import { noticeSource, type Noticed } from './source-changes.ts';
import { requireKnownFields, sourcePlanOf } from './source-plan.ts';
import { partPath } from './part-path.ts';
import type { CapturedChanges } from './changes/captured.ts';
import { tellGone, type ToldGone } from './tell-gone.ts';
import { takeIn } from '../sources/take-in.ts';
import { Unread } from './unread.ts';

const CHUNK_ROWS = Number(process.env['VERSICLE_CHUNK_ROWS'] ?? 20_000);
/** Records of a chunk where the plan says how many may fail. */
const WATCHED_ROWS = 2000;
const CHUNK_CHARACTERS = 32 * 1024 * 1024;
/** Share of a table's rows that may go without a person's word, where no plan says another. */
const REMOVES_AT_MOST = 0.5;
/** Threads that share in mapping the records of a run; databases on this machine want processors, too. */
const SET_THREADS = process.env['VERSICLE_MAPPING_THREADS'];
const MAPPING_THREADS = Number(SET_THREADS ?? Math.max(1, Math.min(4, availableParallelism() >> 1)));
/** The same for runs that send what changed only, and hardly need the databases. */
const COMPARING_THREADS = Number(SET_THREADS ?? Math.min(4, availableParallelism()));
/** Milliseconds after which a change of a target's windows holds for a run that waits for them. */
const LOOK_AT_WINDOW = 1000;
/** How long a run waits for a target that does not answer, before it ends. */
export const OUTAGE_SECONDS = Number(process.env['VERSICLE_OUTAGE_SECONDS'] ?? 600);

/** More failed than the plan lets: the run stops. */
export class LimitReached extends Error {}

/** A run of a mapping. */
type Load = RunRow & { readonly kind: 'full' | 'replay' };
/** A run with all that it works on. */
interface Work extends UnderWay {
  readonly claim: Claim;
  readonly row: Load;
  readonly document: MappingDocument;
  readonly target: Target;
  readonly dataset: string;
  readonly run: TargetRun;
}

/**
 * Carries out one run: read and map in a worker thread, deliver chunk by chunk. Per chunk, the target's rows and its journal
 * entry are one transaction in the target; failed records, counters and the checkpoint are one transaction in the store. A
 * run that was cut off at any instant goes on from its checkpoint: the journal says whether the chunk after it arrived
 * already.
 */
export class CarryOut {
  constructor(
    private readonly db: Database,
    private readonly runs: Runs,
    private readonly systems: Systems,
    private readonly sourceSets: SourceSets,
    private readonly readings: Readings,
    private readonly keyMaps: KeyMaps,
    private readonly otherSteps: OtherSteps,
    private readonly changes: Changes,
    private readonly captured: CapturedChanges,
    private readonly keep: Keep,
    /** Where records are kept that a run fetched and has not worked off yet. */
    private readonly directory: string,
    private readonly queueHouse: QueueHouse,
    /** How targets know runs that began before runs had ids of their own. */
    private readonly installation: string,
  ) {}

  async run(claim: Claim, underWay: UnderWay): Promise<void> {
    const step = (await this.runs.row(claim.run))!;
    if (!movesRecords(step)) return this.otherSteps.run(claim, step, underWay);
    await this.changes.fixStart(claim, step);
    const work = await this.workOf(claim, underWay);
    await this.takeOn(work);
    const { row, document, target } = work;
    // What a person said yes to lies ready: nothing is read again.
    if (row.confirmed_by !== null)
      return this.conclude(work, { how: 'finished', well: [] }, await this.changes.confirmed(row, document));
    const mapped = mappedOf(row);
    const captured = mapped === null ? await this.capture(work) : null;
    const changes = mapped === null ? await this.changes.begin(row, document, target.lane, captured) : NO_CHANGES;
    const queue = target.lane === 'queue' ? await this.queue(work, target, changes) : null;
    await queue?.begin();
    const end = mapped ?? (await this.map(work, queue, changes));
    if (queue) await this.sent(work, queue, end);
    await this.conclude(work, end, changes);
  }

  /** Whoever had the run before, and may have been frozen, writes nothing more, and what it has open there is in nobody's way. */
  private async takeOn(work: Work): Promise<void> {
    const { claim, row, target, run } = work;
    // Before runs had ids of their own, journals could not tell them apart.
    if (target.lane !== 'bulk' || run.legacy || target.takeOn === undefined) return;
    const remark = await this.patiently(work, () => target.takeOn!(run, row.taken_from));
    if (remark !== null) await this.log(row.id, remark, 'warning');
    if (row.taken_from !== null) await this.runs.takenOn(claim);
  }

  /** What the source wrote down itself of its changes, where the run reads just that. */
  private async capture({ claim, row, document }: Work): Promise<CapturedRun | null> {
    const { system, dataset } = await this.systems.openDataset(document.source.primary.dataset);
    return this.captured.begin(claim, row, document, system, dataset);
  }

  /** Reads and maps all records; each chunk goes the way of its lane. */
  private async map(work: Work, queue: QueueLane | null, changes: RunChanges): Promise<MappingEnd> {
    const { claim, row, document, target, dataset, run, signal } = work;
    const isGone = this.runs.isGone(row);
    if (isGone)
      await this.log(row.id, 'what it had fetched lies with a process that is gone; fetches it again', 'warning');
    const plan = await this.sourcePlan(work, isGone);
    if (isGone) await this.runs.fetchedAgain(claim, plan);
    const noticed = await noticeSource(this.db, row, document, plan);
    if (row.state === 'running') await this.log(row.id, `taken up again after ${counted(Number(row.read), 'record')}`);
    else await this.begin(work, plan);
    const archived = await this.keep.read(keptOf((await this.runs.row(row.id))!), plan);
    if (archived !== null) await this.log(row.id, archived);
    for (const line of noticed.log) await this.log(row.id, line, 'warning');
    // What an earlier life of it said of the window may not be so any more.
    if (target.lane === 'bulk' && target.opens) await this.queueHouse.outbox.setClosed(document.target.dataset, null);
    const prepared = await this.patiently(work, () => target.prepare(document, dataset, run));
    for (const line of prepared) await this.log(row.id, line);
    await this.runs.announce(row.id);
    const mapJob = await this.job((await this.runs.row(row.id))!, document, plan, {
      target,
      dataset,
      changes,
      noticed,
    });
    const { before, learn } = await this.changes.before(changes, mapJob);
    const { mapping, revision } = row;
    const patiently = <T>(chunk: () => Promise<T>): Promise<T> =>
      this.patiently(work, () => {
        work.requireHeld();
        return chunk();
      });
    const unread = new Unread((await this.runs.row(row.id))!);
    const drive = new Drive({
      db: this.db,
      claim,
      document,
      signal,
      lane:
        target.lane === 'bulk'
          ? new BulkLane(
              target,
              document,
              { ...run, id: row.id, mapping, revision, memory: changes.memory },
              patiently,
              (records) => this.untilMay(work, records),
            )
          : queue!,
      job: { ...mapJob, before },
      only: changes.only,
      learn,
      unread,
      announce: async () => {
        await this.requireWithinLimits(row);
        await this.runs.announceNow(row.id);
      },
    });
    const { how, well } = await drive.go();
    if (how === 'aborted' || signal.aborted) throw new Aborted();
    // Before it is told, so that whoever takes a killed run on does it again.
    const taken = unread.isEmpty ? null : await takeIn(this.systems, document.source.primary.dataset, plan, signal);
    await this.db.transaction([requireClaim(claim), ...unread.told(document)]);
    if (taken) await this.log(row.id, taken.said, taken.well ? 'info' : 'warning');
    return { how, well };
  }
  /** Until all that waits has been sent; others may have the run's place meanwhile. */
  private async sent({ claim, row, waits }: Work, queue: QueueLane, end: MappingEnd): Promise<void> {
    await this.runs.keepMapped(claim, end);
    rmSync(this.landing(row.id), { force: true });
    waits(true);
    await queue.end();
    waits(false);
    await this.runs.announce(row.id);
  }
  private async queue(work: Work, { outageSeconds }: QueueTarget, { memory }: RunChanges): Promise<QueueLane> {
    const { row, document, run, signal } = work;
    const target = document.target.dataset;
    const immediate = await this.runs.isImmediate(row);
    const mayGoOn = (): Promise<void> => this.requireWithinLimits(row);
    const { uid } = run;
    return new QueueLane(
      { ...sentRun(row, document), uid, target, memory, signal, immediate, outageSeconds, mayGoOn },
      this.queueHouse,
    );
  }
  /** Throws LimitReached where more failed than the plan lets. */
  private async requireWithinLimits(row: RunRow): Promise<void> {
    const stop = carriedBy(row)?.stop;
    if (stop === undefined) return;
    const { counts } = (await readRun(this.db, row.id))!;
    const reached = limitReached(stop, counts);
    if (reached !== null) throw new LimitReached(reached);
  }

  /** A run that was begun and is not carried on: what was delivered stays, but for what is whole or nothing. */
  async giveUp(claim: Claim, message: string, state: 'cancelled' | 'stopped' = 'cancelled'): Promise<void> {
    if (!movesRecords((await this.runs.row(claim.run))!)) return this.runs.end(claim, { state, message });
    // What waits is failed whether or not its target can be reached, or is there at all any more.
    const { waiting } = (await readRun(this.db, claim.run))!.counts;
    if (waiting > 0) {
      const row = (await this.runs.row(claim.run))!;
      const document = await this.runs.document(row);
      await failRest(sentRun(row, document), this.queueHouse, document.target.dataset, requireClaim(claim));
    }
    const quiet = { signal: new AbortController().signal, waits: () => undefined, requireHeld: () => undefined };
    const work = await this.workOf(claim, quiet).catch(() => null);
    if (work) {
      const { row, document, target, dataset, run } = work;
      const back = replaces(row, document);
      if (back) await this.runs.takeBack(claim);
      const tidy = async (): Promise<void> => {
        if (target.lane !== 'bulk') return;
        // Whoever was frozen at it, and wakes, brings nothing more.
        if (!run.legacy) await target.takeOn?.(run, row.taken_from);
        if (!back && row.started_at !== null) await target.finish?.(document, dataset, run);
        await target.discard?.(run, dataset, !back);
      };
      await tidy().catch((error: Error) =>
        this.log(claim.run, `the target could not be tidied up: ${error.message}`, 'warning'),
      );
    }
    await this.changes.givenUp((await this.runs.row(claim.run))!, work?.target.lane ?? null);
    await this.runs.end(claim, { state, message });
    rmSync(this.landing(claim.run), { force: true });
  }

  private async workOf(claim: Claim, underWay: UnderWay): Promise<Work> {
    const row = (await this.runs.row(claim.run)) as Load;
    const document = await this.runs.document(row);
    const { system, dataset } = await this.systems.openDataset(document.target.dataset);
    const { target } = system;
    if (!target)
      throw new Error(
        `Versicle can't write to ${document.target.dataset} yet; choose a dataset of a database, an API that takes records, or a file.`,
      );
    const run: TargetRun = {
      uid: row.uid ?? this.installation,
      legacy: row.uid === null,
      claim: claim.number,
      kind: row.kind,
      mayRemove: row.confirmed_by === null ? removesAtMost(row) : null,
      signal: underWay.signal,
    };
    return { ...underWay, claim, row, document, target, dataset, run };
  }

  private async sourcePlan({ row, document, signal }: Work, isGone: boolean): Promise<SourcePlan> {
    const { system, dataset } = await this.systems.openDataset(document.source.primary.dataset);
    return sourcePlanOf(
      {
        run: row.id,
        kind: row.kind,
        document,
        system,
        dataset,
        rowLimit: row.row_limit === null ? null : Number(row.row_limit),
        began: sourceOf(row),
        landing: this.landing(row.id),
        isGone,
        part: this.part(row),
        signal,
        log: (message) => this.log(row.id, message),
        asked: (requests) => this.runs.asked(row.id, requests),
        variables: new Map(Object.entries(fromJson(row.variables))),
        taken: row.taken === null ? null : fromJson(row.taken),
        captured: capturedOf((await this.runs.row(row.id))!),
        readings: this.readings.of(row.mapping, row.revision, document),
      },
      this.sourceSets,
    );
  }
  private async begin({ claim, row, document, target }: Work, plan: SourcePlan): Promise<void> {
    const bytes = plan.files.reduce((sum, f) => sum + f.bytes, 0);
    const most = target.lane === 'queue' ? QUEUED_CHUNK_ROWS : (target.pace?.most ?? Infinity);
    const cut: Cut = {
      // Whether too many fail is looked at after each chunk.
      rows: Math.min(CHUNK_ROWS, most, carriedBy(row)?.stop === undefined ? Infinity : WATCHED_ROWS),
      characters: CHUNK_CHARACTERS,
      ...(canBeShared(row, document, plan) ? { of: 'text' } : {}),
    };
    // What was fetched lies where only some processes reach it.
    if (plan.files.some((f) => f.path.startsWith(this.directory))) await this.runs.lies(claim);
    await this.runs.begin(claim, plan, bytes, cut);
    const reads = `reads ${plan.files.map((f) => f.name).join(', ')}`;
    await this.log(row.id, row.kind === 'replay' ? 'sends failed records again' : reads);
    if (row.kind === 'full') for (const remark of plan.remarks ?? []) await this.log(row.id, remark, 'warning');
  }

  private async job(
    run: RunRow,
    document: MappingDocument,
    plan: SourcePlan,
    { target, dataset, changes, noticed }: { target: Target; dataset: string; changes: RunChanges; noticed: Noticed },
  ): Promise<Omit<MapJob, 'before'>> {
    const replay = run.kind === 'replay' ? await this.replayRows(run.id) : null;
    requireKnownFields(replay ?? [], plan, document);
    const variables = Object.fromEntries(variablesOf(run));
    requireVariables(document, variables);
    return {
      document,
      source: plan,
      startedAt: Date.parse(isoTime(run.started_at!)),
      run: run.id,
      uid: run.uid ?? `${this.installation}-${run.id}`,
      settled: {
        chunk: run.chunk,
        read: Number(run.read),
        sequence: run.sequence === null ? null : Number(run.sequence),
      },
      // A limit is of the primary dataset's rows; composed records keep to it already.
      rowLimit: run.row_limit === null || isComposed(document) ? null : Number(run.row_limit),
      cut: run.cut === null ? { rows: CHUNK_ROWS, characters: Infinity } : fromJson(run.cut),
      threads: changes.only === null ? MAPPING_THREADS : COMPARING_THREADS,
      sequenceFrom: Number(run.sequence_from ?? 0),
      narrowed: run.since !== null || carriedBy(run)?.filter !== undefined,
      open:
        run.kind === 'full'
          ? await openFailures(
              this.db,
              run.mapping,
              document,
              readsPart(run) || (capturedOf(run)?.keys ?? null) !== null,
            )
          : [],
      dataset,
      encoding: target.encoding,
      queued: target.lane === 'queue',
      replay,
      keyMaps: await this.keyMaps.of(document),
      variables,
      keepKeys: await this.keyMaps.isKept(run.mapping),
      identity: noticed.identity,
      remembers: changes.memory !== null,
      sourceKey: changes.memory?.source ?? null,
      remembersKeys: (changes.memory?.keys ?? null) !== null,
      sees: changes.vanished !== null,
      watermark: changes.watermark,
    };
  }

  /** Until so many records may be sent. */
  private async untilMay(work: Work, records: number): Promise<void> {
    await this.untilOpen(work);
    const { target, signal, waits } = work;
    if (target.lane !== 'bulk' || target.pace === undefined || records === 0) return;
    const ms = await target.pace.turn(records);
    if (ms <= 0) return;
    waits(true);
    await pause(ms, signal);
    waits(false);
    // The window may have closed meanwhile.
    await this.untilOpen(work);
  }
  /** Until the window of the target is open, as its settings are by then; others may have the run's place meanwhile. */
  private async untilOpen({ row, document, target: own, signal, waits }: Work): Promise<void> {
    if (own.lane !== 'bulk' || own.opens === undefined) return;
    const { dataset } = document.target;
    const { outbox } = this.queueHouse;
    for (let told: number | null = null; ;) {
      const { target } = (await this.systems.openDataset(dataset)).system;
      const opens = target?.lane === 'bulk' ? (target.opens?.(new Date()) ?? null) : null;
      if (told !== (opens?.getTime() ?? null)) {
        await outbox.setClosed(dataset, opens);
        await this.log(row.id, windowWords(opens));
        await this.runs.announce(row.id);
        told = opens?.getTime() ?? null;
      }
      if (opens === null) return waits(false);
      waits(true);
      await pause(Math.min(LOOK_AT_WINDOW, Math.max(0, opens.getTime() - Date.now())), signal);
    }
  }

  /** Tries again while a system can't be reached, with growing pauses; then the run ends and can be taken up again. */
  private async patiently<T>({ row, signal, waits }: Work, work: () => Promise<T>): Promise<T> {
    const until = Date.now() + OUTAGE_SECONDS * 1000;
    for (let attempt = 0; ; attempt++) {
      try {
        const result = await work();
        if (attempt > 0) await this.log(row.id, 'the target answers again; goes on');
        return result;
      } catch (error) {
        if (!(error instanceof Outage) || Date.now() > until) throw error;
        if (attempt === 0) await this.log(row.id, `${error.message}; tries again until it answers`, 'warning');
        waits(true);
        await pause(Math.min(30_000, 250 * 2 ** attempt) * (0.75 + Math.random() / 2), signal);
        waits(false);
      }
    }
  }

  private async conclude(work: Work, end: MappingEnd, changes: RunChanges): Promise<void> {
    const { claim, row, document, target, dataset, run } = work;
    const { id } = row;
    // What a document stops does not replace the content of its target by a part.
    const stays = end.how === 'stopped' && replaces(row, document);
    const bulk = target.lane === 'bulk' ? target : null;
    if (bulk?.finish && !stays) await this.untilOpen(work);
    const finished: Finished =
      bulk?.finish && !stays
        ? await this.patiently(work, () => {
            work.requireHeld();
            return bulk.finish!(document, dataset, run);
          })
        : { log: [] };
    for (const line of finished.log) await this.log(id, line);
    if (finished.asks !== undefined) return this.runs.end(claim, { state: 'asks', message: finished.asks });
    if (stays) await this.runs.takeBack(claim);
    await bulk?.discard?.(run, dataset, !stays);
    await closeMended(this.db, id, document, end.well);
    const told = bulk && end.how === 'finished' ? await this.tellGone(work, bulk, changes) : null;
    if (told !== null && told.asks !== null) return this.runs.end(claim, { state: 'asks', message: told.asks });
    const filed = await this.keep.failed(keptOf((await this.runs.row(id))!));
    if (filed !== null) await this.log(id, filed);
    const { counts } = (await readRun(this.db, id))!;
    const { read, filtered, skipped, unchanged, failed, waiting, delivered } = counts;
    if (waiting !== 0 || read !== filtered + skipped + unchanged + failed + delivered)
      throw new Error(
        `The counts do not add up: ${read} read, ${filtered} filtered, ${skipped} skipped, ${unchanged} unchanged, ${failed} failed, ${waiting} waiting, ${delivered} delivered. This is a fault of Versicle.`,
      );
    if (end.how === 'finished') await this.changes.finished(row);
    const gone = await this.changes.told(id);
    // Where nobody could say what is gone, or a later run has to, the same is looked at once more.
    const isTold = told?.isTold !== false && (changes.vanished !== null || !wantsGone(row));
    if (end.how === 'finished' && isTold) await this.confirmCaptured(work);
    await this.runs.end(
      claim,
      end.how === 'stopped'
        ? { state: 'stopped', message: 'stopped, as the document says for a failure that occurred' }
        : {
            state: 'finished',
            message: `finished: ${counted(delivered, 'record')} delivered, ${counted(failed, 'record')} failed${gone > 0 ? `, ${counted(gone, 'record')} gone` : ''}`,
          },
    );
    rmSync(this.landing(id), { force: true });
    // The run has ended already when the stores are looked after.
    await this.care(bulk, dataset, delivered).catch((error: Error) =>
      this.log(id, `the table could not be tidied up: ${error.message}`, 'warning'),
    );
  }
  /** What the source wrote down is worked off. Where it can't be told so, it is read once more. */
  private async confirmCaptured({ row, document }: Work): Promise<void> {
    const captured = capturedOf((await this.runs.row(row.id))!);
    if (captured === null) return;
    const { system } = await this.systems.openDataset(document.source.primary.dataset);
    await this.captured
      .confirm(row, captured, system)
      .catch((error: Error) =>
        this.log(
          row.id,
          `what the source wrote down could not be confirmed, and is read once more: ${error.message}`,
          'warning',
        ),
      );
  }
  private async tellGone(work: Work, target: BulkTarget, changes: RunChanges): Promise<ToldGone> {
    const { db } = this;
    const { claim, document, dataset, run } = work;
    const row = (await this.runs.row(work.row.id))!;
    return tellGone(
      {
        db,
        claim,
        row,
        document,
        target,
        dataset,
        run,
        looked: capturedOf(row)?.keys ?? null,
        log: (message) => this.log(row.id, message),
        untilMay: (records) => this.untilMay(work, records),
        patiently: (tell) => this.patiently(work, tell),
      },
      changes,
    );
  }
  private async care(target: BulkTarget | null, table: string, delivered: number): Promise<void> {
    await target?.care?.(table, delivered);
    // PGlite does not vacuum by itself, and each record that was sent has lain in the outbox.
    if (target === null && delivered >= 10_000) await this.db.exec('VACUUM (ANALYZE) outbox');
    await this.db.exec('CHECKPOINT');
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

  /** What its share gave it; null where it is part of none. */
  private part(row: RunRow): string | null {
    const part = carriedBy(row)?.part;
    return part === undefined || row.kind === 'replay' ? null : partPath(this.directory, row.parent!, part);
  }
  private landing(run: number): string {
    return join(this.directory, `run-${run}.jsonl`);
  }
  private log(run: number, message: string, level?: LogLevel): Promise<void> {
    return this.runs.log(run, message, level);
  }
}

const removesAtMost = (row: RunRow): number => {
  const carried = carriedBy(row);
  return carried?.kind === 'mapping' ? carried.removesAtMost : REMOVES_AT_MOST;
};
const keptOf = (run: RunRow): Kept => {
  const step = carriedBy(run);
  return {
    run: run.id,
    keep: (step?.kind === 'mapping' ? step.keep : undefined) ?? {},
    now: startOf(run),
    variables: variablesOf(run),
  };
};
/** Whether something is to be done about what is gone. */
const wantsGone = (row: RunRow): boolean => {
  const step = carriedBy(row);
  return row.kind === 'full' && step?.kind === 'mapping' && step.vanished !== 'leave';
};
const capturedOf = (row: RunRow): CapturedRun | null => (row.captured === null ? null : fromJson(row.captured));
/** Whether a run loads records, or sends failed ones again. */
const movesRecords = ({ kind }: RunRow): boolean => kind === 'full' || kind === 'replay';
const sentRun = ({ id, mapping, revision }: RunRow, document: MappingDocument): SentRun => ({
  run: id,
  mapping,
  revision,
  document,
});
const replaces = (run: RunRow, document: MappingDocument): boolean =>
  run.kind === 'full' && document.write.mode === 'replace';
/** Whether whole chunks of the source can be read and mapped by whoever has time: not where records are numbered one after the other. */
const canBeShared = (run: RunRow, document: MappingDocument, plan: SourcePlan): boolean =>
  run.kind === 'full' && comesInChunks(plan.format) && !isNumbered(document);
