import { randomUUID } from 'node:crypto';
import {
  parseDocument,
  watermarkFilter,
  type HighestValue,
  type MappingDocument,
  type MappingStep,
  type PlanDocument,
  type Step,
  type Unknown,
} from '@versicle/core';
import type { LogLevel } from '@versicle/contract';
import type { Events } from '../http/events.ts';
import { LOST_RUN, type Database, type Statement } from '@versicle/postgres';
import { LEASE } from '@versicle/store/claims';
import { fromJson } from '../store/values.ts';
import type { Arrived, Captured, SourcePlan } from '../systems/kinds/kind.ts';
import { Peers } from '../workers/peers.ts';
import type { ThisWorker } from '../workers/workers.ts';
import { HOLDERS, readRun } from './run-store.ts';
import { LEFT_BEHIND } from './left-behind.ts';
import { IN_THE_WAY, KEPT_ELSEWHERE, usesOf, type RunUse } from './run-uses.ts';

/** What cuts a run into chunks: the same in each of its lives, or the journal would take one chunk for another. */
export interface Cut {
  readonly rows: number;
  /** Characters of the records: of their cells as read, or of the text that they stand in. */
  readonly characters: number;
  /** Chunks are cut from the text of files, and may be read and mapped by several threads. */
  readonly of?: 'text';
}
/** Values that the structure of the source does not know, and that nothing was made of; the first is a row of a file. */
export interface UnreadValues extends Unknown {
  readonly file: string | null;
}

export interface RunRow {
  [key: string]: unknown;
  id: number;
  uid: string | null;
  kind: 'full' | 'replay' | 'sql' | 'request';
  /** Of a whole load or a replay. */
  mapping: string;
  revision: number;
  parent: number | null;
  plan: string;
  state: string;
  row_limit: string | null;
  chunk: number;
  read: string;
  /** Whose claim ran out when this one was made. */
  taken_from: string | null;
  /** Where what it has fetched lies; null: in no process of its own. */
  records_at: string | null;
  cut: Cut | string | null;
  sequence: string | null;
  sequence_from: string | null;
  confirmed_by: string | null;
  started_at: string | null;
  source: SourcePlan | string | null;
  carries: Carries | string | null;
  variables: Readonly<Record<string, string>> | string;
  taken: Taken | string | null;
  since: HighestValue | string | null;
  mapped: MappingEnd | string | null;
  captured: CapturedRun | string | null;
  unread: Record<string, UnreadValues> | string | null;
}
/** What a run took of what its source wrote down itself: the keys of records that may have changed; null: all may have. */
export interface CapturedRun extends Captured {
  readonly consumer: string;
}
/** What has arrived of a dataset, and started the run that reads just that. */
export interface Taken {
  readonly dataset: string;
  readonly only: Arrived;
}
/** What of a plan a run carries out: the step, and what the plan says of all its loads. */
export type Carries = (MappingStep | SqlStep | RequestStep) & {
  readonly stop?: PlanDocument['stop'];
  /** A rule that source records must meet besides. */
  readonly filter?: string;
  /** Which part of what its share gave out it reads. */
  readonly part?: number;
  /** What tells runs apart that read other records: the plan's variables as they are written, and what is filtered. */
  readonly scope?: string;
};
export type SqlStep = Extract<Step, { kind: 'sql' }>;
export type RequestStep = Extract<Step, { kind: 'request' }>;
/** How the mapping of a run's records ended, when all of them are delivered or wait to be sent. */
export interface MappingEnd {
  readonly how: 'finished' | 'stopped';
  /** Open failures that were read again and went well. */
  readonly well: readonly number[];
}
/** A run that this process has taken on; `number` is the how-manyth claim of the run it is. */
export interface Claim {
  readonly run: number;
  readonly number: number;
}
/** What a person wants of a run that somebody carries out. */
export type Wanted = 'cancelled' | 'paused';
/** How a run is left. `outage`: a system could not be reached, so it may go on by itself. */
export interface Ended {
  readonly state: 'finished' | 'stopped' | 'cancelled' | 'broken' | 'asks';
  readonly message: string;
  readonly outage?: boolean;
}

/** How loud the end of a run is. */
const LEVELS: Readonly<Record<Ended['state'], LogLevel>> = {
  finished: 'info',
  cancelled: 'info',
  asks: 'warning',
  stopped: 'warning',
  broken: 'error',
};

