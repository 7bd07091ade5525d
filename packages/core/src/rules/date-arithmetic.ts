import * as T from '../fields/dates.ts';
import type { RuleContext } from './context.ts';

const { Interval } = T;
type Stamp = T.Timestamp;
type Span = T.Interval;

/** What operators do with dates, timestamps and intervals. */

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
