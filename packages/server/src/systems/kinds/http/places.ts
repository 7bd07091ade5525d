import { nearest, refused } from '@versicle/core';

/** The variables of a connection, written one a line as `name = value`. Throws a fault that names the line. */
export function readVariables(text: string): Map<string, string> {
  const variables = new Map<string, string>();
  for (const [i, line] of text.split(/\r?\n/).entries()) {
    if (line.trim() === '') continue;
    const found = /^\s*([A-Za-z_][A-Za-z0-9_]*)\s*=\s*(.*?)\s*$/.exec(line);
    if (!found)
      throw refused(`Variables, line ${i + 1}: write name = value; a name has letters, digits and _.`, [
        { path: 'connection.variables', message: 'name = value' },
      ]);
    if (PERIOD.test(found[1]!)) throw refused(`Variables: “${found[1]}” is the name of a period; choose another one.`);
    variables.set(found[1]!, found[2]!);
  }
  return variables;
}

const PERIOD = /^(now|today|month|year)\s*(?:([+-])\s*(\d{1,5})\s*([mhdwMy]))?$/;

/**
 * Fills the places of a path or query value: variables by their name, and the periods `{{now}}`, `{{today}}`, `{{month}}` and `{{year}}` (their beginnings), with an offset
 * such as `{{today-7d}}` or `{{now-2h}}` (m minutes, h hours, d days, w weeks, M months, y years); all in UTC, ISO 8601.
 */
export function fillPlaces(text: string, now: Date, variables: ReadonlyMap<string, string>): string {
  return text.replace(/\{\{\s*([^}]*?)\s*\}\}/g, (_, inside: string) => {
    const variable = variables.get(inside);
    if (variable !== undefined) return variable;
    const found = PERIOD.exec(inside);
    if (!found) {
      const near = nearest(inside, variables.keys());
      throw refused(
        `“{{${inside}}}” is neither a variable of the connection nor a period.${near ? ` Did you mean {{${near}}}?` : ''} Periods are {{now}}, {{today}}, {{today-7d}}, {{month-1M}} and the like.`,
      );
    }
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