const NOT_OVER = "('queued', 'running', 'broken', 'asks', 'paused')";

export const RENEW_EVERY = (LEASE * 1000) / 3;
/** One claim at a time in the whole store, so that no two take on runs that are in each other's way. */
const CLAIMING = 7_404_001;

/** Nobody has it, or another process has not been heard of. What this one has itself it never takes twice, however late it is. */
const FREE = '(r.claimed_until IS NULL OR r.claimed_until < clock_timestamp() AND r.claimed_by <> $1)';

/** This process was away for longer than its claim holds: another one may carry the run out by now. */
export class LostClaim extends Error {
  readonly code = LOST_RUN;
  constructor(run: number) {
    super(`This process was stopped for longer than its claim of run ${run} holds.`);
  }
}
/** A claim was lost: another process carries the run out, and nothing of this one counts any more. */
export const isLostClaim = (error: unknown): boolean => (error as { code?: unknown }).code === LOST_RUN;
/** The first statement of whatever is kept of a run while it is carried out. */
export const requireClaim = ({ run, number }: Claim): Statement => ({
  sql: 'SELECT require_claim($1, $2)',
  params: [run, number],
});

/**
 * The life of runs: made, claimed, moved from state to state, ended. Every move is one statement that says from which states
 * it leads, so that no two moves meet; what a process does with a run it has claimed counts only while it holds the claim.
 */
export class Runs {
  /** Told of each run that has ended, or waits for somebody, and of each that goes on again. */
  moved: (run: number) => void = () => undefined;
  /** When pages last heard of a run. */
  private readonly announced = new Map<number, number>();

  constructor(
    private readonly db: Database,
    private readonly events: Events,
    /** This process, as claims name it, and where the records and the embedded databases lie that it has. */
    readonly me: Pick<ThisWorker, 'id' | 'place' | 'home'> = { id: randomUUID(), place: 'here', home: 'here' },
    private readonly peers: Peers = Peers.none(),
  ) {}

  /** Says what a new run touches; it can be claimed from then on. */
  async ready(id: number): Promise<void> {
    const uses = await this.usesOf((await this.row(id))!);
    await this.db.query(
      'INSERT INTO run_use (run, thing, use) SELECT $1, thing, use FROM json_to_recordset($2::json) AS u(thing text, use text) ON CONFLICT DO NOTHING',
      [id, JSON.stringify(uses)],
    );
  }
  private async usesOf(run: RunRow): Promise<RunUse[]> {
    const carried = carriedBy(run);
    // A statement may touch anything in its system; a request is in nobody's way.
    if (run.kind === 'sql') return [{ thing: `system ${(carried as SqlStep).system}`, use: 'alone' }];
    if (run.kind === 'request') return [{ thing: `run ${run.id}`, use: 'alone' }];
    let document: MappingDocument;
    try {
      document = await this.document(run);
    } catch {
      // What can't be read any more breaks when it is carried out, with a sentence; until then it is in nobody's way.
      return [{ thing: `mapping ${run.mapping}`, use: 'alone' }];
    }
    return usesOf(document, run.mapping);
  }
  /**
   * Says what runs touch of which nobody has said it: whoever made them was killed, or lost the store, right then. They can be
   * claimed from then on.
   */
  async readyLeft(): Promise<void> {
    const rows = await this.db.query<{ id: number }>(
      // As the index has them: it is asked every few seconds, of hundreds of thousands of runs.
      `SELECT id FROM run r WHERE state IN ('queued', 'running', 'asks', 'broken') AND kind NOT IN ${HOLDERS} AND NOT EXISTS (SELECT 1 FROM run_use u WHERE u.run = r.id) ORDER BY id`,
    );
    for (const { id } of rows) await this.ready(id);
  }
  /** The runs that are not over, and of which records may lie here. */
  async unfinished(): Promise<number[]> {
    const rows = await this.db.query<{ id: number }>(
      `SELECT id FROM run WHERE state IN ${NOT_OVER} AND kind NOT IN ${HOLDERS} ORDER BY id`,
    );
    // Of shares that are not over, others read what they gave out.
    const shares = await this.db.query<{ id: number }>(
      `SELECT id FROM run WHERE state IN ${NOT_OVER} AND kind = 'share'`,
    );
    return [...rows, ...shares].map((r) => r.id);
  }

