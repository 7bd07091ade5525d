import { Decimal, fromInteger } from '../fields/decimal.ts';
import * as T from '../fields/dates.ts';
import type { Value } from '../fields/values.ts';
import { quoted } from '../words.ts';
import type { RuleContext } from './context.ts';
import { makeInterval } from './date-arithmetic.ts';
import type { Overload } from './registry.ts';

const { Timestamp } = T;
type Stamp = T.Timestamp;
type Span = T.Interval;

/** Parts of dates, timestamps and intervals: taken out, cut off, and counted as an age. */

const PARTS = new Set(
  'year month day hour minute second quarter week isoyear dow isodow doy epoch century decade millennium microseconds milliseconds julian'.split(
    ' ',
  ),
);
const SHORT: Record<string, string> = {
  years: 'year',
  y: 'year',
  yr: 'year',
  yrs: 'year',
  months: 'month',
  mon: 'month',
  mons: 'month',
  days: 'day',
  d: 'day',
  hours: 'hour',
  h: 'hour',
  hr: 'hour',
  hrs: 'hour',
  minutes: 'minute',
  m: 'minute',
  min: 'minute',
  mins: 'minute',
  seconds: 'second',
  s: 'second',
  sec: 'second',
  secs: 'second',
  weeks: 'week',
  w: 'week',
  qtr: 'quarter',
  c: 'century',
  cent: 'century',
  centuries: 'century',
  decades: 'decade',
  millisecond: 'milliseconds',
  ms: 'milliseconds',
  microsecond: 'microseconds',
  us: 'microseconds',
};
function partName(text: string): string {
  const lower = text.toLowerCase();
  return SHORT[lower] ?? lower;
}

const ceilYears = (year: number, size: number): number =>
  year > 0 ? Math.floor((year + size - 1) / size) : -Math.floor((size - year) / size);

/** A part in units of 10^-6, so that both extract (numeric) and date_part (double) can be made from it; null when unknown. */
function stampPart(part: string, t: Stamp): { value: number | bigint; scale: number } | null {
  const { year, month, day } = T.civilOf(t.day);
  const whole = (value: number): { value: number; scale: number } => ({ value, scale: 0 });
  switch (part) {
    case 'year':
      return whole(year > 0 ? year : year - 1);
    case 'month':
      return whole(month);
    case 'day':
      return whole(day);
    case 'hour':
      return whole(Math.floor(t.micros / 36e8));
    case 'minute':
      return whole(Math.floor(t.micros / 6e7) % 60);
    case 'second':
      return { value: t.micros % 6e7, scale: 6 };
    case 'milliseconds':
      return { value: t.micros % 6e7, scale: 3 };
    case 'microseconds':
      return whole(t.micros % 6e7);
    case 'quarter':
      return whole(Math.floor((month - 1) / 3) + 1);
    case 'week':
      return whole(T.isoWeek(t.day).week);
    case 'isoyear': {
      const y = T.isoWeek(t.day).year;
      return whole(y > 0 ? y : y - 1);
    }
    case 'dow':
      return whole(T.isoWeekday(t.day) % 7);
    case 'isodow':
      return whole(T.isoWeekday(t.day));
    case 'doy':
      return whole(T.dayOfYear(t.day));
    case 'epoch':
      return { value: BigInt(t.day) * 86_400_000_000n + BigInt(t.micros), scale: 6 };
    case 'century':
      return whole(ceilYears(year, 100));
    case 'millennium':
      return whole(ceilYears(year, 1000));
    case 'decade':
      return whole(Math.floor(year / 10));
    default:
      return null;
  }
}
function spanPart(part: string, s: Span): { value: number | bigint; scale: number } | null {
  const whole = (value: number): { value: number; scale: number } => ({ value: value + 0, scale: 0 });
  switch (part) {
    case 'year':
      return whole(Math.trunc(s.months / 12));
    case 'month':
      return whole(s.months % 12);
    case 'day':
      return whole(s.days);
    case 'hour':
      return whole(Math.trunc(s.micros / 36e8));
    case 'minute':
      return whole(Math.trunc(s.micros / 6e7) % 60);
    case 'second':
      return { value: s.micros % 6e7, scale: 6 };
    case 'milliseconds':
      return { value: s.micros % 6e7, scale: 3 };
    case 'microseconds':
      return whole(s.micros % 6e7);
    case 'quarter':
      // Of a negative interval it is the negative of its opposite's (interval_part_common).
      return whole((s.months < 0 ? -1 : 1) * (Math.floor((Math.abs(s.months) % 12) / 3) + 1));
    case 'century':
      return whole(Math.trunc(s.months / 1200));
    case 'decade':
      return whole(Math.trunc(s.months / 120));
    case 'millennium':
      return whole(Math.trunc(s.months / 12000));
    case 'epoch': {
      if (s.months === 0 && Math.abs(s.days) < 90_000) return { value: s.days * 864e8 + s.micros, scale: 6 };
      const years = Math.trunc(s.months / 12);
      // A year counts 365.25 days, a month 30.
      const days = BigInt(years) * 36525n * 864n + (BigInt(s.months % 12) * 30n + BigInt(s.days)) * 86400n;
      return { value: days * 1_000_000n + BigInt(s.micros), scale: 6 };
    }
    default:
      return null;
  }
}
function toDecimal(p: { value: number | bigint; scale: number }): Decimal {
  const units = typeof p.value === 'bigint' ? fromInteger(p.value).units : p.value;
  return new Decimal(units === 0 ? 0 : units, p.scale);
}
const GROWING: ReadonlySet<string> = new Set(['year', 'decade', 'century', 'millennium', 'epoch', 'isoyear']);
export function partOf(kind: 'date' | 'stamp' | 'interval', asFloat: boolean): Pick<Overload, 'run' | 'prepare'> {
  const run = (name: string, value: Value, ctx: RuleContext): Value => {
    const part = partName(name);
    if (kind === 'date' && !asFloat && /^(hour|minute|second|milliseconds|microseconds)$/.test(part))
      return ctx.fail(`A date has no ${part}.`);
    const t = kind === 'date' ? new Timestamp(value as number, 0) : (value as Stamp);
    // What only grows is infinite, too; what comes round again is not known (timestamp.c, NonFiniteTimestampTzPart).
    if (kind !== 'interval' && !Number.isFinite(t.day)) {
      if (!GROWING.has(part)) return null;
      return asFloat ? t.day : new Decimal(t.day, 0);
    }
    if (part === 'epoch' && kind === 'date')
      return asFloat ? (value as number) * 86400 : fromInteger((value as number) * 86400);
    const found = kind === 'interval' ? spanPart(part, value as Span) : stampPart(part, t);
    if (found === null) return ctx.fail(`There is no part ${quoted(name)} here.`);
    return asFloat ? Number(found.value) / 10 ** found.scale : toDecimal(found);
  };
  return {
    run,
    prepare: ([name]) => {
      if (name === undefined || name === null) return null;
      const part = partName(name as string);
      if (kind === 'interval' && part === 'epoch' && !asFloat)
        return (_name: string, value: Span) => toDecimal(spanPart('epoch', value)!);
      if (!PARTS.has(part) || part === 'julian')
        throw new Error(
          `There is no part ${quoted(name as string)}; use year, quarter, month, week, day, hour, minute, second, dow, isodow, doy or epoch.`,
        );
      return null;
    },
  };
}

