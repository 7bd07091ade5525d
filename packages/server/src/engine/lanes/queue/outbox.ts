import { randomUUID } from 'node:crypto';
import type { Cells, Column, DeliveredKey } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import { fromJson } from '../../../store/values.ts';
import type { FailedRow, MappedChunk } from '../../messages.ts';

/** A finished record that is to be sent. */
export interface Waiting {
  readonly part: number;
  /** What the target may know it by, for good. */
  readonly deliveryKey: string;
  /** Records of one order key go one after the other; null: in any order. */
  readonly orderKey: string | null;
  readonly cells: Cells;
  /** What is kept of it when it fails. */
  readonly record: FailedRow;
  readonly onArrival: OnArrival;
  /** The failed record that is sent again. */
  readonly replayed: number | null;
  /** The request that it went with already; null: none. */
  readonly request: number | null;
  /** Which go first: 0 those of whole loads, 1 those that came by themselves or were chosen, 2 those a person sends first. */
  readonly sooner: number;
}
/** What is kept of a record when the target has taken it. */
export interface OnArrival {
  readonly remarks: readonly FailedRow[];
  readonly key: DeliveredKey | null;
  readonly settled: MappedChunk['settled'];
  /** It may only come in as a new record: a replayed duplicate. */
  readonly insertOnly: boolean;
  /** Where it is remembered that the target has it, and what it is known by there. */
  readonly remember?: { readonly memory: number; readonly digest: string };
}
export interface WaitingRow extends Omit<Waiting, 'replayed'> {
  readonly id: number;
  readonly run: number;
}
export interface PartColumns {
  readonly part: number;
  readonly dataset: string;
  readonly columns: readonly Column[];
  readonly key: readonly string[];
}
/** The right to send to a target; `number` is the how-manyth. */
export interface SenderClaim {
  readonly target: string;
  readonly number: number;
}
/** What keeps the waiting records of a run from being sent. */
export interface SendingState {
  readonly waiting: number;
  readonly trouble: string | null;
  readonly outage: { readonly since: Date; readonly message: string } | null;
}

/** The first statement of whatever is kept of what was sent. */
export const requireSender = ({ target, number }: SenderClaim): Statement => ({
  sql: 'SELECT require_sender($1, $2)',
  params: [target, number],
});
/** Records that are settled are in the outbox until then. */
export const requireWaiting = (ids: readonly number[]): Statement => ({
  sql: 'SELECT require_outbox($1::bigint[])',
  params: [ids],
});

const ROW = 'o.id, o.run, o.part, o.key, o.order_key, o.cells, o.record, o.on_arrival, o.request, o.sooner';
/** No earlier record of its order key is held, by itself or with its run, which is paused or goes on by itself after an outage. */
export const NOT_BEHIND = 'NOT waits_behind(o.target, o.order_key, o.id)';
/**
 * The table is empty, then full, then empty again: what the database believes to know of it is wrong at most times. So it is
 * told to go by indexes, one record after the other, and to end when there are enough.
 */
export const BY_INDEX: Statement = {
  sql: `SELECT set_config(n, 'off', true) FROM unnest(ARRAY['enable_sort', 'enable_bitmapscan', 'enable_hashjoin', 'enable_mergejoin', 'enable_seqscan']) n`,
};
/** Records of runs that are carried out now, and that nothing stands against. */
const SENDABLE = "JOIN run r ON r.id = o.run AND r.state = 'running' AND r.trouble IS NULL";

export const PAGE = `SELECT ${ROW} FROM outbox o ${SENDABLE}
   WHERE o.target = $1 AND o.request IS NULL AND NOT o.held AND o.id <> ALL ($2::bigint[]) AND ${NOT_BEHIND}
   ORDER BY o.sooner DESC, o.id LIMIT $3`;
export const UNANSWERED = `SELECT ${ROW} FROM outbox o ${SENDABLE}
   WHERE o.target = $1 AND o.request IS NOT NULL AND o.id <> ALL ($2::bigint[]) ORDER BY o.request, o.id`;