  /** Whether its records came by themselves, or were chosen: what a webhook brought, failed ones sent again, the first few. */
  async isImmediate({ id, kind, row_limit }: RunRow): Promise<boolean> {
    if (kind === 'replay' || row_limit !== null) return true;
    const [row] = await this.db.query<{ came: boolean }>(
      `WITH RECURSIVE up AS (
         SELECT id, parent, taken FROM run WHERE id = $1 UNION ALL SELECT p.id, p.parent, p.taken FROM run p JOIN up ON p.id = up.parent
       ) SELECT bool_or(taken -> 'only' -> 'after' IS NOT NULL) AS came FROM up`,
      [id],
    );
    return row!.came;
  }

  /**
   * Takes on a run that no other one is in the way of, of the plan that has the fewest under way, the one that waits longest;
   * null when there is none. Not one whose records, or whose embedded database, only another process has. `immediate`: only
   * what people or deliveries wait for.
   */
  async claimNext(immediate = false): Promise<Claim | null> {
    return this.claim(
      `SELECT r.id FROM run r
        WHERE r.state IN ('queued', 'running') AND ${FREE} AND (r.records_at IS NULL OR r.records_at = $3 OR ${LEFT_BEHIND})
          AND (NOT $4::boolean OR r.kind = 'replay' OR r.row_limit IS NOT NULL OR r.taken -> 'only' -> 'after' IS NOT NULL)
          AND EXISTS (SELECT 1 FROM run_use u WHERE u.run = r.id)
          AND NOT EXISTS (SELECT 1 FROM (${IN_THE_WAY}) w WHERE w.id < r.id OR w.claimed_until IS NOT NULL)
          AND NOT EXISTS (SELECT 1 FROM (${KEPT_ELSEWHERE}) k)
        ORDER BY (SELECT count(*) FROM run o WHERE o.plan = r.plan AND o.claimed_until > clock_timestamp() AND o.state = 'running'), r.id LIMIT 1`,
      [this.me.place, immediate, this.me.home],
    );
  }
  /** Takes on a run that holds others, to read what it begins them with; null where somebody else does. */
  async claimHolder(id: number): Promise<Claim | null> {
    return this.claim(
      // One of this process that ran out, and could not be given back, is its own to take: it reads a holder once at a time.
      `SELECT r.id FROM run r WHERE r.id = $3 AND r.kind IN ${HOLDERS} AND r.state = 'running'
          AND (r.claimed_until IS NULL OR r.claimed_until < clock_timestamp())`,
      [id],
    );
  }
  /** Takes on a run that nobody carries out now, to give it up; null where there is none such. */
  async claimIdle(id: number): Promise<Claim | null> {
    return this.claim(
      `SELECT r.id FROM run r WHERE r.id = $3 AND (r.state IN ('asks', 'broken', 'paused')
          OR r.state IN ('queued', 'running') AND ${FREE})`,
      [id],
    );
  }
  private async claim(which: string, params: readonly unknown[]): Promise<Claim | null> {
    const [, rows] = await this.db.transaction([
      { sql: 'SELECT pg_advisory_xact_lock($1)', params: [CLAIMING] },
      {
        sql: `UPDATE run SET claim = claim + 1, taken_from = CASE WHEN claimed_until IS NOT NULL AND claimed_by <> $1 THEN claimed_by ELSE NULLIF(taken_from, $1) END, claimed_by = $1, claimed_until = clock_timestamp() + make_interval(secs => $2)
               WHERE id = (${which}) RETURNING id, claim`,
        params: [this.me.id, LEASE, ...params],
      },
    ]);
    const [row] = rows!;
    return row ? { run: Number(row['id']), number: Number(row['claim']) } : null;
  }
  /** Says that this process is still at it. Gives the claims that were lost. One that was given back meanwhile is not taken again. */
  async renew(claims: readonly Claim[]): Promise<readonly Claim[]> {
    if (claims.length === 0) return [];
    const rows = await this.db.query<{ id: number }>(
      `UPDATE run SET claimed_until = clock_timestamp() + make_interval(secs => $3)
         FROM unnest($1::int[], $2::bigint[]) AS c(run, claim) WHERE id = c.run AND run.claim = c.claim AND run.claimed_until IS NOT NULL RETURNING id`,
      [claims.map((c) => c.run), claims.map((c) => c.number), LEASE],
    );
    const held = new Set(rows.map((r) => r.id));
    return claims.filter((c) => !held.has(c.run));
  }
  /** Asks whoever carries a run out to end or pause it. Gives whether anybody does. */
  async want(run: number, wanted: Wanted): Promise<boolean> {
    const rows = await this.db.query(
      `UPDATE run SET wanted = CASE WHEN wanted = 'cancelled' THEN wanted ELSE $2 END
        WHERE id = $1 AND state IN ('queued', 'running') AND claimed_until IS NOT NULL RETURNING id`,
      [run, wanted],
    );
    if (rows.length > 0) this.peers.tell({ kind: 'wanted' });
    return rows.length > 0;
  }
  /** What is wanted of runs that this process carries out. */
  wanted(): Promise<{ id: number; wanted: Wanted }[]> {
    return this.db.query(
      'SELECT id, wanted FROM run WHERE wanted IS NOT NULL AND claimed_by = $1 AND claimed_until IS NOT NULL ORDER BY id',
      [this.me.id],
    );
  }
  /** Records that a run has fetched lie where only some processes reach them. */
  async lies({ run, number }: Claim): Promise<void> {
    await this.db.transaction([
      requireClaim({ run, number }),
      { sql: 'UPDATE run SET records_at = $2 WHERE id = $1', params: [run, this.me.place] },
    ]);
  }
  /** Whether what it has fetched lies with another process, which is not there any more. */
  isGone({ records_at }: RunRow): boolean {
    return records_at !== null && records_at !== this.me.place;
  }
  /** The very same records lie here now. */
  async fetchedAgain({ run, number }: Claim, source: SourcePlan): Promise<void> {
    await this.db.transaction([
      requireClaim({ run, number }),
      {
        sql: 'UPDATE run SET records_at = $2, source = $3 WHERE id = $1',
        params: [run, this.me.place, JSON.stringify(source)],
      },
    ]);
  }
  /** A run that was being carried out stays as it is until somebody lets it go on. */
  async pause({ run, number }: Claim): Promise<void> {
    await this.db.transaction([
      requireClaim({ run, number }),
      {
        sql: "UPDATE run SET state = 'paused', claimed_until = NULL, wanted = NULL WHERE id = $1 AND state IN ('queued', 'running')",
        params: [run],
      },
      logged(run, 'paused'),
    ]);
    await this.announce(run);
  }
  /** Whether the store says that the claim holds. */
  async holds({ run, number }: Claim): Promise<boolean> {
    const sql = 'SELECT 1 FROM run WHERE id = $1 AND claim = $2 AND claimed_until IS NOT NULL';
    return (await this.db.query(sql, [run, number])).length > 0;
  }
  /** Whoever had the run before is in nobody's way any more. */
  async takenOn({ run, number }: Claim): Promise<void> {
    await this.db.query('UPDATE run SET taken_from = NULL WHERE id = $1 AND claim = $2', [run, number]);
  }
  /** The run stays as it is, for the next process. */
  async release({ run, number }: Claim): Promise<void> {
    await this.db.query('UPDATE run SET claimed_until = NULL WHERE id = $1 AND claim = $2', [run, number]);
  }