export function truncStamp(name: string, t: Stamp, ctx: RuleContext): Stamp | null {
  if (!Number.isFinite(t.day)) return t;
  const { year, month } = T.civilOf(t.day);
  const day = (d: number): Stamp => new Timestamp(d, 0);
  const cut = (unit: number): Stamp => new Timestamp(t.day, Math.floor(t.micros / unit) * unit);
  switch (partName(name)) {
    case 'microseconds':
      return t;
    case 'milliseconds':
      return cut(1e3);
    case 'second':
      return cut(1e6);
    case 'minute':
      return cut(6e7);
    case 'hour':
      return cut(36e8);
    case 'day':
      return day(t.day);
    case 'week':
      return day(t.day - T.isoWeekday(t.day) + 1);
    case 'month':
      return day(T.dayOf(year, month, 1));
    case 'quarter':
      return day(T.dayOf(year, month - ((month - 1) % 3), 1));
    case 'year':
      return day(T.dayOf(year, 1, 1));
    case 'decade':
      return day(T.dayOf(year >= 0 ? Math.floor(year / 10) * 10 : -Math.floor((8 - (year - 1)) / 10) * 10, 1, 1));
    case 'century':
      return day(
        T.dayOf(
          year > 0 ? Math.floor((year + 99) / 100) * 100 - 99 : -Math.floor((99 - (year - 1)) / 100) * 100 + 1,
          1,
          1,
        ),
      );
    case 'millennium':
      return day(
        T.dayOf(
          year > 0 ? Math.floor((year + 999) / 1000) * 1000 - 999 : -Math.floor((999 - (year - 1)) / 1000) * 1000 + 1,
          1,
          1,
        ),
      );
    default:
      return ctx.fail(`A date can't be cut to ${quoted(name)}.`);
  }
}

/** timestamp_age of timestamp.c: whole years, months, days and the rest of the day. */
export function age(a: Stamp, b: Stamp, ctx: RuleContext): Span | null {
  if (!Number.isFinite(a.day) || !Number.isFinite(b.day)) return ctx.fail('Infinite dates have no age here.');
  const sign = T.compareTimestamps(a, b) < 0 ? -1 : 1;
  const x = T.civilOf(a.day);
  const y = T.civilOf(b.day);
  let micros = sign * (a.micros - b.micros);
  let days = sign * (x.day - y.day);
  let months = sign * ((x.year - y.year) * 12 + x.month - y.month);
  if (micros < 0) {
    micros += T.DAY_MICROS;
    days--;
  }
  // Missing days are borrowed from the month of the earlier date.
  const earlier = sign < 0 ? x : y;
  while (days < 0) {
    days += T.daysInMonth(earlier.year, earlier.month);
    months--;
  }
  return makeInterval(sign * months, sign * days, sign * micros, ctx);
}