export const MARK = `WITH meant AS (
     SELECT * FROM unnest($1::bigint[], $2::bigint[]) AS m (id, request)
   ), free AS (
     SELECT request FROM meant m GROUP BY request HAVING bool_and(COALESCE(
       (SELECT true FROM outbox o WHERE o.id = m.id AND o.request IS NULL AND NOT o.held AND ${NOT_BEHIND} LIMIT 1), false))
   )
   UPDATE outbox o SET request = m.request FROM meant m JOIN free USING (request) WHERE o.id = m.id RETURNING o.id`;

interface Row {
  [name: string]: unknown;
  id: string;
  run: number;
  part: number;
  key: string;
  order_key: string | null;
  cells: Cells | string;
  record: FailedRow | string;
  on_arrival: OnArrival | string;
  request: string | null;
  sooner: number;
}
const waitingRow = (row: Row): WaitingRow => ({
  id: Number(row.id),
  run: row.run,
  part: row.part,
  orderKey: row.order_key,
  request: row.request === null ? null : Number(row.request),
  sooner: row.sooner,
  deliveryKey: row.key,
  cells: fromJson(row.cells),
  record: fromJson(row.record),
  onArrival: fromJson(row.on_arrival),
});

/** One claim for a system's targets at a time, so that no two processes have some of them each. */
const CLAIMING_SENDER = 7_404_004;
/** The senders `o` of the system of the target $1. */
const OF_SYSTEM = "split_part(o.target, '/', 1) = split_part($1, '/', 1)";

/** The outbox as the store keeps it, and the rights to send from it. */
export class Outbox {
  constructor(
    readonly db: Database,
    private readonly leaseSeconds: number,
    /** This process, as claims name it. */
    private readonly me: string = randomUUID(),
  ) {}

  /**
   * The right to send to a target; null while another process has it, or that to another dataset of its system: how many
   * requests a system takes at a time is counted by one.
   */
  async claim(target: string): Promise<SenderClaim | null> {
    const [, rows] = await this.db.transaction([
      {
        sql: "SELECT pg_advisory_xact_lock($1, hashtext(split_part($2, '/', 1)))",
        params: [CLAIMING_SENDER, target],
      },
      {
        sql: `INSERT INTO sender AS s (target, claim, claimed_by, claimed_until)
              SELECT $1, 1, $2, clock_timestamp() + make_interval(secs => $3)
               WHERE NOT EXISTS (SELECT 1 FROM sender o WHERE ${OF_SYSTEM} AND o.claimed_by <> $2 AND o.claimed_until > clock_timestamp())
              ON CONFLICT (target) DO UPDATE SET claim = s.claim + 1, claimed_by = $2, claimed_until = EXCLUDED.claimed_until
                WHERE s.claimed_until IS NULL OR s.claimed_until < clock_timestamp() RETURNING claim`,
        params: [target, this.me, this.leaseSeconds],
      },
    ]);
    const [row] = rows!;
    return row ? { target, number: Number(row['claim']) } : null;
  }
  /** Whether another process has the right to send to a target now. */
  async isElsewhere(target: string): Promise<boolean> {
    const rows = await this.db.query(
      'SELECT 1 FROM sender WHERE target = $1 AND claimed_by <> $2 AND claimed_until > clock_timestamp()',
      [target, this.me],
    );
    return rows.length > 0;
  }
  /** Gives whether the right is still held. */
  async renew({ target, number }: SenderClaim): Promise<boolean> {
    const rows = await this.db.query(
      'UPDATE sender SET claimed_until = clock_timestamp() + make_interval(secs => $3) WHERE target = $1 AND claim = $2 AND claimed_until IS NOT NULL RETURNING claim',
      [target, number, this.leaseSeconds],
    );
    return rows.length > 0;
  }
  async release({ target, number }: SenderClaim): Promise<void> {
    await this.db.query('UPDATE sender SET claimed_until = NULL WHERE target = $1 AND claim = $2', [target, number]);
  }

