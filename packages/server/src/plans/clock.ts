import type { Logger } from 'pino';
import type { Database } from '@versicle/postgres';
import type { Services } from '../services.ts';
import { isoTime } from '../store/values.ts';
import { tellLate } from '../notifications/late.ts';
import { sendWaiting, TO_SEND } from '../notifications/send.ts';
import { seeToArrivals, WAITS_FOR_ARRIVALS } from './arrivals.ts';
import { DUE, seeToDue, seeToSetBack } from './due.ts';
import { toFollow } from './follow.ts';

/** How often is looked whether something is due. */
const EVERY = Number(process.env['VERSICLE_TICK_MS'] ?? 500);
/** At the most, while nothing goes on: when the next is due is known, and whatever else makes something due is heard of. */
const QUIET = 4 * EVERY;
/** How often is looked for what has arrived. */
const LOOK = Number(process.env['VERSICLE_ARRIVALS_MS'] ?? 1000);
/** How often is looked for what another process, or an earlier life of this one, left to be seen to. */
const SWEEP = Number(process.env['VERSICLE_SWEEP_MS'] ?? 10_000);

/** Milliseconds by which a clock that is set right is set back at the least. */
const SET_BACK = 1000;

/** Looks again and again for what is due, and for what follows from runs that have ended. Gives the way to stop it. */
export function keepPlans(
  {
    db,
    calendars,
    systems,
    starter,
    conductor,
    notifications,
  }: Pick<Services, 'db' | 'calendars' | 'systems' | 'starter' | 'conductor' | 'notifications'>,
  isMine: () => Promise<boolean>,
  followed: (run: number) => Promise<void>,
  /** Whether nobody asks for anything, no run goes, and no other process works on the store. */
  isQuiet: () => boolean,
  log: Logger,
): () => Promise<void> {
  let stopped = false;
  let timer: NodeJS.Timeout | undefined;
  let swept = -Infinity;
  /** How far the clock was from the time that has passed; where it was before this process began nobody knows. */
  let ahead = Infinity;
  let looked = -Infinity;
  let sending: Promise<void> | null = null;
  let round = Promise.resolve();
  let wait = EVERY;
  const look = async (): Promise<void> => {
    wait = EVERY;
    try {
      if (!(await isMine())) return;
      if (performance.now() - swept > SWEEP) {
        swept = performance.now();
        for (const run of await toFollow(db)) await followed(run);
        await conductor.lookAtAll();
        await tellLate(db, notifications, () => calendars.days());
      }
      const now = Date.now() - performance.now();
      if (now < ahead - SET_BACK) await seeToSetBack(db);
      ahead = now;
      const at = new Date();
      const there = await whatWaits(db, at);
      if (there.due) await seeToDue(db, starter, at, () => calendars.days());
      if (there.arrivals && performance.now() - looked > LOOK) {
        looked = performance.now();
        await seeToArrivals(db, systems, starter);
      }
      // A mail server that takes its time is in nobody's way.
      if (there.messages)
        sending ??= sendWaiting(db, systems, notifications.settings)
          .catch((error: Error) => log.warn({ error: error.message }, 'messages could not be seen to'))
          .finally(() => (sending = null));
      if (isQuiet() && !there.due && !there.arrivals) wait = Math.max(0, Math.min(QUIET, there.next - Date.now()));
    } catch (error) {
      log.warn({ error: (error as Error).message }, 'plans could not be seen to');
    } finally {
      if (!stopped) timer = setTimeout(() => (round = look()), wait);
    }
  };
  round = look();
  return async () => {
    stopped = true;
    clearTimeout(timer);
    await round;
    await sending;
  };
}

/** Whether there is anything to see to, in one question: it is asked twice a second, and there mostly is nothing. */
async function whatWaits(
  db: Database,
  now: Date,
): Promise<{ due: boolean; arrivals: boolean; messages: boolean; next: number }> {
  const [row] = await db.query<{ due: boolean; arrivals: boolean; messages: boolean; next: string | null }>(
    `SELECT EXISTS (${DUE}) AS due, EXISTS (${WAITS_FOR_ARRIVALS}) AS arrivals, EXISTS (${TO_SEND}) AS messages,
            (SELECT min(t.next) FROM plan_trigger t JOIN plan p ON p.id = t.plan WHERE NOT p.held) AS next`,
    [now.toISOString()],
  );
  const { next, ...there } = row!;
  return { ...there, next: next === null ? Infinity : new Date(isoTime(next)).getTime() };
}