  /** The run begins: what it reads and how it is cut is fixed from here on. */
  async begin(claim: Claim, source: SourcePlan, bytes: number, cut: Cut): Promise<void> {
    await this.db.transaction([
      requireClaim(claim),
      {
        sql: `UPDATE run SET state = 'running', started_at = clock_timestamp(), source = $2, bytes_total = $3, bytes_done = 0, cut = $4,
                sequence_from = COALESCE((SELECT last FROM mapping_sequence s WHERE s.mapping = run.mapping), 0) WHERE id = $1`,
        params: [claim.run, JSON.stringify(source), bytes, JSON.stringify(cut)],
      },
    ]);
  }
  /** A step that moves no records begins. */
  async beginStep(claim: Claim): Promise<void> {
    await this.db.transaction([
      requireClaim(claim),
      {
        sql: "UPDATE run SET state = 'running', started_at = COALESCE(started_at, clock_timestamp()) WHERE id = $1",
        params: [claim.run],
      },
    ]);
    await this.announce(claim.run);
  }
  /** All records are mapped, and wait where they are not delivered: a run that is taken up again reads nothing any more. */
  async keepMapped(claim: Claim, end: MappingEnd): Promise<void> {
    await this.db.transaction([
      requireClaim(claim),
      // It needs what it had fetched no more: any process can see to its end.
      { sql: 'UPDATE run SET mapped = $2, records_at = NULL WHERE id = $1', params: [claim.run, JSON.stringify(end)] },
    ]);
  }
  /** What was loaded beside a target and does not take its place was not delivered. */
  async takeBack(claim: Claim): Promise<void> {
    await this.db.transaction([
      requireClaim(claim),
      {
        sql: "INSERT INTO run_log (run, level, message) SELECT id, 'warning', delivered || ' loaded records did not take the place of what the target has; it stays as it was' FROM run WHERE id = $1 AND delivered > 0",
        params: [claim.run],
      },
      {
        sql: 'UPDATE run SET read = read - delivered - unchanged, delivered = 0, unchanged = 0 WHERE id = $1',
        params: [claim.run],
      },
    ]);
  }
  /** A run that broke, or that asked and was answered, may be claimed again. */
  async again(id: number): Promise<void> {
    await this.ready(id);
    await this.db.query(
      "UPDATE run SET state = CASE WHEN started_at IS NULL OR cut IS NULL THEN 'queued' ELSE 'running' END, finished_at = NULL, error = NULL, outage = false, trouble = NULL, wanted = NULL, followed = false WHERE id = $1 AND state IN ('broken', 'asks', 'paused')",
      [id],
    );
    await this.announce(id);
    this.moved(id);
  }
  /** The run is over, broken, or waits for somebody. Without a word where the claim was lost. */
  async end(claim: Claim, { state, message, outage = false }: Ended): Promise<void> {
    const { run } = claim;
    await this.db.transaction([
      requireClaim(claim),
      {
        sql: "UPDATE run SET state = $2, finished_at = clock_timestamp(), error = $3, outage = $4, claimed_until = NULL, wanted = NULL WHERE id = $1 AND state IN ('queued', 'running', 'asks', 'broken', 'paused')",
        params: [run, state, state === 'broken' || state === 'asks' || state === 'stopped' ? message : null, outage],
      },
      ...(state === 'broken' || state === 'asks' ? [] : NEEDED_WHILE_IT_GOES.map((sql) => ({ sql, params: [run] }))),
      // It is in nobody's way any more.
      { sql: 'DELETE FROM run_use WHERE run = $1', params: [run] },
      // What may have arrived in an outage stays with its run, which can be taken up again.
      ...(outage || state === 'asks' ? [] : [recordsOpenAgain(run)]),
      logged(run, message, LEVELS[state]),
    ]);
    await this.ended(run);
  }
  /** Whoever waits for the end of a run hears of it. */
  async ended(run: number): Promise<void> {
    this.announced.delete(run);
    await this.announce(run);
    await this.events.waitingChanged();
    this.moved(run);
    // What it was in the way of may be taken on by anybody.
    this.peers.tell({ kind: 'runs' });
  }