  /** The next records for a target, in their order, but for those that the sender has already, and those that are held. */
  async page(target: string, but: readonly number[], most: number): Promise<WaitingRow[]> {
    const [, rows] = await this.db.transaction([BY_INDEX, { sql: PAGE, params: [target, but, most] }]);
    return (rows as Row[]).map(waitingRow);
  }
  /** Records that were sent, and of which no answer was kept: one request after the other. */
  async unanswered(target: string, but: readonly number[]): Promise<WaitingRow[]> {
    const [, rows] = await this.db.transaction([BY_INDEX, { sql: UNANSWERED, params: [target, but] }]);
    return (rows as Row[]).map(waitingRow);
  }
  /** Some of what waits for a target, by id. */
  async some(target: string, ids: readonly number[]): Promise<readonly WaitingRow[]> {
    const rows = await this.db.query<Row>(
      `SELECT ${ROW} FROM outbox o WHERE o.target = $1 AND o.id = ANY ($2::bigint[]) ORDER BY o.id`,
      [target, ids],
    );
    return rows.map(waitingRow);
  }
  async part(run: number, part: number): Promise<PartColumns> {
    const [row] = await this.db.query<{ dataset: string; columns: Column[] | string; key: string[] | string }>(
      'SELECT dataset, columns, key FROM outbox_part WHERE run = $1 AND part = $2',
      [run, part],
    );
    return { part, dataset: row!.dataset, columns: fromJson(row!.columns), key: fromJson(row!.key) };
  }
  /** Writes down which records go with which request: each as a whole, or not, where one of its records may not go any more. */
  async mark(claim: SenderClaim, requests: readonly (readonly number[])[]): Promise<boolean[]> {
    const ids = requests.flat();
    const numbers = requests.flatMap((request) => request.map(() => request[0]!));
    const [, , rows] = await this.db.transaction([
      requireSender(claim),
      BY_INDEX,
      { sql: MARK, params: [ids, numbers] },
    ]);
    const marked = new Set(rows!.map((r) => Number(r['id'])));
    return requests.map((request) => request.every((id) => marked.has(id)));
  }
  /** Nothing was sent after all: the records wait again. */
  async putBack(claim: SenderClaim, ids: readonly number[]): Promise<void> {
    await this.db.transaction([
      requireSender(claim),
      { sql: 'UPDATE outbox SET request = NULL WHERE id = ANY ($1::bigint[])', params: [ids] },
    ]);
  }

  /** What is left of a run. */
  async rest(run: number, most: number): Promise<readonly WaitingRow[]> {
    const rows = await this.db.query<Row>(`SELECT ${ROW} FROM outbox o WHERE o.run = $1 ORDER BY o.id LIMIT $2`, [
      run,
      most,
    ]);
    return rows.map(waitingRow);
  }

