import type { RunStep, RunSummary } from '@versicle/contract';
import { partSteps, stepText, type PlanDocument, type ShareStep, type Step } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { isHolder, partsOf, readRuns } from './run-store.ts';

/** Runs of one step that a page shows; an each may have thousands. */
const SHOWN = 200;

/** The steps of a run, in the plan's order, each with its runs: several within an each, none where nothing came to it yet. */
export async function stepsOf(db: Database, run: RunSummary, carries: string | null): Promise<RunStep[]> {
  if (carries === null || !isHolder(run.kind)) return [];
  const carried = JSON.parse(carries) as Pick<PlanDocument, 'steps'> & ShareStep;
  const steps = run.kind === 'share' ? partSteps(carried) : carried.steps;
  const runs = await readRuns(db, `WHERE r.id IN (${partsOf('$1')}) AND r.kind <> 'replay' ORDER BY r.id`, [run.id]);
  const names = await namesOf(db);
  const within = (steps: readonly Step[], holders: readonly number[], depth: number): RunStep[] =>
    steps.flatMap((step) => {
      const own = runs.filter((r) => r.step === step.id && holders.includes(r.parent!));
      return [
        { id: step.id, kind: step.kind, words: stepText(step, names), depth, runs: own.slice(-SHOWN) },
        ...(step.kind === 'each' || step.kind === 'share'
          ? within(
              step.kind === 'each' ? step.steps : partSteps(step),
              own.map((r) => r.id),
              depth + 1,
            )
          : []),
      ];
    });
  return within(steps, [run.id], 0);
}

/** What mappings, systems and plans are called. */
export async function namesOf(db: Database): Promise<(kind: 'mapping' | 'system' | 'plan', id: string) => string> {
  const rows = await db.query<{ kind: string; id: string; name: string }>(
    "SELECT 'mapping' AS kind, id, name FROM mapping UNION ALL SELECT 'system', id, name FROM system UNION ALL SELECT 'plan', id, name FROM plan",
  );
  const known = new Map(rows.map((r) => [`${r.kind} ${r.id}`, r.name]));
  return (kind, id) => known.get(`${kind} ${id}`) ?? id;
}