  async log(run: number, message: string, level: LogLevel = 'info'): Promise<void> {
    const { sql, params } = logged(run, message, level);
    await this.db.query(sql, params);
  }
  /** So many requests were made for a run. */
  async asked(run: number, requests: number): Promise<void> {
    await this.db.query('UPDATE run SET requests = requests + $2 WHERE id = $1', [run, requests]);
  }
  /** Pages hear of a moving run a few times a second, not with every chunk. */
  async announceNow(id: number): Promise<void> {
    const now = Date.now();
    if (now - (this.announced.get(id) ?? 0) < 250) return;
    this.announced.set(id, now);
    await this.announce(id);
  }
  async announce(id: number): Promise<void> {
    if (!this.events.isHeard) return;
    const run = await readRun(this.db, id);
    if (run) this.events.send({ type: 'run', run });
  }

  async row(id: number): Promise<RunRow | null> {
    const [run] = await this.db.query<RunRow>(
      `SELECT r.id, r.uid, r.kind, r.plan, r.mapping, r.revision, r.state, r.row_limit, r.chunk, r.read, r.cut, r.sequence, r.sequence_from,
              r.confirmed_by, r.started_at, r.source, r.mapped, r.parent, r.taken_from, r.records_at, r.carries, r.variables, r.taken, r.since, r.captured, r.unread FROM run r WHERE r.id = $1`,
      [id],
    );
    return run ?? null;
  }
  /** The revision that a run carries out, with what its plan filters besides. */
  async document({
    mapping,
    revision,
    carries,
    since,
  }: Pick<RunRow, 'mapping' | 'revision' | 'carries' | 'since'>): Promise<MappingDocument> {
    const [found] = await this.db.query<{ document: string }>(
      'SELECT document FROM revision WHERE mapping = $1 AND number = $2',
      [mapping, revision],
    );
    const document = parseDocument(JSON.parse(found!.document));
    const step = carriedBy({ carries });
    const from = sinceOf({ since });
    const watermark = step?.kind === 'mapping' ? step.watermark : undefined;
    const filters = [
      document.source.filter,
      step?.filter,
      from !== null && watermark !== undefined ? watermarkFilter(watermark, from) : null,
    ].filter((filter) => typeof filter === 'string');
    if (filters.length === 0) return document;
    const filter = filters.length === 1 ? filters[0]! : filters.map((f) => `(${f})`).join(' AND ');
    return { ...document, source: { ...document.source, filter } };
  }
  /** Runs that ended because a system could not be reached. */
  async afterOutage(): Promise<RunRow[]> {
    const rows = await this.db.query<{ id: number }>(
      "SELECT id FROM run WHERE state = 'broken' AND outage ORDER BY id",
    );
    return Promise.all(rows.map(async ({ id }) => (await this.row(id))!));
  }
}

