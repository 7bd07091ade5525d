import type { PlanDetail } from '@versicle/contract';
import type { Database } from '@versicle/postgres';
import { readRuns } from '../runs/run-store.ts';

/** What a run made of each of its own steps that it came to; steps within these may bear the same names. */
export async function lastSteps(db: Database, run: number): Promise<PlanDetail['lastSteps']> {
  const runs = await readRuns(db, "WHERE r.parent = $1 AND r.kind <> 'replay' ORDER BY r.id", [run]);
  return runs.map((r) => {
    const { read, unchanged, unmatched, failed, delivered } = r.counts;
    return { step: r.step!, run: r.id, state: r.state, read, unchanged, unmatched, failed, delivered };
  });
}
