import { refused } from '../faults.ts';
import { nearest } from '../words.ts';

const PERIOD = /^(now|today|month|year)\s*(?:([+-])\s*(\d{1,5})\s*([mhdwMy]))?$/;

/** Whether a name means a period, so that no variable can bear it. */
export const isPeriod = (name: string): boolean => PERIOD.test(name);

/**
 * Fills the places of a text: variables by their name, and the periods `{{now}}`, `{{today}}`, `{{month}}` and `{{year}}`
 * (their beginnings), with an offset such as `{{today-7d}}` or `{{now-2h}}` (m minutes, h hours, d days, w weeks, M months,
 * y years); all in UTC, ISO 8601. Throws a fault for any other place; `whose` variables they are it says in words.
 */
export function fillPlaces(
  text: string,
  now: Date,
  variables: ReadonlyMap<string, string>,
  whose = 'of the connection',
): string {
  return placed(text, (inside) => {
    const variable = variables.get(inside);
    if (variable !== undefined) return variable;
    const found = PERIOD.exec(inside);
    if (!found) throw refused(strangePlace(inside, variables.keys(), whose));
    const [, base, sign, count, unit] = found;
    const date = new Date(now);
    if (base !== 'now') date.setUTCHours(0, 0, 0, 0);
    if (base === 'month' || base === 'year') date.setUTCDate(1);
    if (base === 'year') date.setUTCMonth(0);
    if (count !== undefined) shift(date, (sign === '-' ? -1 : 1) * Number(count), unit!);
    return base === 'now' ? `${date.toISOString().slice(0, 19)}Z` : date.toISOString().slice(0, 10);
  });
}
/** Fills those places that are named; whatever else stands in places stays for later. */
export const fillNamed = (text: string, values: ReadonlyMap<string, string>): string =>
  placed(text, (inside, whole) => values.get(inside) ?? whole);
/** What is wrong with the places of a text; null where each is a period or one of the names. */
export function placeProblem(text: string, names: readonly string[], whose: string): string | null {
  let problem: string | null = null;
  placed(text, (inside) => {
    if (!names.includes(inside) && !isPeriod(inside)) problem ??= strangePlace(inside, names, whose);
    return '';
  });
  return problem;
}
const placed = (text: string, fill: (inside: string, whole: string) => string): string =>
  text.replace(/\{\{\s*([^}]*?)\s*\}\}/g, (whole, inside: string) => fill(inside, whole));
function strangePlace(inside: string, names: Iterable<string>, whose: string): string {
  const near = nearest(inside, names);
  return `“{{${inside}}}” is neither a variable ${whose} nor a period.${near ? ` Did you mean {{${near}}}?` : ''} Periods are {{now}}, {{today}}, {{today-7d}}, {{month-1M}} and the like.`;
}

/**
 * The same for a statement of SQL: each place becomes a parameter, so that no value is ever read as SQL. Gives the statement
 * with `$1`, `$2` … and the values in their order.
 */
export function bindPlaces(
  sql: string,
  now: Date,
  variables: ReadonlyMap<string, string>,
  whose: string,
): { readonly sql: string; readonly params: readonly string[] } {
  const params: string[] = [];
  const bound = placed(sql, (inside) => {
    params.push(fillPlaces(`{{${inside}}}`, now, variables, whose));
    return `$${params.length}`;
  });
  return { sql: bound, params };
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
