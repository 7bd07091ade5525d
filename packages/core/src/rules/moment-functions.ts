import * as T from '../fields/dates.ts';
import type { RuleContext } from './context.ts';
import { makeInterval } from './date-arithmetic.ts';
import { truncStamp } from './date-parts.ts';
import { instantToLocal, localToInstant } from './date-zones.ts';
import { roundEven } from './pattern-functions.ts';
import { over, type Overload, type RuleFunction } from './registry.ts';

/** Times and intervals from their parts, and brought to order (src/backend/utils/adt/timestamp.c). */

const DAY = T.DAY_MICROS;

function makeTimestamp(
  year: number,
  month: number,
  dom: number,
  hour: number,
  minute: number,
  second: number,
  ctx: RuleContext,
): T.Timestamp | null {
  const day = year === 0 ? null : T.dayIfReal(year < 0 ? year + 1 : year, month, dom);
  if (day === null) return ctx.fail(`There is no date with year ${year}, month ${month} and day ${dom}.`);
  const micros = roundEven(second * 1e6);
  const time = (hour * 60 + minute) * 60e6 + micros;
  if (!(hour >= 0 && hour <= 24 && minute >= 0 && minute < 60 && micros >= 0 && micros <= 60e6 && time <= DAY))
    return ctx.fail(`There is no time ${hour}:${minute}:${second}.`);
  const t = T.timestampOf(day, time);
  return T.timestampInRange(t) ? t : ctx.fail('The time is out of range.');
}
function intervalOf(parts: readonly number[], ctx: RuleContext): T.Interval | null {
  const [years = 0, months = 0, weeks = 0, days = 0, hours = 0, minutes = 0, seconds = 0] = parts;
  if (!Number.isFinite(seconds)) return ctx.fail('The interval is out of range.');
  return makeInterval(
    years * 12 + months,
    weeks * 7 + days,
    hours * 36e8 + minutes * 6e7 + roundEven(seconds * 1e6),
    ctx,
  );
}
/** Of one to seven parts, the seconds last. */
const intervalOverloads: Overload[] = [1, 2, 3, 4, 5, 6, 7].map((count) =>
  over(
    Array.from({ length: count }, (_, i) => (i === 6 ? ('float8' as const) : ('int4' as const))),
    'interval',
    (...values: unknown[]) => intervalOf(values.slice(0, -1) as number[], values.at(-1) as RuleContext),
  ),
);

/** 24 hours are a day: the rest has the sign of the whole. */
function justifyHours({ months, days, micros }: T.Interval, ctx: RuleContext): T.Interval | null {
  const whole = Math.trunc(micros / DAY);
  let day = days + whole;
  let rest = micros - whole * DAY;
  if (day > 0 && rest < 0) {
    rest += DAY;
    day--;
  } else if (day < 0 && rest > 0) {
    rest -= DAY;
    day++;
  }
  return makeInterval(months, day, rest, ctx);
}
/** 30 days are a month. */
function justifyDays({ months, days, micros }: T.Interval, ctx: RuleContext): T.Interval | null {
  const whole = Math.trunc(days / 30);
  let month = months + whole;
  let rest = days - whole * 30;
  if (month > 0 && rest < 0) {
    rest += 30;
    month--;
  } else if (month < 0 && rest > 0) {
    rest -= 30;
    month++;
  }
  return makeInterval(month, rest, micros, ctx);
}
function justifyInterval(span: T.Interval, ctx: RuleContext): T.Interval | null {
  let { months, days, micros } = span;
  // Days first, so that what hours add does not overflow.
  if ((days > 0 && micros > 0) || (days < 0 && micros < 0)) {
    months += Math.trunc(days / 30);
    days %= 30;
  }
  days += Math.trunc(micros / DAY);
  micros -= Math.trunc(micros / DAY) * DAY;
  months += Math.trunc(days / 30);
  days -= Math.trunc(days / 30) * 30;
  if (months > 0 && (days < 0 || (days === 0 && micros < 0))) {
    days += 30;
    months--;
  } else if (months < 0 && (days > 0 || (days === 0 && micros > 0))) {
    days -= 30;
    months++;
  }
  if (days > 0 && micros < 0) {
    micros += DAY;
    days--;
  } else if (days < 0 && micros > 0) {
    micros -= DAY;
    days++;
  }
  return makeInterval(months + 0, days + 0, micros + 0, ctx);
}

