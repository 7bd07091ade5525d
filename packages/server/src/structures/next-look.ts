import type { LookSchedule } from '@versicle/contract';
import { nextTimes, refused, scheduleFault } from '@versicle/core';

/** Throws a fault when the schedule can't be meant. */
export function requireSchedule(schedule: LookSchedule): void {
  const fault = scheduleFault(schedule);
  if (fault === null) return;
  const path = `schedule.${fault.entry}`;
  throw refused(`The schedule can't be used: ${fault.message}`, [{ path, message: fault.message }]);
}

/** The next time after `from`. */
export function nextLook({ cron, zone }: LookSchedule, from: Date): Date | null {
  return nextTimes({ cron, zone, except: [], only: [] }, from, 1)[0]?.at ?? null;
}
