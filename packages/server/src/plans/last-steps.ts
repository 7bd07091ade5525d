import type { PlanDetail } from '@versicle/contract';
import type { Database } from '@versicle/postgres';
import { partsOf, readRuns } from '../runs/run-store.ts';

/** What a run made of each step that it came to; of a step with several runs, the last one. */
export async function lastSteps(db: Database, run: number): Promise<PlanDetail['lastSteps']> {
  const runs = await readRuns(db, `WHERE r.id = $1 OR r.id IN (${partsOf('$1')}) ORDER BY r.id`, [run]);
  const byStep = new Map<string, PlanDetail['lastSteps'][number]>();
  for (const r of runs)
    if (r.step !== null) {
      const { read, unchanged, failed, delivered } = r.counts;
      byStep.set(r.step, { step: r.step, run: r.id, state: r.state, read, unchanged, failed, delivered });
    }
  return [...byStep.values()];
}
