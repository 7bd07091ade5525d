import type { UnmatchedRecords } from '@versicle/contract';
import { allSteps, changedMeanwhile, notFound, refused, type ShareStep } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { readRun } from '../runs/run-store.ts';
import { fromJson } from '../store/values.ts';
import type { Plans } from './plan-store.ts';
import { carriedPlan, carriedStep } from './start.ts';

/** Records that a page shows. */
const SHOWN = 200;

/** The records that none of those that share took in a run. */
export async function unmatchedOf(db: Database, run: number): Promise<UnmatchedRecords> {
  const [sum] = await db.query<{ all: string; open: string }>(
    'SELECT count(*) AS all, count(*) FILTER (WHERE shared_by IS NULL AND readable) AS open FROM unmatched_record WHERE run = $1',
    [run],
  );
  const rows = await db.query<{
    place: string;
    row_number: string;
    file: string | null;
    source: Record<string, string | null> | string;
    why: string;
    shared_by: number | null;
  }>(
    'SELECT place, row_number, file, source, why, shared_by FROM unmatched_record WHERE run = $1 ORDER BY (shared_by IS NOT NULL), place LIMIT $2',
    [run, SHOWN],
  );
  return {
    all: Number(sum!.all),
    open: Number(sum!.open),
    records: rows.map((r) => ({
      row: Number(r.row_number),
      file: r.file,
      source: fromJson(r.source),
      why: r.why,
      sharedBy: r.shared_by,
    })),
  };
}

/**
 * Makes a run that shares out once more what none took, by the conditions that the plan has now. Throws a fault where there is
 * nothing, or no such step any more.
 */
export async function shareAgain(db: Database, plans: Plans, id: number, person: string): Promise<number> {
  const run = await readRun(db, id);
  if (run?.kind !== 'share') throw notFound(`There is no run ${id} that shared out records.`);
  if (!['finished', 'stopped', 'cancelled', 'broken'].includes(run.state))
    throw changedMeanwhile(`Run ${id} still goes on; what it leaves can be shared out when it has ended.`);
  const { open } = await unmatchedOf(db, id);
  if (open === 0) throw refused(`Nothing of run ${id} is left that could be shared out.`);
  const [own] = await db.query<{ carries: ShareStep | string; variables: object | string }>(
    'SELECT carries, variables FROM run WHERE id = $1',
    [id],
  );
  const plan = await plans.stored(run.plan);
  const { carried } = await carriedPlan(db, plan, {});
  const before = fromJson<ShareStep>(own!.carries);
  const step = allSteps(carried.steps).find((s) => s.id === before.id && s.kind === 'share') as ShareStep | undefined;
  if (step === undefined)
    throw refused(`The plan has no step ${before.id} any more that shares out records, so nobody could take these.`);
  if (step.dataset !== before.dataset)
    throw refused(`The step ${step.id} shares out ${step.dataset} now; these are records of ${before.dataset}.`);
  const { steps: _, filters: __, ...rest } = carried;
  const [made] = await db.query<{ id: number }>(
    // Two who ask for it at once would send the records twice.
    `INSERT INTO run (kind, plan, started_by, carries, variables, plan_version)
     SELECT 'share', $1, $2, $3::json, $4::json, $5::integer
      WHERE NOT EXISTS (SELECT 1 FROM run o WHERE o.kind = 'share' AND o.plan = $1 AND (o.carries ->> 'again')::integer = $6
        AND o.state IN ('queued', 'running', 'paused', 'broken', 'asks')) RETURNING id`,
    [
      run.plan,
      person,
      JSON.stringify({ ...carriedStep(step, { ...rest, steps: [] }), again: id }),
      JSON.stringify(fromJson(own!.variables)),
      plan.version,
      id,
    ],
  );
  if (made === undefined) throw changedMeanwhile(`What run ${id} left is being shared out already.`);
  return made.id;
}
