import type { LookSchedule } from '@versicle/contract';
import { refused } from '@versicle/core';
import { Cron } from 'croner';

/** The next time after `from`; throws a fault when the schedule can't be meant. */
export function nextLook({ cron, zone }: LookSchedule, from: Date): Date | null {
  try {
    return new Cron(cron, { timezone: zone, mode: '5-part' }).nextRun(from);
  } catch (error) {
    throw refused(`The schedule can't be used: ${(error as Error).message}.`, [
      { path: 'schedule.cron', message: 'five parts: minute, hour, day, month, weekday' },
    ]);
  }
}
