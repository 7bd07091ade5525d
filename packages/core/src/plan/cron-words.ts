import { DAYS, MONTHS } from '../rules/date-pattern.ts';
import { listed } from '../words.ts';

/** A five-part cron in plain words, where it says what people say; null where only the cron itself says it. */
export function cronWords(cron: string): string | null {
  const parts = cron.trim().split(/\s+/);
  if (parts.length !== 5) return null;
  const [minute, hour, day, month, weekday] = parts as [string, string, string, string, string];
  const everyDay = day === '*' && month === '*' && weekday === '*';
  if (everyDay && hour === '*') {
    if (minute === '*' || minute === '*/1') return 'each minute';
    const [, step] = /^\*\/(\d+)$/.exec(minute) ?? [];
    // Steps that don't fill the hour are uneven at its end; the cron says that better.
    if (step !== undefined) return 60 % Number(step) === 0 ? `every ${step} minutes` : null;
    return /^\d+$/.test(minute) ? `each hour at ${minute.padStart(2, '0')} minutes past` : null;
  }
  const times = timesOf(minute, hour);
  const days = daysOf(day, month, weekday);
  return times === null || days === null ? null : `${days} at ${times}`;
}

function timesOf(minute: string, hour: string): string | null {
  if (!/^\d+$/.test(minute) || !/^\d+(,\d+)*$/.test(hour)) return null;
  return listed(hour.split(',').map((h) => `${h.padStart(2, '0')}:${minute.padStart(2, '0')}`));
}

function daysOf(day: string, month: string, weekday: string): string | null {
  if (day === '*' && month === '*') {
    if (weekday === '*') return 'each day';
    const range = /^(\w+)-(\w+)$/.exec(weekday);
    if (range) {
      const [from, to] = [weekdayOf(range[1]!), weekdayOf(range[2]!)];
      return from === null || to === null ? null : `each day from ${from} to ${to}`;
    }
    const days = weekday.split(',').map(weekdayOf);
    return days.includes(null) ? null : `each ${listed(days as string[])}`;
  }
  if (weekday !== '*') return null;
  const dayOf = day === 'L' ? 'the last day' : /^\d+$/.test(day) ? ordinal(Number(day)) : null;
  if (dayOf === null) return null;
  if (month === '*') return `on ${day === 'L' ? dayOf : `the ${dayOf}`} of each month`;
  const name = /^\d+$/.test(month) ? MONTHS[Number(month) - 1] : undefined;
  return name === undefined ? null : `each year on ${day === 'L' ? `${dayOf} of ${name}` : `${Number(day)} ${name}`}`;
}
function weekdayOf(text: string): string | null {
  const byName = DAYS.find((d) => d.slice(0, 3).toUpperCase() === text.toUpperCase());
  return byName ?? (/^[0-7]$/.test(text) ? DAYS[Number(text) % 7]! : null);
}
function ordinal(n: number): string {
  const last = n % 10;
  const suffix = n > 10 && n < 14 ? 'th' : (['th', 'st', 'nd', 'rd'][last] ?? 'th');
  return `${n}${suffix}`;
}
