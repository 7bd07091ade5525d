import type { Logger } from 'pino';
import type { Database } from '@versicle/postgres';

/** Days for which what is over is kept. */
const KEPT_DAYS = Number(process.env['VERSICLE_KEEP_DAYS'] ?? 400);
const DAY = 86_400_000;
/** Minutes after the start, when people have looked at what they came for. */
const FIRST = Number(process.env['VERSICLE_TIDY_MINUTES'] ?? 10);

/** What nobody looks back at any more: received bodies, closed records with their history, courses and logs of old runs, messages that were sent. */
const OLD: readonly string[] = [
  'DELETE FROM received WHERE received_at < now() - $1::interval',
  `DELETE FROM failed_event WHERE record IN (SELECT id FROM failed_record WHERE state IN ('delivered', 'closed', 'waived') AND updated_at < now() - $1::interval)`,
  `DELETE FROM replay_item WHERE record IN (SELECT id FROM failed_record WHERE state IN ('delivered', 'closed', 'waived') AND updated_at < now() - $1::interval)`,
  `DELETE FROM failed_record WHERE state IN ('delivered', 'closed', 'waived') AND updated_at < now() - $1::interval`,
  'DELETE FROM draft_save WHERE at < now() - $1::interval',
  'DELETE FROM run_sample WHERE at < now() - $1::interval',
  'DELETE FROM run_log WHERE at < now() - $1::interval',
  "DELETE FROM notification WHERE state IN ('sent', 'seen') AND settled_at < now() - $1::interval",
  'DELETE FROM request_journal WHERE at < now() - $1::interval',
];

export async function removeOld(db: Database, days = KEPT_DAYS): Promise<void> {
  await db.transaction(OLD.map((sql) => ({ sql, params: [`${days} days`] })));
  await db.exec('VACUUM (ANALYZE)');
  await db.exec('CHECKPOINT');
}

/** Once a day, the first time some minutes after the start. Gives the way to stop it. */
export function keepHouse(db: Database, log: Logger): () => void {
  const round = (): void => {
    removeOld(db).catch((error: Error) => log.warn({ error: error.message }, 'what is old could not be removed'));
  };
  const first = setTimeout(round, FIRST * 60_000);
  const daily = setInterval(round, DAY);
  for (const timer of [first, daily]) timer.unref();
  return () => {
    clearTimeout(first);
    clearInterval(daily);
  };
}
