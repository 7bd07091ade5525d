import { counted } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { LEASE } from '@versicle/store/claims';
import { EMBEDDED } from '../systems/embedded-home.ts';
import { CAN_FETCH_AGAIN, GONE_SECONDS } from './left-behind.ts';

const GONE_WORDS =
  GONE_SECONDS < 120 ? counted(GONE_SECONDS, 'second') : counted(Math.round(GONE_SECONDS / 60), 'minute');

/** Why none of the processes that are there can carry a run out; null where one does, or can. */
export async function strandedBy(db: Database, id: number): Promise<string | null> {
  const [run] = await db.query<{ works: boolean; reached: boolean; again: boolean; kept: string | null }>(
    `WITH there AS (
       SELECT place, home FROM worker WHERE work <> 'pages' AND seen_at > clock_timestamp() - make_interval(secs => $2)
     )
     SELECT EXISTS (SELECT 1 FROM there) AS works,
            r.records_at IS NULL OR EXISTS (SELECT 1 FROM there t WHERE t.place = r.records_at) AS reached,
            ${CAN_FETCH_AGAIN} AS again,
            (SELECT e.name FROM ${EMBEDDED} JOIN run_use u ON u.thing = 'system ' || s.id
              WHERE u.run = r.id AND NOT EXISTS (SELECT 1 FROM there t WHERE t.home = e.place) LIMIT 1) AS kept
       FROM run r WHERE r.id = $1 AND (r.claimed_until IS NULL OR r.claimed_until < clock_timestamp())`,
    [id, LEASE],
  );
  if (run === undefined) return null;
  if (!run.works) return 'No process carries runs out now. Start one without VERSICLE_WORK=pages.';
  if (run.kept !== null)
    return `The process that has the embedded database “${run.kept}” is not there. Start it again, with its data directory.`;
  if (!run.reached && run.again)
    return `The records that it has fetched lie with a process that is not there. Another one fetches them again if it does not come back within ${GONE_WORDS}.`;
  if (!run.reached)
    return 'The records that it has fetched lie with a process that is not there. Start that one again with its data directory, or cancel this run and start a new one.';
  return null;
}
