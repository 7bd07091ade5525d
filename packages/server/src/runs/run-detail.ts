import type { RunDetail, RunSummary } from '@versicle/contract';
import { notFound, type MappingStep } from '@versicle/core';
import { goneWords } from '../engine/changes/gone.ts';
import type { Failures } from '../failures/failures.ts';
import type { Database } from '@versicle/postgres';
import { isoTime } from '../store/values.ts';
import { newestLog } from './run-log.ts';
import { stepsOf } from './run-steps.ts';
import { GOING, OF_WHOLE_PLANS, readRun } from './run-store.ts';
import { strandedBy } from './stranded.ts';
import { because, IN_THE_WAY, type RunUse } from './run-uses.ts';

/** A run with what its page shows: the course of it, its log, and what failed in it and still does. */
export async function runDetail(db: Database, failures: Failures, id: number): Promise<RunDetail> {
  const run = await readRun(db, id);
  if (!run) throw notFound(`There is no run ${id}; the list of runs has those that there are.`);
  const [own] = await db.query<
    Record<'carries' | 'variables' | 'source' | 'target' | 'trigger' | 'since', string | null> & {
      plan_version: number | null;
      gone: string;
      requests: string;
      bytes_sent: string;
      all: boolean;
    }
  >(
    `SELECT r.carries::text AS carries, r.variables::text AS variables, r.plan_version, r.trigger, r.gone, r.requests, r.bytes_sent, json_typeof(r.captured -> 'keys') IS DISTINCT FROM 'array' AS all, r.since ->> 'value' AS since,
            v.document::jsonb #>> '{source,primary,dataset}' AS source, v.document::jsonb #>> '{target,dataset}' AS target
       FROM run r LEFT JOIN revision v ON v.mapping = r.mapping AND v.number = r.revision WHERE r.id = $1`,
    [id],
  );
  const samples = await db.query<{ millis: string; settled: string; delivered: string }>(
    `WITH sample AS (
       SELECT at, settled, delivered, row_number() OVER (ORDER BY id) AS n, count(*) OVER () AS of FROM run_sample WHERE run = $1
     )
     SELECT (extract(epoch FROM s.at - r.started_at) * 1000)::bigint AS millis, s.settled, s.delivered
       FROM sample s JOIN run r ON r.id = $1 WHERE s.n % GREATEST(1, s.of / 200) = 0 OR s.n = s.of ORDER BY s.n`,
    [id],
  );
  return {
    ...run,
    waitsFor: run.state !== 'queued' ? null : run.kind === 'plan' ? await waitsForPlan(db, id) : await waitsFor(db, id),
    stranded: run.state === 'queued' || run.state === 'running' ? await strandedBy(db, id) : null,
    opens: run.state === 'running' && run.mapping !== null ? await opensAt(db, own!.target) : null,
    gone: await goneOf(db, run, own!.carries, Number(own!.gone)),
    requests: Number(own!.requests),
    bytesSent: Number(own!.bytes_sent),
    source: own!.source,
    target: own!.target,
    only: onlyWhat(own!.carries, own!.since, own!.all),
    steps: await stepsOf(db, run, own!.carries),
    variables: JSON.parse(own!.variables ?? '{}') as Record<string, string>,
    planVersion: own!.plan_version,
    trigger: own!.trigger,
    samples: samples.map((s) => ({
      millis: Number(s.millis),
      settled: Number(s.settled),
      delivered: Number(s.delivered),
    })),
    ...(await newestLog(db, id)),
    causes: await failures.causes({ run: id, state: 'any' }),
  };
}

/** When the window opens that the records for a target wait for; null where it is open. */
async function opensAt(db: Database, target: string | null): Promise<string | null> {
  const [row] = await db.query<{ opens: string }>(
    'SELECT opens FROM sender WHERE target = $1 AND opens > clock_timestamp()',
    [target],
  );
  return row ? isoTime(row.opens) : null;
}

/** What became of records that the source has no more. */
async function goneOf(
  db: Database,
  { id, state }: RunSummary,
  carries: string | null,
  done: number,
): Promise<RunDetail['gone']> {
  const step = carries === null ? null : (JSON.parse(carries) as Partial<MappingStep>);
  if (step?.vanished === undefined || step.vanished === 'leave') return null;
  const [asked] =
    state === 'asks'
      ? await db.query<{ n: number }>('SELECT count(*)::int AS n FROM run_gone WHERE run = $1', [id])
      : [];
  return { how: goneWords({ vanished: step.vanished }), done, asked: asked?.n ?? 0 };
}

/** Which records a load leaves out that it has delivered before. */
function onlyWhat(carries: string | null, since: string | null, isAll: boolean): string | null {
  const step = carries === null ? null : (JSON.parse(carries) as Partial<MappingStep>);
  if (step?.changes === 'compare') return 'what changed';
  if (step?.changes === 'captured') return isAll ? 'what changed' : 'what the source wrote down of its changes';
  if (step?.changes === 'watermark') return since === null ? 'what changed' : `what is new since ${since}`;
  return null;
}

async function waitsFor(db: Database, id: number): Promise<RunDetail['waitsFor']> {
  const [first] = await db.query<{ id: number; name: string; thing: string; use: RunUse['use'] }>(
    `SELECT w.id, p.name, w.thing, w.use FROM run r CROSS JOIN LATERAL (${IN_THE_WAY}) w JOIN run o ON o.id = w.id JOIN plan p ON p.id = o.plan
      WHERE r.id = $1 AND (w.id < r.id OR w.claimed_until IS NOT NULL) ORDER BY w.id, w.thing LIMIT 1`,
    [id],
  );
  return first ? { id: first.id, planName: first.name, because: because(first) } : null;
}

/** An earlier run of the same plan: a plan of several steps has one run at a time. */
async function waitsForPlan(db: Database, id: number): Promise<RunDetail['waitsFor']> {
  const [first] = await db.query<{ id: number; name: string }>(
    `SELECT o.id, p.name FROM run r JOIN run o ON o.plan = r.plan AND o.parent IS NULL AND o.kind IN ${OF_WHOLE_PLANS} AND o.id < r.id
        AND o.state IN ${GOING} JOIN plan p ON p.id = o.plan WHERE r.id = $1 ORDER BY o.id LIMIT 1`,
    [id],
  );
  return first ? { id: first.id, planName: first.name, because: 'both are of one plan' } : null;
}
