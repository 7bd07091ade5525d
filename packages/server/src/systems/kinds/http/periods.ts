import { refused } from '../../../http/problem.ts';

/**
 * Fills the places of a query value: `{{now}}`, `{{today}}`, `{{month}}` and `{{year}}` (their beginnings), with an offset
 * such as `{{today-7d}}` or `{{now-2h}}` (m minutes, h hours, d days, w weeks, M months, y years); all in UTC, ISO 8601.
 */
export function fillPeriods(text: string, now: Date): string {
  return text.replace(/\{\{\s*([^}]*?)\s*\}\}/g, (_, inside: string) => {
    const found = /^(now|today|month|year)\s*(?:([+-])\s*(\d{1,5})\s*([mhdwMy]))?$/.exec(inside);
    if (!found)
      throw refused(
        `“{{${inside}}}” is not a period; write {{now}}, {{today}}, {{today-7d}}, {{month-1M}} and the like.`,
      );
    const [, base, sign, count, unit] = found;
    const date = new Date(now);
    if (base !== 'now') date.setUTCHours(0, 0, 0, 0);
    if (base === 'month' || base === 'year') date.setUTCDate(1);
    if (base === 'year') date.setUTCMonth(0);
    if (count !== undefined) shift(date, (sign === '-' ? -1 : 1) * Number(count), unit!);
    return base === 'now' ? `${date.toISOString().slice(0, 19)}Z` : date.toISOString().slice(0, 10);
  });
}
const MILLIS: Record<string, number> = { m: 60_000, h: 3_600_000, d: 86_400_000, w: 604_800_000 };
function shift(date: Date, count: number, unit: string): void {
  if (unit === 'M' || unit === 'y') {
    const day = date.getUTCDate();
    date.setUTCDate(1);
    date.setUTCMonth(date.getUTCMonth() + count * (unit === 'y' ? 12 : 1));
    // The 31st of a shorter month is its last day.
    const last = new Date(Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 0)).getUTCDate();
    date.setUTCDate(Math.min(day, last));
  } else date.setTime(date.getTime() + count * MILLIS[unit]!);
}
