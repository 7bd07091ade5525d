import type { KeptFor } from '@versicle/contract';
import { keepVolume } from '../volume/volume.ts';
import type { Statement } from '@versicle/postgres';

/** One kind of thing that is kept for a while. */
export interface Kept {
  readonly table: string;
  /** Its rows `t` that may be removed; by what they are told apart, and their age. */
  readonly removable: string;
  readonly id: string;
  readonly at: string;
  /** What goes before its rows do; `gone` is the query of their ids. */
  readonly before: (gone: string, params: readonly unknown[]) => Statement[];
}
const nothing = (): Statement[] => [];

/**
 * Runs that are over with all of their steps, and can't be taken up again, of which no failed record, nothing that was replayed
 * and nothing unmatched that could be shared out is kept any more; the newest of each plan, and the newest that went well, stay.
 */
const RUNS_OVER = `t.parent IS NULL AND t.finished_at IS NOT NULL
  AND t.id <> (SELECT max(n.id) FROM run n WHERE n.plan = t.plan AND n.parent IS NULL)
  AND t.id IS DISTINCT FROM (SELECT max(n.id) FROM run n WHERE n.plan = t.plan AND n.parent IS NULL AND n.state = 'finished')
  AND NOT EXISTS (
    WITH RECURSIVE part AS (SELECT t.id UNION ALL SELECT c.id FROM run c JOIN part ON c.parent = part.id)
    SELECT 1 FROM part JOIN run r ON r.id = part.id
     WHERE r.finished_at IS NULL OR r.state IN ('asks', 'paused', 'broken')
        OR EXISTS (SELECT 1 FROM failed_record f WHERE f.run = r.id) OR EXISTS (SELECT 1 FROM replay_item i WHERE i.run = r.id)
        OR EXISTS (SELECT 1 FROM outbox o WHERE o.run = r.id) OR EXISTS (SELECT 1 FROM unmatched_record u WHERE u.shared_by = r.id OR u.run = r.id AND u.readable AND u.shared_by IS NULL))`;
/** Deliveries that each plan which waits for them has taken, and that no run that is not over, or may be taken up again, reads. */
const TAKEN_BY_ALL = `NOT EXISTS (
    SELECT 1 FROM plan_trigger pt JOIN plan p ON p.id = pt.plan CROSS JOIN json_array_elements(p.document::json -> 'triggers') tr
     WHERE pt.kind = 'arrival' AND tr ->> 'id' = pt.trigger AND starts_with(tr ->> 'dataset', t.system || '/')
       AND (pt.taken IS NULL OR pt.taken ->> 'dataset' <> tr ->> 'dataset' OR (pt.taken ->> 'to')::bigint < t.id))
  AND NOT EXISTS (
    SELECT 1 FROM run r WHERE (r.finished_at IS NULL OR r.state IN ('asks', 'paused', 'broken'))
       AND starts_with(r.taken ->> 'dataset', t.system || '/')
       AND (r.taken -> 'only' ->> 'after')::bigint < t.id AND (r.taken -> 'only' ->> 'to')::bigint >= t.id)`;
const withParts = (gone: string): string =>
  `(WITH RECURSIVE part AS (${gone} UNION ALL SELECT c.id FROM run c JOIN part ON c.parent = part.id) SELECT id FROM part)`;

export const KEPT_THINGS: Readonly<Record<KeptFor['name'], Kept>> = {
  messages: {
    table: 'notification',
    removable: "t.state IN ('sent', 'seen')",
    id: 't.id',
    at: 't.settled_at',
    before: nothing,
  },
  received: { table: 'received', removable: TAKEN_BY_ALL, id: 't.id', at: 't.received_at', before: nothing },
  courses: { table: 'run_sample', removable: 'true', id: 't.id', at: 't.at', before: nothing },
  logs: { table: 'run_log', removable: 'true', id: 't.id', at: 't.at', before: nothing },
  records: {
    table: 'failed_record',
    removable: "t.state IN ('delivered', 'closed', 'waived')",
    id: 't.id',
    at: 't.updated_at',
    before: (gone, params) =>
      ['failed_event', 'replay_item'].map((table) => ({
        sql: `DELETE FROM ${table} WHERE record IN (${gone})`,
        params: [...params],
      })),
  },
  // Last, since what is kept of records keeps their runs.
  runs: {
    table: 'run',
    removable: RUNS_OVER,
    id: 't.id',
    at: 't.finished_at',
    before: (gone, params) => [
      keepVolume(`r.id IN ${withParts(gone)}`, params),
      ...['run_log', 'run_sample'].map((table) => ({
        sql: `DELETE FROM ${table} WHERE run IN ${withParts(gone)}`,
        params: [...params],
      })),
      // Steps lose the run that held them, and go with it in one statement.
      { sql: `DELETE FROM run WHERE id IN ${withParts(gone)}`, params: [...params] },
    ],
  },
};

/**
 * The ids of what is older than so many days ($1), or, where it is bounded, beyond so many bytes ($2) with the newest first.
 * Without a bound, only what is old is looked at more closely.
 */
export const goneOf = ({ table, removable, id, at }: Kept, isBounded: boolean): string =>
  isBounded
    ? `SELECT x.id FROM (
         SELECT ${id} AS id, ${at} AS at, sum(pg_column_size(t.*)) OVER (ORDER BY ${at} DESC, ${id} DESC) AS upto FROM ${table} t WHERE ${removable}
       ) x WHERE x.at < now() - $1::interval OR x.upto > $2::bigint`
    : `SELECT ${id} AS id FROM ${table} t WHERE ${at} < now() - $1::interval AND ${removable}`;
