import type { Systems } from '../../systems/systems.ts';
import type { Tell } from '../../runs/run-log.ts';
import {
  changesProblem,
  counted,
  watermarkFilter,
  type MappingDocument,
  type MappingStep,
  type Watermark,
} from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import {
  carriedBy,
  readsPart,
  requireClaim,
  sinceOf,
  type CapturedRun,
  type Claim,
  type RunRow,
} from '../../runs/runs.ts';
import type { MapJob, MappedChunk } from '../messages.ts';
import { digestsOfTexts, HALF } from './digests.ts';
import { goneProblem } from './gone.ts';
import { KnownRecords } from './known-records.ts';
import { learn, mappedAs, mappedBefore, type MappedBefore } from './mapped-before.ts';
import { forgetAll, memoryOf, rememberKeys, type Memory } from './memory.ts';
import { onlyChanged, type ChangedChunk } from './only-changed.ts';
import { tidyParts } from './tidy-parts.ts';
import { keepWatermark, knownWatermark, type WatermarkOf } from './watermarks.ts';

/** What a run makes of what was delivered before. */
export interface RunChanges {
  /** Where it is remembered what it delivers; null: nowhere. */
  readonly memory: Memory | null;
  /** Leaves out what was delivered before; null where all is sent. */
  readonly only: ((mapped: MappedChunk) => ChangedChunk) | null;
  /** What was delivered before, where it alone decides what is left out. */
  readonly known: KnownRecords | null;
  /** By what the newest record is told. */
  readonly watermark: Watermark | null;
  /** What becomes of records that the source has no more; null where nothing does. */
  readonly vanished: Vanished | null;
}
export const NO_CHANGES: RunChanges = { memory: null, only: null, known: null, watermark: null, vanished: null };
interface Before {
  readonly before: MappedBefore | null;
  /** What is to be remembered for later ones. */
  readonly learn: (learned: Uint8Array) => readonly Statement[];
}
type Vanished = Exclude<MappingStep['vanished'], 'leave'>;