function dateBin(stride: T.Interval, t: T.Timestamp, origin: T.Timestamp, ctx: RuleContext): T.Timestamp | null {
  if (!Number.isFinite(t.day)) return t;
  if (!Number.isFinite(origin.day)) return ctx.fail('The origin of date_bin must be finite.');
  if (stride.months !== 0) return ctx.fail('date_bin takes no months or years, as they differ in length.');
  const size = BigInt(stride.days) * BigInt(DAY) + BigInt(stride.micros);
  if (size <= 0n) return ctx.fail('The stride of date_bin must be greater than nothing.');
  const at = (x: T.Timestamp): bigint => BigInt(x.day) * BigInt(DAY) + BigInt(x.micros);
  const difference = at(t) - at(origin);
  const remainder = ((difference % size) + size) % size;
  const result = at(origin) + difference - remainder;
  const day = result / BigInt(DAY) - (result < 0n && result % BigInt(DAY) !== 0n ? 1n : 0n);
  const stamp = new T.Timestamp(Number(day), Number(result - day * BigInt(DAY)));
  return T.timestampInRange(stamp) ? stamp : ctx.fail('The result is out of the range of timestamp.');
}

export const truncInZone: Overload = over(
  ['text', 'timestamptz', 'text'],
  'timestamptz',
  (part: string, t: T.Timestamp, zone: string, ctx: RuleContext) => {
    const local = instantToLocal(zone, t, ctx);
    const cut = local && truncStamp(part, local, ctx);
    return cut && localToInstant(zone, cut, ctx);
  },
);

const entry = (
  name: string,
  signature: string,
  summary: string,
  rule: string,
  value: string,
  overloads: Overload[],
): RuleFunction => ({ name, group: 'date', signature, summary, example: { rule, value }, overloads });

export const momentFunctions: RuleFunction[] = [
  entry(
    'make_timestamp',
    'make_timestamp(year, month, day, hour, minute, seconds) → timestamp',
    'Date and time from their parts.',
    'make_timestamp(2026, 8, 3, 14, 5, 7.5)',
    '2026-08-03 14:05:07.5',
    [over(['int4', 'int4', 'int4', 'int4', 'int4', 'float8'], 'timestamp', makeTimestamp)],
  ),
  entry(
    'make_interval',
    'make_interval(years, months, weeks, days, hours, minutes, seconds) → interval',
    'An interval from its parts; those at the end may be left out.',
    'make_interval(0, 0, 0, 3)',
    '3 days',
    intervalOverloads,
  ),
  entry(
    'justify_hours',
    'justify_hours(interval) → interval',
    'Every 24 hours become a day.',
    "justify_hours(INTERVAL '27 hours')",
    '1 day 03:00:00',
    [over(['interval'], 'interval', justifyHours)],
  ),
  entry(
    'justify_days',
    'justify_days(interval) → interval',
    'Every 30 days become a month.',
    "justify_days(INTERVAL '35 days')",
    '1 mon 5 days',
    [over(['interval'], 'interval', justifyDays)],
  ),
  entry(
    'justify_interval',
    'justify_interval(interval) → interval',
    'Hours become days and days become months, all of one sign.',
    "justify_interval(INTERVAL '1 mon -1 hour')",
    '29 days 23:00:00',
    [over(['interval'], 'interval', justifyInterval)],
  ),
  entry(
    'date_bin',
    'date_bin(stride, time, origin) → timestamp or timestamptz',
    'The beginning of the stride (such as 15 minutes) that a time lies in.',
    "date_bin('15 minutes', TIMESTAMP '2026-08-03 14:44', TIMESTAMP '2001-01-01')",
    '2026-08-03 14:30:00',
    [
      over(['interval', 'timestamp', 'timestamp'], 'timestamp', dateBin),
      over(['interval', 'timestamptz', 'timestamptz'], 'timestamptz', dateBin),
    ],
  ),
];
