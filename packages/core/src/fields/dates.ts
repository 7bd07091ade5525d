/** Calendar arithmetic without zones: days since 1970-01-01 in the proleptic Gregorian calendar, microseconds within a day. */

export const DAY_MICROS = 86_400_000_000;
/** PostgreSQL's first and last day. */
export const MIN_DAY = -2440588;
export const MAX_DAY = 2145042541;

export class Timestamp {
  constructor(
    /** Days since 1970-01-01, or ±Infinity. */
    readonly day: number,
    /** Microseconds since midnight, 0 … 86,399,999,999. */
    readonly micros: number,
  ) {}
}

export class Interval {
  constructor(
    readonly months: number,
    readonly days: number,
    readonly micros: number,
  ) {}
}

export interface Civil {
  /** Astronomical year: 0 is 1 BC. */
  readonly year: number;
  readonly month: number;
  readonly day: number;
}

/** Howard Hinnant's days_from_civil. */
export function dayOf(year: number, month: number, day: number): number {
  const y = month <= 2 ? year - 1 : year;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear = Math.floor((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) + day - 1;
  return era * 146097 + yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear - 719468;
}

export function civilOf(days: number): Civil {
  const z = days + 719468;
  const era = Math.floor(z / 146097);
  const doe = z - era * 146097;
  const yoe = Math.floor((doe - Math.floor(doe / 1460) + Math.floor(doe / 36524) - Math.floor(doe / 146096)) / 365);
  const doy = doe - (365 * yoe + Math.floor(yoe / 4) - Math.floor(yoe / 100));
  const mp = Math.floor((5 * doy + 2) / 153);
  const month = mp < 10 ? mp + 3 : mp - 9;
  return { year: yoe + era * 400 + (month <= 2 ? 1 : 0), month, day: doy - Math.floor((153 * mp + 2) / 5) + 1 };
}

export function isLeap(year: number): boolean {
  return year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
}
const MONTH_LENGTHS = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
export function daysInMonth(year: number, month: number): number {
  return month === 2 && isLeap(year) ? 29 : MONTH_LENGTHS[month - 1]!;
}
/** Null when the day does not exist. */
export function dayIfReal(year: number, month: number, day: number): number | null {
  if (month < 1 || month > 12 || day < 1 || day > daysInMonth(year, month)) return null;
  const result = dayOf(year, month, day);
  return result < MIN_DAY || result > MAX_DAY ? null : result;
}
/** Monday is 1, Sunday 7. */
export function isoWeekday(day: number): number {
  return ((((day + 3) % 7) + 7) % 7) + 1;
}
export function dayOfYear(day: number): number {
  return day - dayOf(civilOf(day).year, 1, 1) + 1;
}
export function isoWeek(day: number): { year: number; week: number } {
  const thursday = day - isoWeekday(day) + 4;
  const { year } = civilOf(thursday);
  return { year, week: Math.floor((thursday - dayOf(year, 1, 1)) / 7) + 1 };
}

export function timestampOf(day: number, micros: number): Timestamp {
  if (micros >= 0 && micros < DAY_MICROS) return new Timestamp(day, micros);
  const carry = Math.floor(micros / DAY_MICROS);
  return new Timestamp(day + carry, micros - carry * DAY_MICROS);
}
export function timestampInRange(t: Timestamp): boolean {
  return Math.abs(t.day) === Infinity || (t.day >= MIN_DAY && t.day < 106751991);
}
export function compareTimestamps(a: Timestamp, b: Timestamp): number {
  return a.day < b.day ? -1 : a.day > b.day ? 1 : a.micros < b.micros ? -1 : a.micros > b.micros ? 1 : 0;
}
export function addMonths(day: number, months: number): number | null {
  const civil = civilOf(day);
  const index = civil.year * 12 + (civil.month - 1) + months;
  const year = Math.floor(index / 12);
  const month = index - year * 12 + 1;
  return dayIfReal(year, month, Math.min(civil.day, daysInMonth(year, month)));
}

const two = (n: number): string => (n < 10 ? `0${n}` : String(n));
const recentDates = new Map<number, string>();

/** `YYYY-MM-DD`, with ` BC` where needed, as PostgreSQL prints it in DateStyle ISO. */
export function dateText(day: number): string {
  const known = recentDates.get(day);
  if (known !== undefined) return known;
  const text = makeDateText(day);
  if (recentDates.size > 4000) recentDates.clear();
  recentDates.set(day, text);
  return text;
}
function makeDateText(day: number): string {
  if (day === Infinity) return 'infinity';
  if (day === -Infinity) return '-infinity';
  const { year, month, day: dom } = civilOf(day);
  const shown = year > 0 ? year : 1 - year;
  return `${String(shown).padStart(4, '0')}-${two(month)}-${two(dom)}${year > 0 ? '' : ' BC'}`;
}

/** `HH:MM:SS[.ffffff]` without trailing zeros of the fraction. */
export function timeText(micros: number): string {
  const seconds = Math.floor(micros / 1e6);
  const fraction = micros - seconds * 1e6;
  const base = `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`;
  return fraction === 0 ? base : `${base}.${String(fraction).padStart(6, '0').replace(/0+$/, '')}`;
}

/** Whole minutes are common, and there are only so many of them. */
const minutes: string[] = [];
function minuteText(minute: number): string {
  return (minutes[minute] ??= `${two(Math.floor(minute / 60))}:${two(minute % 60)}`);
}

/** As PostgreSQL prints `timestamp` (zone false) and `timestamptz` in UTC (zone true). */
export function timestampText(t: Timestamp, zone = false): string {
  const date = dateText(t.day);
  if (date.length === 10 && t.micros % 6e7 === 0 && !zone) return `${date} ${minuteText(t.micros / 6e7)}:00`;
  if (Math.abs(t.day) === Infinity) return date;
  const era = date.endsWith(' BC') ? ' BC' : '';
  return `${era ? date.slice(0, -3) : date} ${timeText(t.micros)}${zone ? '+00' : ''}${era}`;
}

/** IntervalStyle postgres. */
export function intervalText(value: Interval): string {
  const parts: string[] = [];
  const years = Math.trunc(value.months / 12);
  const months = value.months - years * 12;
  let negativeBefore = false;
  const push = (n: number, unit: string): void => {
    if (n === 0) return;
    parts.push(`${negativeBefore && n > 0 ? '+' : ''}${n} ${unit}${n === 1 ? '' : 's'}`);
    negativeBefore = n < 0;
  };
  push(years, 'year');
  push(months, 'mon');
  push(value.days, 'day');
  if (value.micros !== 0 || parts.length === 0) {
    const sign = value.micros < 0 ? '-' : negativeBefore ? '+' : '';
    parts.push(sign + timeText(Math.abs(value.micros)));
  }
  return parts.join(' ');
}