/** Only what changed: by what was delivered before, and by how far earlier runs have come. */
export class Changes {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly log: Tell,
  ) {}

  /** Fixes from where a run reads that has not begun yet. */
  async fixStart(claim: Claim, row: RunRow): Promise<void> {
    const of = watermarkOf(row);
    if (row.started_at !== null || of === null) return;
    // What has arrived is read as a whole.
    const since = row.taken === null ? await knownWatermark(this.db, of) : null;
    await this.db.transaction([
      requireClaim(claim),
      { sql: 'UPDATE run SET since = $2 WHERE id = $1', params: [row.id, since && JSON.stringify(since)] },
    ]);
  }

  /** Throws a sentence where changes can't be told. */
  async begin(
    row: RunRow,
    document: MappingDocument,
    lane: 'bulk' | 'queue',
    captured: CapturedRun | null,
  ): Promise<RunChanges> {
    const step = stepOf(row);
    const compares = step !== null && step.changes !== 'all';
    const vanished = step === null || step.vanished === 'leave' ? null : step.vanished;
    const problem =
      (compares ? changesProblem(step, document) : null) ??
      (vanished === null ? null : await goneProblem(this.db, this.systems, step!, document));
    if (problem !== null) throw new Error(problem);
    if (document.write.mode === 'replace' || document.target.key.length === 0) {
      await this.db.transaction([forgetAll(row.mapping)]);
      return NO_CHANGES;
    }
    const { dataset } = document.target;
    const found = await memoryOf(this.db, row.mapping, dataset, compares || vanished !== null);
    if (found === null) return NO_CHANGES;
    const memory =
      vanished === null && found.keys === null
        ? found
        : await this.withKeys(row, found, document, captured?.fields ?? null);
    const told = await this.tellsGone(row, vanished);
    if (!compares) {
      // Taken up after a later run: what a chunk of it held is not what the target has by now.
      const isStale = lane === 'bulk' && row.started_at !== null && (await this.others(row)).some((o) => o.later);
      if (isStale) await this.db.transaction([forgetAll(row.mapping)]);
      return isStale ? NO_CHANGES : { ...NO_CHANGES, memory, vanished: told };
    }
    if (lane === 'bulk') await this.requireCertain(row);
    const waiting = lane === 'queue' ? await this.waiting(row, dataset) : new Map<string, string>();
    await this.say(row, step.watermark ?? null, waiting.size);
    const known = await this.known(row, memory);
    // Taken up again, it maps what it mapped; what waits elsewhere, is gone, or was read last is told of mapped records.
    const decides = row.started_at === null && waiting.size === 0 && told === null && step.changes === 'compare';
    return {
      memory,
      only: (mapped) => onlyChanged(known, waiting, mapped),
      known: decides && captured === null ? known : null,
      watermark: step.changes === 'watermark' ? step.watermark! : null,
      vanished: told,
    };
  }
  /** What is remembered, with the values of the key as it is now. */
  private async withKeys(
    row: RunRow,
    known: Memory,
    { target }: MappingDocument,
    captured: readonly string[] | null,
  ): Promise<Memory> {
    const source = captured ?? known.source;
    if (known.keys?.join() === target.key.join() && known.source?.join() === source?.join()) return known;
    const forgotten = await rememberKeys(this.db, known, target.key, source);
    if (forgotten > 0)
      await this.log(
        row.id,
        `${counted(forgotten, 'record')} that ${forgotten === 1 ? 'was' : 'were'} delivered before ${forgotten === 1 ? 'is' : 'are'} not known by the key as it is now: all records are sent, and what is gone is told from this run on`,
        'warning',
      );
    return { ...known, keys: target.key, source };
  }
  /** A run that reads a part, or that another has overtaken, does not tell what is gone. */
  private async tellsGone(row: RunRow, vanished: Vanished | null): Promise<Vanished | null> {
    if (vanished === null) return null;
    const why = readsPart(row)
      ? 'it reads a part of the records'
      : (await this.others(row)).some((o) => o.later)
        ? 'a later run has delivered records of this mapping since'
        : null;
    if (why !== null) await this.log(row.id, `nothing is told gone: ${why}`, 'warning');
    return why === null ? vanished : null;
  }
  private async say(row: RunRow, watermark: Watermark | null, waiting: number): Promise<void> {
    if (row.started_at !== null) return;
    if (watermark !== null) {
      const since = sinceOf(row);
      await this.log(
        row.id,
        since === null
          ? 'reads all records: nothing says yet up to where earlier runs have come; sends what changed'
          : `reads what is new: ${watermarkFilter(watermark, since)}`,
      );
    }
    if (waiting > 0)
      await this.log(
        row.id,
        `${counted(waiting, 'record waits', 'records wait')} in another run already; not sent twice`,
      );
  }

  /**
   * What a database or file was handed may be ahead of what is remembered where a run broke off. A run that begins takes
   * nothing for known then; one that is taken up would compare with what another has remembered since.
   */
  private async requireCertain(row: RunRow): Promise<void> {
    const others = await this.others(row);
    if (row.started_at !== null) {
      const later = others.find((o) => o.later);
      if (later)
        throw new Error(
          `Run ${later.id} has delivered records of this mapping since, so what changed can’t be told as when this run began. Start a new run: it sends just what is different now.`,
        );
      return;
    }
    if (others.length === 0) return;
    await this.db.transaction([forgetAll(row.mapping)]);
    await this.log(
      row.id,
      `run ${others[0]!.id} of this mapping is not over, and what it has delivered is not certain: all records are sent`,
      'warning',
    );
  }
  /** Runs of the mapping that are not over, or began later. */
  private others(row: RunRow): Promise<{ id: number; later: boolean }[]> {
    return this.db.query(
      `SELECT o.id, o.started_at > r.started_at AS later FROM run o, run r
        WHERE r.id = $1 AND o.mapping = r.mapping AND o.id <> r.id AND o.kind IN ('full', 'replay') AND o.started_at IS NOT NULL
          AND (o.state IN ('running', 'broken', 'asks', 'paused') OR o.started_at > r.started_at)`,
      [row.id],
    );
  }
  /** What the target has, as far as this run may rely on it: what it has put into the outbox itself is still on its way. */
  private async known(row: RunRow, memory: Memory): Promise<KnownRecords> {
    const known = await KnownRecords.load(this.db, memory.id, row.id);
    if (row.started_at === null) await tidyParts(this.db, memory.id, known);
    const own = await this.db.query<{ digest: string }>(
      `SELECT on_arrival #>> '{remember,digest}' AS digest FROM outbox WHERE run = $1 AND on_arrival #>> '{remember,digest}' IS NOT NULL`,
      [row.id],
    );
    known.doubtAll(digestsOfTexts(own.map((o) => o.digest)));
    return known;
  }
  /** What other runs of the mapping have put into the outbox: by key, what the target will be sent last. */
  private async waiting({ id, mapping }: RunRow, target: string): Promise<ReadonlyMap<string, string>> {
    const rows = await this.db.query<{ digest: string }>(
      `SELECT o.on_arrival #>> '{remember,digest}' AS digest FROM outbox o JOIN run r ON r.id = o.run
        WHERE r.mapping = $1 AND o.run <> $2 AND o.target = $3 AND o.on_arrival #>> '{remember,digest}' IS NOT NULL ORDER BY o.id`,
      [mapping, id, target],
    );
    return new Map(rows.map((r) => [r.digest.slice(0, 2 * HALF), r.digest]));
  }

  /** What became of the run's records in earlier ones that mapped in just the same way. */
  async before(changes: RunChanges, job: Omit<MapJob, 'before'>): Promise<Before> {
    const { memory, known } = changes;
    const identity =
      memory === null || known === null || job.cut.of !== 'text' || job.keyMaps.size > 0
        ? null
        : mappedAs(job.document, job.source, job.variables);
    if (identity === null) return { before: null, learn: () => [] };
    const open = job.open.flatMap(({ key }) => (key === null ? [] : [JSON.parse(key) as (string | null)[]]));
    return {
      before: await mappedBefore(this.db, memory!.id, identity, known!, open),
      learn: (learned) => learn(memory!.id, identity, learned),
    };
  }

  /** What a run goes on with that asked a person about what is gone. */
  async confirmed(row: RunRow, { target }: MappingDocument): Promise<RunChanges> {
    const vanished = stepOf(row)?.vanished ?? 'leave';
    const told = await this.tellsGone(row, vanished === 'leave' ? null : vanished);
    return { ...NO_CHANGES, memory: await memoryOf(this.db, row.mapping, target.dataset, false), vanished: told };
  }
  /** How many records the target was told to be gone. */
  async told(run: number): Promise<number> {
    const [row] = await this.db.query<{ gone: string }>('SELECT gone FROM run WHERE id = $1', [run]);
    return Number(row!.gone);
  }
  /** A run has read all of its source: the next one goes on from there. */
  async finished(row: RunRow): Promise<void> {
    const of = watermarkOf(row);
    if (of === null || row.row_limit !== null || row.taken !== null) return;
    await this.db.transaction(await keepWatermark(this.db, row.id, of));
  }
  /** A run that is given up may have delivered what the store does not know of, unless all that it asks about is what is gone. */
  async givenUp(row: RunRow, lane: 'bulk' | 'queue' | null): Promise<void> {
    const [asked] = await this.db.query('SELECT 1 FROM run_gone WHERE run = $1 LIMIT 1', [row.id]);
    if (row.started_at === null || lane === 'queue' || asked !== undefined) return;
    await this.db.transaction([forgetAll(row.mapping)]);
  }
}

const stepOf = (row: RunRow) => {
  const carried = row.kind === 'full' ? carriedBy(row) : null;
  return carried?.kind === 'mapping' ? carried : null;
};
function watermarkOf(row: RunRow): WatermarkOf | null {
  const step = stepOf(row);
  if (step?.changes !== 'watermark' || step.scope === undefined) return null;
  const { mapping, revision, plan } = row;
  return { plan, step: step.id, scope: step.scope, mapping, revision, field: step.watermark!.field };
}
