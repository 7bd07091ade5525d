import { Temporal } from 'temporal-polyfill';
import { Decimal, fromInteger } from '../fields/decimal.ts';
import * as T from '../fields/dates.ts';
import type { Value } from '../fields/values.ts';
import { quoted } from '../words.ts';
import type { RuleContext } from './context.ts';
import { readPattern, writePattern } from './patterns.ts';
import { over, type Overload, type RuleFunction } from './registry.ts';

const { Interval, Timestamp } = T;
type Stamp = T.Timestamp;
type Span = T.Interval;

/* ---- arithmetic, used by the operators ---- */

export function inRange(t: Stamp, ctx: RuleContext): Stamp | null {
  return T.timestampInRange(t) ? t : ctx.fail('The result is out of the range of timestamp.');
}
export function dayInRange(day: number, ctx: RuleContext): number | null {
  return Math.abs(day) === Infinity || (day >= T.MIN_DAY && day <= T.MAX_DAY)
    ? day
    : ctx.fail('The result is out of the range of date.');
}
export function addInterval(t: Stamp, span: Span, ctx: RuleContext, sign = 1): Stamp | null {
  if (!Number.isFinite(t.day)) return t;
  let { day } = t;
  if (span.months !== 0) {
    const moved = T.addMonths(day, sign * span.months);
    if (moved === null) return ctx.fail('The result is out of the range of timestamp.');
    day = moved;
  }
  return inRange(T.timestampOf(day + sign * span.days, t.micros + sign * span.micros), ctx);
}
export function subtractStamps(a: Stamp, b: Stamp, ctx: RuleContext): Span | null {
  if (!Number.isFinite(a.day) || !Number.isFinite(b.day)) return ctx.fail('Infinite dates have no difference here.');
  let days = a.day - b.day;
  let micros = a.micros - b.micros;
  if (days > 0 && micros < 0) {
    days--;
    micros += T.DAY_MICROS;
  } else if (days < 0 && micros > 0) {
    days++;
    micros -= T.DAY_MICROS;
  }
  return new Interval(0, days, micros);
}
export function makeInterval(months: number, days: number, micros: number, ctx: RuleContext): Span | null {
  const whole = (n: number): boolean => Number.isInteger(n) && n >= -2147483648 && n <= 2147483647;
  if (!whole(months) || !whole(days) || !Number.isSafeInteger(micros)) return ctx.fail('The interval is out of range.');
  return new Interval(months + 0, days + 0, micros + 0);
}
export function intervalMicros(span: Span): bigint {
  return (BigInt(span.months) * 30n + BigInt(span.days)) * BigInt(T.DAY_MICROS) + BigInt(span.micros);
}

