import type { Logger } from 'pino';
import type { Services } from '../services.ts';
import { tellLate } from '../notifications/late.ts';
import { sendWaiting } from '../notifications/send.ts';
import { seeToArrivals } from './arrivals.ts';
import { seeToDue, seeToSetBack } from './due.ts';
import { toFollow } from './follow.ts';

/** How often is looked whether something is due. */
const EVERY = Number(process.env['VERSICLE_TICK_MS'] ?? 500);
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
  followed: (run: number) => Promise<void>,
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
  const look = async (): Promise<void> => {
    try {
      if (performance.now() - swept > SWEEP) {
        swept = performance.now();
        for (const run of await toFollow(db)) await followed(run);
        await conductor.lookAtAll();
        await tellLate(db, notifications, () => calendars.days());
      }
      const now = Date.now() - performance.now();
      if (now < ahead - SET_BACK) await seeToSetBack(db);
      ahead = now;
      await seeToDue(db, starter, new Date(), () => calendars.days());
      if (performance.now() - looked > LOOK) {
        looked = performance.now();
        await seeToArrivals(db, systems, starter);
        // A mail server that takes its time is in nobody's way.
        sending ??= sendWaiting(db, systems, notifications.settings)
          .catch((error: Error) => log.warn({ error: error.message }, 'messages could not be seen to'))
          .finally(() => (sending = null));
      }
    } catch (error) {
      log.warn({ error: (error as Error).message }, 'plans could not be seen to');
    }
    if (!stopped) timer = setTimeout(() => (round = look()), EVERY);
  };
  round = look();
  return async () => {
    stopped = true;
    clearTimeout(timer);
    await round;
    await sending;
  };
}
