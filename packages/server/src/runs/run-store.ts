import type { RunSummary } from '@versicle/contract';
import type { Database } from '@versicle/postgres';
import { isoTime, isoTimeOrNull } from '../store/values.ts';

interface RunRow {
  [key: string]: unknown;
  id: number;
  kind: RunSummary['kind'];
  plan: string;
  plan_name: string;
  mapping: string | null;
  revision: number | null;
  mapping_name: string | null;
  parent: number | null;
  step: string | null;
  state: RunSummary['state'];
  row_limit: string | null;
  started_by: string;
  created_at: string;
  started_at: string | null;
  finished_at: string | null;
  read: string;
  filtered: string;
  skipped: string;
  failed: string;
  delivered: string;
  remarks: string;
  unchanged: string;
  unmatched: string;
  waiting: string;
  bytes_done: string | null;
  bytes_total: string | null;
  error: string | null;
}

/** States of a run that is not over, and is in the way of the next one of its plan. */
export const GOING = "('queued', 'running', 'asks', 'paused')";
/** States in which a run is over, though one that broke may be taken up again. */
export const OVER = "('finished', 'cancelled', 'stopped', 'broken', 'left out')";
/** Kinds of runs that carry out a whole plan where they are nobody's step: neither what failed, nor what a share left, once more. */
export const OF_WHOLE_PLANS = "('full', 'plan', 'each', 'sql', 'request')";
/** Kinds of runs that hold those of steps. */
export const HOLDERS = "('plan', 'each', 'share')";
export const isHolder = (kind: string): kind is 'plan' | 'each' | 'share' =>
  kind === 'plan' || kind === 'each' || kind === 'share';
/** The runs that lie within a run, at any depth. */
export const partsOf = (run: string): string =>
  `WITH RECURSIVE part AS (SELECT id FROM run WHERE parent = ${run} UNION ALL SELECT c.id FROM run c JOIN part ON c.parent = part.id) SELECT id FROM part`;

const COUNTS = [
  'read',
  'filtered',
  'skipped',
  'unchanged',
  'unmatched',
  'failed',
  'waiting',
  'delivered',
  'remarks',
] as const;
/**
 * Runs to be sorted by what they came to; `r`, `p` and `m` are run, plan and mapping, `c` the counts: of a run with steps
 * those of all of them, and of a share those of records that none took.
 */
export const COUNTED_RUNS = `run r JOIN plan p ON p.id = r.plan LEFT JOIN mapping m ON m.id = r.mapping
  CROSS JOIN LATERAL (
    SELECT ${COUNTS.map((c) => `r.${c}`).join(', ')} WHERE r.kind NOT IN ${HOLDERS}
    UNION ALL
    SELECT ${COUNTS.map((c) => `COALESCE(sum(s.${c}), 0)`).join(', ')} FROM run s WHERE r.kind IN ${HOLDERS} AND (s.id = r.id OR s.id IN (${partsOf('r.id')})) HAVING r.kind IN ${HOLDERS}
  ) c`;
const OWN = `r.id, r.kind, r.plan, r.mapping, r.revision, r.parent, r.step, r.state, r.row_limit, r.started_by, r.created_at,
    r.started_at, r.finished_at, r.bytes_done, r.bytes_total, r.error, p.name AS plan_name, m.name AS mapping_name`;

/** `rest` speaks of run, plan and mapping (`r`, `p`, `m`). */
export async function readRuns(db: Database, rest: string, params: unknown[]): Promise<RunSummary[]> {
  const rows = await db.query<RunRow>(
    `SELECT ${OWN}, ${COUNTS.map((c) => `r.${c}`).join(', ')} FROM run r JOIN plan p ON p.id = r.plan LEFT JOIN mapping m ON m.id = r.mapping ${rest}`,
    params,
  );
  const holders = rows.filter((r) => isHolder(r.kind)).map((r) => r.id);
  const sums = holders.length === 0 ? new Map<number, Counts>() : await sumsOf(db, holders);
  return rows.map((r) => summaryOf({ ...r, ...sums.get(r.id) }));
}
type Counts = Pick<RunRow, (typeof COUNTS)[number]>;
/** The counts of all that lies within each of these runs. A query of its own: with that of the runs it would take longer to plan than to carry out. */
async function sumsOf(db: Database, holders: readonly number[]): Promise<Map<number, Counts>> {
  const rows = await db.query<Counts & { root: number }>(
    `WITH RECURSIVE part AS (
       SELECT id AS root, id FROM unnest($1::integer[]) AS h(id) UNION ALL SELECT part.root, c.id FROM run c JOIN part ON c.parent = part.id
     )
     SELECT part.root, ${COUNTS.map((c) => `sum(s.${c}) AS ${c}`).join(', ')} FROM run s JOIN part ON part.id = s.id GROUP BY 1`,
    [holders],
  );
  return new Map(rows.map(({ root, ...counts }) => [root, counts as unknown as Counts]));
}

export async function readRun(db: Database, id: number): Promise<RunSummary | null> {
  const [run] = await readRuns(db, 'WHERE r.id = $1', [id]);
  return run ?? null;
}

function summaryOf(row: RunRow): RunSummary {
  return {
    id: row.id,
    kind: row.kind,
    plan: row.plan,
    planName: row.plan_name,
    mapping: row.mapping,
    mappingName: row.mapping_name,
    revision: row.revision,
    parent: row.parent,
    step: row.step,
    state: row.state,
    rowLimit: row.row_limit === null ? null : Number(row.row_limit),
    startedBy: row.started_by,
    createdAt: isoTime(row.created_at),
    startedAt: isoTimeOrNull(row.started_at),
    finishedAt: isoTimeOrNull(row.finished_at),
    counts: {
      read: Number(row.read),
      filtered: Number(row.filtered),
      skipped: Number(row.skipped),
      unchanged: Number(row.unchanged),
      unmatched: Number(row.unmatched),
      failed: Number(row.failed),
      waiting: Number(row.waiting),
      delivered: Number(row.delivered),
      remarks: Number(row.remarks),
    },
    progress: row.bytes_total === null ? null : { done: Number(row.bytes_done), total: Number(row.bytes_total) },
    error: row.error,
  };
}
