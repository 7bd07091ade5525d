import { Cron } from 'croner';
import type { Trigger } from './plan.ts';

type Schedule = Extract<Trigger, { kind: 'schedule' }>;

/** Days of a calendar of the workspace, as `2026-12-25`, by its name. */
export type Calendars = ReadonlyMap<string, ReadonlySet<string>>;

/** A time at which a schedule is due, and what is odd about it. */
export interface DueTime {
  readonly at: Date;
  /** `skipped hour`: the clock jumps over the time that was meant; `doubled hour`: it shows that time twice. */
  readonly odd: 'skipped hour' | 'doubled hour' | null;
}

/** How far is looked for a next time: longer than from one 29 February that is a given weekday to the next. */
const FAR_DAYS = 366 * 41;
const MAX_LOOKS = 5000;

/** Why a schedule can't be meant, and which of its entries is at fault; null where it can. */
export function scheduleFault({ cron, zone }: Pick<Schedule, 'cron' | 'zone'>): {
  readonly entry: 'cron' | 'zone';
  readonly message: string;
} | null {
  if (!isZone(zone))
    return { entry: 'zone', message: `There is no time zone “${zone}”; zones are named such as Europe/London.` };
  try {
    const next = made({ cron, zone }).nextRun();
    if (next === null) return { entry: 'cron', message: `“${cron}” never comes: no day is such a day.` };
    return null;
  } catch (error) {
    return {
      entry: 'cron',
      message: `“${cron}” is no schedule: ${(error as Error).message.replace(/^CronPattern: /, '')}. It has five parts: minute, hour, day, month, weekday.`,
    };
  }
}

function isZone(zone: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    return true;
  } catch {
    return false;
  }
}
const made = ({ cron, zone }: Pick<Schedule, 'cron' | 'zone'>): Cron =>
  new Cron(cron, { timezone: zone, mode: '5-part' });

/** The next times after `from`, at most `count`; fewer where there are none within some forty years. */
export function nextTimes(
  schedule: Pick<Schedule, 'cron' | 'zone' | 'except' | 'only'>,
  from: Date,
  count: number,
  calendars: Calendars = new Map(),
): DueTime[] {
  const found: DueTime[] = [];
  if (count < 1) return found;
  for (const at of dueTimes(schedule, from, calendars)) {
    found.push({ at, odd: oddness(at, schedule) });
    if (found.length === count) break;
  }
  return found;
}

/** One after the other, as long as calendars don't leave out thousands on end. */
function* dueTimes(
  schedule: Pick<Schedule, 'cron' | 'zone' | 'except' | 'only'>,
  from: Date,
  calendars: Calendars,
): Generator<Date, void> {
  const job = made(schedule);
  const isDue = dueDays(schedule, calendars);
  const until = from.getTime() + FAR_DAYS * 86_400_000;
  let at = from;
  for (let leftOut = 0; leftOut < MAX_LOOKS;) {
    const next = job.nextRun(at);
    if (next === null || next.getTime() > until) return;
    at = next;
    if (isDue(next)) {
      leftOut = 0;
      yield next;
    } else leftOut++;
  }
}

/**
 * The times that passed while nothing could run, after the last time that was seen to and up to now, as `missed` says: all
 * of them (the first `most`), the newest one, or none.
 */
export function missedTimes(
  schedule: Pick<Schedule, 'cron' | 'zone' | 'except' | 'only' | 'missed'>,
  last: Date,
  now: Date,
  calendars: Calendars = new Map(),
  most = Infinity,
): Date[] {
  if (schedule.missed === 'skip') return [];
  if (schedule.missed === 'once') {
    const newest = lastTime(schedule, now, calendars);
    return newest !== null && newest > last ? [newest] : [];
  }
  const passed: Date[] = [];
  for (const at of dueTimes(schedule, last, calendars)) {
    if (at > now || passed.length === most) break;
    passed.push(at);
  }
  return passed;
}

/** The newest time up to `now`; null where there is none among the last some thousand. */
function lastTime(
  schedule: Pick<Schedule, 'cron' | 'zone' | 'except' | 'only'>,
  now: Date,
  calendars: Calendars,
): Date | null {
  const job = made(schedule);
  const isDue = dueDays(schedule, calendars);
  // The one at `now` itself counts.
  let reference = new Date(now.getTime() + 1);
  for (let looks = 0; looks < MAX_LOOKS; looks++) {
    const [before] = job.previousRuns(1, reference);
    if (before === undefined) return null;
    if (isDue(before)) return before;
    reference = before;
  }
  return null;
}

/** Whether an instant is on a day that the calendars let through. */
function dueDays(
  { zone, except, only }: Pick<Schedule, 'zone' | 'except' | 'only'>,
  calendars: Calendars,
): (at: Date) => boolean {
  if (except.length === 0 && only.length === 0) return () => true;
  const days = daysIn(zone);
  return (at) => {
    const day = days(at);
    if (except.some((c) => calendars.get(c)?.has(day))) return false;
    return only.length === 0 || only.some((c) => calendars.get(c)?.has(day));
  };
}
function daysIn(zone: string): (at: Date) => string {
  const format = new Intl.DateTimeFormat('en-CA', {
    timeZone: zone,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
  });
  return (at) => format.format(at);
}

/** Minutes by which a zone is ahead of UTC at an instant. */
function offsetOf(zone: string, at: number): number {
  const parts = new Intl.DateTimeFormat('en-US', {
    timeZone: zone,
    hourCycle: 'h23',
    year: 'numeric',
    month: 'numeric',
    day: 'numeric',
    hour: 'numeric',
    minute: 'numeric',
    second: 'numeric',
  }).formatToParts(at);
  const n = (type: string): number => Number(parts.find((p) => p.type === type)!.value);
  const shown = Date.UTC(n('year'), n('month') - 1, n('day'), n('hour'), n('minute'), n('second'));
  return Math.round((shown - Math.floor(at / 1000) * 1000) / 60_000);
}
/** Only where one time of day is meant; where it is each hour, nobody counts them. */
function oddness(at: Date, { zone, cron }: Pick<Schedule, 'zone' | 'cron'>): DueTime['odd'] {
  const HOUR = 3_600_000;
  const time = at.getTime();
  const [before, now, after] = [offsetOf(zone, time - 3 * HOUR), offsetOf(zone, time), offsetOf(zone, time + 3 * HOUR)];
  if (before === now && now === after) return null;
  const [minutes, hours] = cron.trim().split(/\s+/);
  if (!/^\d+$/.test(minutes!) || !/^\d+$/.test(hours!)) return null;
  const local = new Date(time + now * 60_000);
  if (local.getUTCHours() !== Number(hours) || local.getUTCMinutes() !== Number(minutes)) return 'skipped hour';
  const shown = time + now * 60_000;
  const twice = [before, after].some((o) => o !== now && offsetOf(zone, shown - o * 60_000) === o);
  return twice ? 'doubled hour' : null;
}
