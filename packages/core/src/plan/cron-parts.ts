/** A cron as it is chosen in plain words, where it is one of these; weekdays are 0 (Sunday) to 6, `L` the last day of a month. */
export type CronParts =
  | { readonly every: 'minutes'; readonly step: number }
  | { readonly every: 'hour'; readonly minute: number }
  | { readonly every: 'day'; readonly hour: number; readonly minute: number }
  | { readonly every: 'week'; readonly days: readonly number[]; readonly hour: number; readonly minute: number }
  | { readonly every: 'month'; readonly day: number | 'L'; readonly hour: number; readonly minute: number }
  | {
      readonly every: 'year';
      readonly month: number;
      readonly day: number;
      readonly hour: number;
      readonly minute: number;
    };

export function cronOf(parts: CronParts): string {
  switch (parts.every) {
    case 'minutes':
      return parts.step === 1 ? '* * * * *' : `*/${parts.step} * * * *`;
    case 'hour':
      return `${parts.minute} * * * *`;
    case 'day':
      return `${parts.minute} ${parts.hour} * * *`;
    case 'week':
      return `${parts.minute} ${parts.hour} * * ${parts.days.join(',')}`;
    case 'month':
      return `${parts.minute} ${parts.hour} ${parts.day} * *`;
    case 'year':
      return `${parts.minute} ${parts.hour} ${parts.day} ${parts.month} *`;
  }
}

/** The plain choice that a cron is; null where only the cron itself says it. */
export function cronParts(cron: string): CronParts | null {
  const parts = cron.trim().split(/\s+/);
  if (parts.length !== 5) return null;
  const [minute, hour, day, month, weekday] = parts as [string, string, string, string, string];
  const n = (text: string): number | null => (/^\d{1,2}$/.test(text) ? Number(text) : null);
  const everyDay = day === '*' && month === '*' && weekday === '*';
  const m = n(minute);
  if (everyDay && hour === '*') {
    if (minute === '*') return { every: 'minutes', step: 1 };
    const step = /^\*\/(\d{1,2})$/.exec(minute)?.[1];
    if (step !== undefined && Number(step) > 0 && 60 % Number(step) === 0)
      return { every: 'minutes', step: Number(step) };
    return m === null ? null : { every: 'hour', minute: m };
  }
  const h = n(hour);
  if (m === null || h === null) return null;
  const at = { hour: h, minute: m };
  if (everyDay) return { every: 'day', ...at };
  if (day === '*' && month === '*') {
    const days = weekday.split(',').flatMap(daysOf);
    return days.includes(-1) || days.length === 0 ? null : { every: 'week', days: [...new Set(days)].sort(), ...at };
  }
  if (weekday !== '*') return null;
  const d = day === 'L' ? 'L' : n(day);
  if (d === null) return null;
  if (month === '*') return { every: 'month', day: d, ...at };
  const mo = n(month);
  return mo === null || d === 'L' ? null : { every: 'year', month: mo, day: d, ...at };
}
const NAMES = ['SUN', 'MON', 'TUE', 'WED', 'THU', 'FRI', 'SAT'];
/** Weekdays of one item of a list: a day, or from one to another; -1 where it is neither. */
function daysOf(text: string): number[] {
  const one = (t: string): number => (/^[0-7]$/.test(t) ? Number(t) % 7 : NAMES.indexOf(t.toUpperCase()));
  const [from, to, ...more] = text.split('-');
  if (to === undefined) return [one(from!)];
  const [a, b] = [one(from!), one(to)];
  if (more.length > 0 || a < 0 || b < 0) return [-1];
  return Array.from({ length: ((b - a + 7) % 7) + 1 }, (_, i) => (a + i) % 7);
}
