import { notFound } from '@versicle/core';
import type { RunDetail, RunSummary } from '@versicle/contract';
import type { MappingDocument } from '@versicle/core';
import type { Failures } from '../failures/failures.ts';
import type { Database } from '@versicle/postgres';
import { isoTime, isoTimeOrNull } from '../store/values.ts';
import { because, IN_THE_WAY, type RunUse } from './run-uses.ts';

interface RunRow {
  [key: string]: unknown;
  id: number;
  kind: 'full' | 'replay';
  plan: string;
  plan_name: string;
  mapping: string;
  revision: number;
  mapping_name: string;
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
  waiting: string;
  bytes_done: string | null;
  bytes_total: string | null;
  error: string | null;
}

/** Runs with the names of what they carry out; `r`, `p` and `m` are run, plan and mapping. */
const SELECT = `SELECT r.*, p.name AS plan_name, m.name AS mapping_name FROM run r
  JOIN plan p ON p.id = r.plan JOIN mapping m ON m.id = r.mapping`;

export async function readRuns(db: Database, rest: string, params: unknown[]): Promise<RunSummary[]> {
  return (await db.query<RunRow>(`${SELECT} ${rest}`, params)).map(summaryOf);
}

export async function readRun(db: Database, id: number): Promise<RunSummary | null> {
  const [run] = await readRuns(db, 'WHERE r.id = $1', [id]);
  return run ?? null;
}

/** A run with what its page shows: the course of it, its log, and what failed in it and still does. */
export async function runDetail(db: Database, failures: Failures, id: number): Promise<RunDetail> {
  const run = await readRun(db, id);
  if (!run) throw notFound(`There is no run ${id}; the list of runs has those that there are.`);
  const [revision] = await db.query<{ document: string }>(
    'SELECT document FROM revision WHERE mapping = $1 AND number = $2',
    [run.mapping, run.revision],
  );
  const document = JSON.parse(revision!.document) as MappingDocument;
  const samples = await db.query<{ millis: string; settled: string; delivered: string }>(
    `WITH sample AS (
       SELECT at, settled, delivered, row_number() OVER (ORDER BY id) AS n, count(*) OVER () AS of FROM run_sample WHERE run = $1
     )
     SELECT (extract(epoch FROM s.at - r.started_at) * 1000)::bigint AS millis, s.settled, s.delivered
       FROM sample s JOIN run r ON r.id = $1 WHERE s.n % GREATEST(1, s.of / 200) = 0 OR s.n = s.of ORDER BY s.n`,
    [id],
  );
  const log = await db.query<{ at: string; message: string }>(
    'SELECT at, message FROM run_log WHERE run = $1 ORDER BY id LIMIT 500',
    [id],
  );
  return {
    ...run,
    waitsFor: run.state === 'queued' ? await waitsFor(db, id) : null,
    source: document.source.primary.dataset,
    target: document.target.dataset,
    samples: samples.map((s) => ({
      millis: Number(s.millis),
      settled: Number(s.settled),
      delivered: Number(s.delivered),
    })),
    log: log.map((l) => ({ at: isoTime(l.at), message: l.message })),
    causes: await failures.causes({ run: id, state: 'any' }),
  };
}

async function waitsFor(db: Database, id: number): Promise<RunDetail['waitsFor']> {
  const [first] = await db.query<{ id: number; name: string; thing: string; use: RunUse['use'] }>(
    `SELECT w.id, p.name, w.thing, w.use FROM run r CROSS JOIN LATERAL (${IN_THE_WAY}) w JOIN run o ON o.id = w.id JOIN plan p ON p.id = o.plan
      WHERE r.id = $1 AND (w.id < r.id OR w.claimed_until IS NOT NULL) ORDER BY w.id, w.thing LIMIT 1`,
    [id],
  );
  return first ? { id: first.id, planName: first.name, because: because(first) } : null;
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
      failed: Number(row.failed),
      waiting: Number(row.waiting),
      delivered: Number(row.delivered),
      remarks: Number(row.remarks),
    },
    progress: row.bytes_total === null ? null : { done: Number(row.bytes_done), total: Number(row.bytes_total) },
    error: row.error,
  };
}