/** What a run leaves that may not be taken up again, nor be said yes to: in one transaction with its end, so that it is never missed. */
const NEEDED_WHILE_IT_GOES = [
  'DELETE FROM outbox_part WHERE run = $1',
  'DELETE FROM run_seen WHERE run = $1',
  'DELETE FROM run_gone WHERE run = $1',
  `UPDATE run SET captured = (captured::jsonb || '{"keys": []}')::json WHERE id = $1 AND json_typeof(captured -> 'keys') = 'array'`,
];
const recordsOpenAgain = (run: number): Statement => ({
  // What waits to be sent stays with its run: sent by another one, it might arrive twice.
  sql: "UPDATE failed_record f SET state = 'open' WHERE state = 'replaying' AND id IN (SELECT record FROM replay_item WHERE run = $1) AND NOT EXISTS (SELECT 1 FROM outbox o WHERE o.run = $1 AND o.replayed = f.id)",
  params: [run],
});
export const logged = (run: number, message: string, level: LogLevel = 'info'): { sql: string; params: unknown[] } => ({
  sql: 'INSERT INTO run_log (run, message, level) VALUES ($1, $2, $3)',
  params: [run, message, level],
});

export const carriedBy = ({ carries }: Pick<RunRow, 'carries'>): Carries | null =>
  carries === null ? null : fromJson(carries);
/** From where it reads; null: from the beginning. */
export const sinceOf = ({ since }: Pick<RunRow, 'since'>): HighestValue | null =>
  since === null ? null : fromJson(since);
/** What fills the places of its texts: the plan's variables, and the run's own number and plan. */
export const variablesOf = (row: RunRow): ReadonlyMap<string, string> =>
  new Map([...Object.entries(fromJson(row.variables)), ['run', String(row.parent ?? row.id)], ['plan', row.plan]]);
/** Whether a run reads less than its document says. */
export const readsPart = (run: RunRow): boolean =>
  run.row_limit !== null ||
  run.taken !== null ||
  run.since !== null ||
  carriedBy(run)?.filter !== undefined ||
  carriedBy(run)?.part !== undefined;
export const mappedOf = (run: RunRow): MappingEnd | null => (run.mapped === null ? null : fromJson(run.mapped));
export const sourceOf = (run: RunRow): SourcePlan | null => (run.source === null ? null : fromJson(run.source));
/** What now() means in what a run's places are filled with, also after it was taken up again. */
export const startOf = (row: Pick<RunRow, 'started_at'>): Date =>
  row.started_at === null ? new Date() : new Date(`${row.started_at.replace(' ', 'T')}:00`);
