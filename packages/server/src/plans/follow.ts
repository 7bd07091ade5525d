import type { PlanDocument } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { GOING, OF_WHOLE_PLANS, OVER } from '../runs/run-store.ts';
import { fromJson } from '../store/values.ts';
import type { Starter } from './starter.ts';

/**
 * What follows from the end of a run that is nobody's step: plans that start after it, the next time of one that goes on and
 * on, and a run of the same plan that waits for it. Done again after a kill, it starts nothing twice.
 */
export async function follow(
  db: Database,
  starter: Starter,
  look: (run: number) => void,
  tell: (run: number) => Promise<void>,
  settled: (run: number) => Promise<void>,
  id: number,
): Promise<void> {
  const [run] = await db.query<{ plan: string; kind: string; state: string; finished: string }>(
    `SELECT plan, kind, state, finished_at AS finished FROM run WHERE id = $1 AND parent IS NULL AND NOT followed AND state IN ${OVER}`,
    [id],
  );
  if (!run) return;
  const waiting = await db.query<{ id: number }>(
    "SELECT id FROM run WHERE plan = $1 AND parent IS NULL AND kind IN ('plan', 'share') AND state = 'queued' ORDER BY id",
    [run.plan],
  );
  for (const next of waiting) look(next.id);
  if (run.kind !== 'replay' && run.kind !== 'share') {
    await settled(id);
    await tell(id);
    for (const { plan, trigger } of await startedAfter(db, run.plan, run.state))
      await starter.due(plan, { trigger, occasion: `run ${id}, ${run.state}` }, 'start');
    await db.query(
      `UPDATE plan_trigger t SET next = LEAST($2::timestamptz, clock_timestamp()) + make_interval(secs => (e ->> 'seconds')::int), seen = clock_timestamp()
         FROM plan p, json_array_elements(p.document -> 'triggers') e
        WHERE t.plan = $1 AND p.id = t.plan AND t.kind = 'every' AND NOT p.held AND e ->> 'id' = t.trigger
          AND NOT EXISTS (SELECT 1 FROM run o WHERE o.plan = $1 AND o.parent IS NULL AND o.kind IN ${OF_WHOLE_PLANS} AND o.state IN ${GOING})`,
      [run.plan, run.finished],
    );
  }
  await db.query('UPDATE run SET followed = true WHERE id = $1 AND state = $2', [id, run.state]);
}
/** Runs whose end nobody has seen to: of another process, or of one that was killed right then. */
export async function toFollow(db: Database): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    `SELECT id FROM run WHERE parent IS NULL AND NOT followed AND state IN ${OVER} ORDER BY id LIMIT 500`,
  );
  return rows.map((r) => r.id);
}

async function startedAfter(db: Database, ended: string, state: string): Promise<{ plan: string; trigger: string }[]> {
  const rows = await db.query<{ id: string; document: PlanDocument | string }>(
    "SELECT id, document FROM plan WHERE NOT held AND id IN (SELECT plan FROM plan_trigger WHERE kind = 'after') ORDER BY id",
  );
  return rows.flatMap((r) =>
    fromJson<PlanDocument>(r.document).triggers.flatMap((t) =>
      t.kind === 'after' && t.plan === ended && isMeant(t.on, state) ? [{ plan: r.id, trigger: t.id }] : [],
    ),
  );
}
/** A run that a person cancelled ended neither well nor badly. */
const isMeant = (on: 'success' | 'failure' | 'either', state: string): boolean =>
  on === 'either' || (on === 'success' ? state === 'finished' : state === 'stopped' || state === 'broken');