/* ---- parts ---- */

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
function partOf(kind: 'date' | 'stamp' | 'interval', asFloat: boolean): Pick<Overload, 'run' | 'prepare'> {
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

/* ---- truncation ---- */

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

/* ---- age ---- */

/** timestamp_age of timestamp.c: whole years, months, days and the rest of the day. */
function age(a: Stamp, b: Stamp, ctx: RuleContext): Span | null {
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

/* ---- zones ---- */

function instantOf(t: Stamp): Temporal.Instant {
  return Temporal.Instant.fromEpochNanoseconds((BigInt(t.day) * BigInt(T.DAY_MICROS) + BigInt(t.micros)) * 1000n);
}
function stampOfPlain(p: Temporal.PlainDateTime): Stamp {
  return new Timestamp(
    T.dayOf(p.year, p.month, p.day),
    ((p.hour * 60 + p.minute) * 60 + p.second) * 1e6 + p.millisecond * 1000 + p.microsecond,
  );
}
const zones = new Map<string, string | null>();
/** The zone's proper name, or null when there is none. Names only: abbreviations and offsets read differently elsewhere. */
function zoneName(name: string): string | null {
  let known = zones.get(name);
  if (known === undefined) {
    try {
      if (!/^(utc|[a-z_]+\/[a-z_+\-0-9/]+)$/i.test(name) || /^etc\//i.test(name)) throw new Error('not a region');
      known = Temporal.Instant.fromEpochMilliseconds(0).toZonedDateTimeISO(name).timeZoneId;
    } catch {
      known = null;
    }
    if (zones.size > 500) zones.clear();
    zones.set(name, known);
  }
  return known;
}
/**
 * Far years follow today's rules of their zone, but the zone data of JavaScript end in 2037. Such rules go by weekdays from
 * March on, so a far year is looked up in a near one whose March begins on the same weekday: days to add.
 */
function nearYearShift(year: number): number {
  if (year <= 2037) return 0;
  const march = T.dayOf(year, 3, 1);
  for (let y = 2027; y <= 2037; y++)
    if (T.isoWeekday(T.dayOf(y, 3, 1)) === T.isoWeekday(march)) return T.dayOf(y, 3, 1) - march;
  return 0;
}

/** Local time in a zone to the moment in UTC; in a gap or an overlap the standard time counts, as in PostgreSQL. */
export function localToInstant(zone: string, t: Stamp, ctx: RuleContext): Stamp | null {
  if (!Number.isFinite(t.day)) return t;
  const name = zoneName(zone);
  if (name === null) return ctx.fail(`There is no time zone ${quoted(zone)}; use a name such as Europe/London or UTC.`);
  const shift = nearYearShift(T.civilOf(t.day).year);
  const c = T.civilOf(t.day + shift);
  try {
    const plain = new Temporal.PlainDateTime(
      c.year,
      c.month,
      c.day,
      Math.floor(t.micros / 36e8),
      Math.floor(t.micros / 6e7) % 60,
      Math.floor(t.micros / 1e6) % 60,
      Math.floor(t.micros / 1000) % 1000,
      t.micros % 1000,
    );
    // Before a gap "later", in an overlap "later": both are the reading with standard time.
    const nanos = plain.toZonedDateTime(name, {
      disambiguation: isGap(plain, name) ? 'compatible' : 'later',
    }).epochNanoseconds;
    const micros = nanos / 1000n;
    const day = Number(micros / BigInt(T.DAY_MICROS)) - (micros % BigInt(T.DAY_MICROS) < 0n ? 1 : 0);
    return new Timestamp(day - shift, Number(micros - BigInt(day) * BigInt(T.DAY_MICROS)));
  } catch {
    return ctx.fail('The time is out of range for a time zone.');
  }
}
function isGap(plain: Temporal.PlainDateTime, zone: string): boolean {
  const early = plain.toZonedDateTime(zone, { disambiguation: 'earlier' });
  const late = plain.toZonedDateTime(zone, { disambiguation: 'later' });
  return early.epochNanoseconds !== late.epochNanoseconds && !early.toPlainDateTime().equals(plain);
}
export function instantToLocal(zone: string, t: Stamp, ctx: RuleContext): Stamp | null {
  if (!Number.isFinite(t.day)) return t;
  const name = zoneName(zone);
  if (name === null) return ctx.fail(`There is no time zone ${quoted(zone)}; use a name such as Europe/London or UTC.`);
  try {
    const shift = nearYearShift(T.civilOf(t.day).year);
    const local = stampOfPlain(
      instantOf(new Timestamp(t.day + shift, t.micros))
        .toZonedDateTimeISO(name)
        .toPlainDateTime(),
    );
    return new Timestamp(local.day - shift, local.micros);
  } catch {
    return ctx.fail('The time is out of range for a time zone.');
  }
}

/* ---- to_char ---- */

const patternCache = new Map<string, ReturnType<typeof readPattern>>();
function patternOf(pattern: string): ReturnType<typeof readPattern> {
  let parts = patternCache.get(pattern);
  if (!parts) {
    parts = readPattern(pattern);
    if (patternCache.size > 200) patternCache.clear();
    patternCache.set(pattern, parts);
  }
  return parts;
}
function toChar(zone: boolean): Pick<Overload, 'run' | 'prepare'> {
  return {
    run: (t: Stamp, pattern: string, ctx: RuleContext) => {
      try {
        return pattern === '' ? null : writePattern(patternOf(pattern), t, zone);
      } catch (error) {
        return ctx.fail((error as Error).message);
      }
    },
    prepare: ([, pattern]) => {
      if (typeof pattern !== 'string' || pattern === '') return null;
      const parts = readPattern(pattern);
      return (t: Stamp) => writePattern(parts, t, zone);
    },
  };
}

const withRun = (
  args: Overload['args'],
  returns: Overload['returns'],
  parts: Pick<Overload, 'run' | 'prepare'>,
): Overload => over(args, returns, parts.run, parts.prepare ? { prepare: parts.prepare } : {});
const changing = { changing: true } as const;
const today = (ctx: RuleContext): Stamp => new Timestamp(ctx.now.day, 0);

type Entry = [
  name: string,
  signature: string,
  summary: string,
  rule: string,
  value: string | null,
  overloads: Overload[],
];
const entries: Entry[] = [
  [
    'to_char',
    'to_char(date or time, pattern) → text',
    'A date or time written by a pattern.',
    "to_char(DATE '2026-08-03', 'DD.MM.YYYY')",
    '03.08.2026',
    [
      { ...withRun(['timestamp', 'text'], 'text', toChar(false)), ...changing },
      { ...withRun(['timestamptz', 'text'], 'text', toChar(true)), ...changing },
    ],
  ],
  [
    'extract',
    'extract(part FROM date or time) → numeric',
    'A part of a date: year, month, day, hour, dow, isodow, week, quarter, doy, epoch …',
    "extract(year FROM DATE '2026-08-03')",
    '2026',
    [
      withRun(['text', 'date'], 'numeric', partOf('date', false)),
      withRun(['text', 'timestamp'], 'numeric', partOf('stamp', false)),
      withRun(['text', 'timestamptz'], 'numeric', partOf('stamp', false)),
      withRun(['text', 'interval'], 'numeric', partOf('interval', false)),
    ],
  ],
  [
    'date_part',
    "date_part('part', date or time) → double precision",
    'A part of a date as double precision; extract gives an exact number.',
    "date_part('month', DATE '2026-08-03')",
    '8',
    [
      withRun(['text', 'date'], 'float8', partOf('date', true)),
      withRun(['text', 'timestamp'], 'float8', partOf('stamp', true)),
      withRun(['text', 'timestamptz'], 'float8', partOf('stamp', true)),
      withRun(['text', 'interval'], 'float8', partOf('interval', true)),
    ],
  ],
  [
    'date_trunc',
    "date_trunc('part', date or time) → date or time",
    'Cut to the beginning of its hour, day, week (Monday), month, quarter or year.',
    "date_trunc('week', TIMESTAMP '2026-08-05 14:30')::date",
    '2026-08-03',
    [over(['text', 'timestamp'], 'timestamp', truncStamp), over(['text', 'timestamptz'], 'timestamptz', truncStamp)],
  ],
  [
    'age',
    'age(later [, earlier]) → interval',
    'The time between two dates in years, months and days; with one date, up to today.',
    "age(DATE '2026-08-03', DATE '2024-05-01')",
    '2 years 3 mons 2 days',
    [
      over(['timestamp', 'timestamp'], 'interval', age),
      over(['timestamptz', 'timestamptz'], 'interval', age),
      over(['timestamp'], 'interval', (t: Stamp, ctx: RuleContext) => age(today(ctx), t, ctx), changing),
      over(['timestamptz'], 'interval', (t: Stamp, ctx: RuleContext) => age(today(ctx), t, ctx), changing),
    ],
  ],
  [
    'make_date',
    'make_date(year, month, day) → date',
    'A date from its parts.',
    'make_date(2026, 8, 3)',
    '2026-08-03',
    [
      over(['int4', 'int4', 'int4'], 'date', (y: number, m: number, d: number, ctx: RuleContext) => {
        const day = y === 0 ? null : T.dayIfReal(y < 0 ? y + 1 : y, m, d);
        return day ?? ctx.fail(`There is no date with year ${y}, month ${m} and day ${d}.`);
      }),
    ],
  ],
  [
    'current_date',
    'CURRENT_DATE → date',
    'The day on which the run started (UTC).',
    'CURRENT_DATE IS NOT NULL',
    'true',
    [over([], 'date', (ctx: RuleContext) => ctx.now.day, changing)],
  ],
  [
    'current_timestamp',
    'CURRENT_TIMESTAMP → timestamptz',
    'The moment at which the run started.',
    'CURRENT_TIMESTAMP IS NOT NULL',
    'true',
    [over([], 'timestamptz', (ctx: RuleContext) => ctx.now, changing)],
  ],
  [
    'localtimestamp',
    'LOCALTIMESTAMP → timestamp',
    'The moment at which the run started, in UTC, without zone.',
    'LOCALTIMESTAMP IS NOT NULL',
    'true',
    [over([], 'timestamp', (ctx: RuleContext) => ctx.now, changing)],
  ],
  [
    'now',
    'now() → timestamptz',
    'The moment at which the run started.',
    'now() = CURRENT_TIMESTAMP',
    'true',
    [over([], 'timestamptz', (ctx: RuleContext) => ctx.now, changing)],
  ],
  [
    'timezone',
    "timestamp AT TIME ZONE 'zone' → timestamptz; timestamptz AT TIME ZONE 'zone' → timestamp",
    'Local time of a zone to a moment, and back. Zones by name: Europe/London, UTC.',
    "(TIMESTAMP '2026-08-03 12:00' AT TIME ZONE 'Europe/London')::text",
    '2026-08-03 11:00:00+00',
    [
      over(['text', 'timestamp'], 'timestamptz', localToInstant),
      over(['text', 'timestamptz'], 'timestamp', instantToLocal),
    ],
  ],
  [
    'isfinite',
    'isfinite(date or time) → boolean',
    'Whether it is a real date and not infinity.',
    "isfinite(DATE '2026-08-03')",
    'true',
    [
      over(['date'], 'bool', (d: number) => Number.isFinite(d)),
      over(['timestamp'], 'bool', (t: Stamp) => Number.isFinite(t.day)),
      over(['timestamptz'], 'bool', (t: Stamp) => Number.isFinite(t.day)),
    ],
  ],
];

export const dateFunctions: RuleFunction[] = entries.map(([name, signature, summary, rule, value, overloads]) => ({
  name,
  group: 'date',
  signature,
  summary,
  example: { rule, value },
  overloads,
}));