  async state(run: number, target: string): Promise<SendingState> {
    const [row] = await this.db.query<{
      waiting: string;
      trouble: string | null;
      outage: string | null;
      outage_since: string | null;
    }>(
      'SELECT r.waiting, r.trouble, s.outage, s.outage_since FROM run r LEFT JOIN sender s ON s.target = $2 WHERE r.id = $1',
      [run, target],
    );
    const { waiting, trouble, outage, outage_since } = row!;
    return {
      waiting: Number(waiting),
      trouble,
      outage: outage === null ? null : { since: new Date(outage_since!), message: outage },
    };
  }
  /** Something stands against all records of a run. */
  async setTrouble(run: number, trouble: string): Promise<void> {
    await this.db.query("UPDATE run SET trouble = $2 WHERE id = $1 AND state = 'running' AND trouble IS NULL", [
      run,
      trouble,
    ]);
  }
  /** The target takes nothing, or (null) does again. Runs with waiting records are told, the first time only. */
  async setOutage({ target }: SenderClaim, outage: string | null): Promise<void> {
    const told = outage === null ? 'the target answers again; goes on' : `${outage}; tries again until it answers`;
    await this.db.query(
      `WITH changed AS (
         UPDATE sender SET outage = $2, outage_since = CASE WHEN $2::text IS NULL THEN NULL ELSE clock_timestamp() END
          WHERE target = $1 AND (outage IS NULL) <> ($2::text IS NULL) RETURNING target
       )
       INSERT INTO run_log (run, message, level) SELECT DISTINCT o.run, $3, $4 FROM outbox o JOIN changed USING (target) JOIN run r ON r.id = o.run AND r.state = 'running'`,
      [target, outage, told, outage === null ? 'info' : 'warning'],
    );
  }
  /** The target's window is closed until then, or (null) open. Whether the target answers is not asked while it is closed. */
  async setOpens({ target }: SenderClaim, opens: Date | null): Promise<void> {
    await this.db.query(
      `WITH changed AS (
         UPDATE sender SET opens = $2, outage = NULL, outage_since = NULL WHERE target = $1 AND opens IS DISTINCT FROM $2 RETURNING target
       )
       INSERT INTO run_log (run, message) SELECT DISTINCT o.run, $3 FROM outbox o JOIN changed USING (target) JOIN run r ON r.id = o.run AND r.state = 'running'`,
      [target, opens?.toISOString() ?? null, windowWords(opens)],
    );
  }
  /** The window of a target that nobody has to be the only sender of is closed until then, or (null) open. */
  async setClosed(target: string, opens: Date | null): Promise<void> {
    await this.db.query(
      'INSERT INTO sender (target, opens) VALUES ($1, $2) ON CONFLICT (target) DO UPDATE SET opens = EXCLUDED.opens',
      [target, opens?.toISOString() ?? null],
    );
  }
  /** Whoever begins to send finds out anew whether the target answers. */
  async forgetOutage(target: string): Promise<void> {
    await this.db.query('UPDATE sender SET outage = NULL, outage_since = NULL WHERE target = $1', [target]);
  }
}

/** Puts finished records of a chunk into the outbox, in their order. */
export function putIntoOutbox(
  run: number,
  target: string,
  parts: readonly PartColumns[],
  rows: readonly Waiting[],
): Statement[] {
  return [
    ...parts.map(({ part, dataset, columns, key }) => ({
      sql: 'INSERT INTO outbox_part (run, part, dataset, columns, key) VALUES ($1, $2, $3, $4, $5) ON CONFLICT DO NOTHING',
      params: [run, part, dataset, JSON.stringify(columns), JSON.stringify(key)],
    })),
    {
      sql: `INSERT INTO outbox (run, target, part, key, order_key, cells, record, on_arrival, replayed, request, sooner)
            SELECT $1, $2, part, "deliveryKey", "orderKey", cells, record, "onArrival", replayed, request, sooner
              FROM json_to_recordset($3::json) AS r (at integer, part integer, "deliveryKey" text, "orderKey" text, cells json, record json, "onArrival" json, replayed bigint, request bigint, sooner smallint)
             ORDER BY at`,
      params: [run, target, JSON.stringify(rows.map((row, at) => ({ ...row, at })))],
    },
    ...withThoseBefore(target, rows),
  ];
}

/** Records that go first take along whatever waits before them under their keys: nothing overtakes an earlier one. */
function withThoseBefore(target: string, rows: readonly Waiting[]): Statement[] {
  const sooner = Math.max(0, ...rows.map((r) => r.sooner));
  const keys = [...new Set(rows.flatMap((r) => (r.orderKey === null ? [] : [r.orderKey])))];
  if (sooner === 0 || keys.length === 0) return [];
  return [
    {
      sql: 'UPDATE outbox SET sooner = $2 WHERE target = $1 AND sooner < $2 AND order_key = ANY ($3::text[])',
      params: [target, sooner, keys],
    },
  ];
}

/** What runs are told of the window of their target. */
export const windowWords = (opens: Date | null): string =>
  opens === null
    ? 'the window of the target is open; goes on'
    : `the window of the target is closed; waits until it opens at ${opens.toISOString().slice(0, 16).replace('T', ' ')} UTC`;
