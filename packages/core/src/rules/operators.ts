import * as D from '../fields/decimal.ts';
import { Interval, Timestamp } from '../fields/dates.ts';
import { fitInteger } from '../fields/values.ts';
import type { RuleContext } from './context.ts';
import { addInterval, dayInRange, makeInterval, subtractStamps } from './date-arithmetic.ts';
import { jsonConcatenation, jsonDeletions, jsonOperators } from './json-functions.ts';
import { MAX_TEXT } from './text-functions.ts';
import { numberFunctions, outOfRange } from './number-functions.ts';
import { over, type Overload } from './registry.ts';

/** Arithmetic and joining of texts, as overloads by operator. Comparisons are made by the checker for any type. */

type Int = number | bigint;
type IntType = 'int2' | 'int4' | 'int8';
const INTS: IntType[] = ['int2', 'int4', 'int8'];

function ints(small: (a: number, b: number) => number, large: (a: bigint, b: bigint) => bigint): Overload[] {
  return INTS.map((type) =>
    over([type, type], type, (a: Int, b: Int, ctx: RuleContext) => {
      if (typeof a === 'number' && typeof b === 'number') {
        const result = small(a, b);
        if (Number.isSafeInteger(result)) return fitInteger(result + 0, type) ?? outOfRange(type, ctx);
      }
      return fitInteger(large(BigInt(a), BigInt(b)), type) ?? outOfRange(type, ctx);
    }),
  );
}
const divided = INTS.map((type) =>
  over([type, type], type, (a: Int, b: Int, ctx: RuleContext) => {
    if (b == 0) return ctx.fail('Division by zero.');
    if (typeof a === 'number' && typeof b === 'number')
      return fitInteger(Math.trunc(a / b) + 0, type) ?? outOfRange(type, ctx);
    return fitInteger(BigInt(a) / BigInt(b), type) ?? outOfRange(type, ctx);
  }),
);
const decimals = (run: (a: D.Decimal, b: D.Decimal, ctx: RuleContext) => D.Decimal | null): Overload =>
  over(['numeric', 'numeric'], 'numeric', run);
const floats = (run: (a: number, b: number) => number, zeroFails = false): Overload =>
  over(['float8', 'float8'], 'float8', (a: number, b: number, ctx: RuleContext) => {
    if (zeroFails && b === 0 && !Number.isNaN(a)) return ctx.fail('Division by zero.');
    const result = run(a, b);
    if (!Number.isFinite(result) && Number.isFinite(a) && Number.isFinite(b))
      return outOfRange('double precision', ctx);
    return result;
  });
function floatProduct(run: (a: number, b: number) => number, zeroFails: boolean): Overload {
  const base = floats(run, zeroFails);
  return {
    ...base,
    run: (a: number, b: number, ctx: RuleContext) => {
      const result = base.run(a, b, ctx);
      if (result === 0 && a !== 0 && (zeroFails ? Number.isFinite(b) : b !== 0))
        return ctx.fail('The result is too small for double precision.');
      return result;
    },
  };
}
const functionNamed = (name: string): readonly Overload[] => numberFunctions.find((f) => f.name === name)!.overloads;

const dayAndInterval = (sign: number) => (day: number, span: Interval, ctx: RuleContext) =>
  addInterval(new Timestamp(day, 0), span, ctx, sign);
const stampAndInterval = (sign: number) => (t: Timestamp, span: Interval, ctx: RuleContext) =>
  addInterval(t, span, ctx, sign);
const spans = (sign: number) => (a: Interval, b: Interval, ctx: RuleContext) =>
  makeInterval(a.months + sign * b.months, a.days + sign * b.days, a.micros + sign * b.micros, ctx);

/** interval × factor as in timestamp.c: fractions of months become days of 30, fractions of days become time. */
function scaleInterval(span: Interval, factor: number, ctx: RuleContext): Interval | null {
  if (!Number.isFinite(factor)) return ctx.fail('The interval is out of range.');
  const exactMonths = span.months * factor;
  const exactDays = span.days * factor;
  const months = Math.trunc(exactMonths);
  let days = Math.trunc(exactDays);
  const fromMonths = round6((exactMonths - months) * 30);
  let seconds = round6((exactDays - days + fromMonths - Math.trunc(fromMonths)) * 86400);
  if (Math.abs(seconds) >= 86400) {
    days += Math.trunc(seconds / 86400);
    seconds -= Math.trunc(seconds / 86400) * 86400;
  }
  days += Math.trunc(fromMonths);
  return makeInterval(months, days, roundEven(span.micros * factor + seconds * 1e6), ctx);
}
const round6 = (x: number): number => roundEven(x * 1e6) / 1e6;
function roundEven(x: number): number {
  const floor = Math.floor(x);
  const rest = x - floor;
  return rest < 0.5 ? floor : rest > 0.5 ? floor + 1 : floor % 2 === 0 ? floor : floor + 1;
}

const joined = (a: string, b: string, ctx: RuleContext): string | null =>
  a.length + b.length > MAX_TEXT ? ctx.fail('The result is longer than 1,048,576 characters.') : a + b;

export const binaryOperators: Readonly<Record<string, readonly Overload[]>> = {
  '+': [
    ...ints(
      (a, b) => a + b,
      (a, b) => a + b,
    ),
    decimals(D.addDecimals),
    floats((a, b) => a + b),
    over(['date', 'int4'], 'date', (d: number, n: number, ctx: RuleContext) => dayInRange(d + n, ctx)),
    over(['int4', 'date'], 'date', (n: number, d: number, ctx: RuleContext) => dayInRange(d + n, ctx)),
    over(['date', 'interval'], 'timestamp', dayAndInterval(1)),
    over(['timestamp', 'interval'], 'timestamp', stampAndInterval(1)),
    over(['timestamptz', 'interval'], 'timestamptz', stampAndInterval(1)),
    over(['interval', 'date'], 'timestamp', (s: Interval, d: number, ctx: RuleContext) =>
      addInterval(new Timestamp(d, 0), s, ctx),
    ),
    over(['interval', 'timestamp'], 'timestamp', (s: Interval, t: Timestamp, ctx: RuleContext) =>
      addInterval(t, s, ctx),
    ),
    over(['interval', 'timestamptz'], 'timestamptz', (s: Interval, t: Timestamp, ctx: RuleContext) =>
      addInterval(t, s, ctx),
    ),
    over(['interval', 'interval'], 'interval', spans(1)),
  ],
  '-': [
    ...ints(
      (a, b) => a - b,
      (a, b) => a - b,
    ),
    decimals(D.subtractDecimals),
    floats((a, b) => a - b),
    over(['date', 'date'], 'int4', (a: number, b: number, ctx: RuleContext) =>
      Number.isFinite(a) && Number.isFinite(b) ? a - b : ctx.fail('Infinite dates have no difference.'),
    ),
    over(['date', 'int4'], 'date', (d: number, n: number, ctx: RuleContext) => dayInRange(d - n, ctx)),
    over(['date', 'interval'], 'timestamp', dayAndInterval(-1)),
    over(['timestamp', 'interval'], 'timestamp', stampAndInterval(-1)),
    over(['timestamptz', 'interval'], 'timestamptz', stampAndInterval(-1)),
    over(['timestamp', 'timestamp'], 'interval', subtractStamps),
    over(['timestamptz', 'timestamptz'], 'interval', subtractStamps),
    over(['interval', 'interval'], 'interval', spans(-1)),
    ...jsonDeletions,
  ],
  '*': [
    ...ints(
      (a, b) => a * b,
      (a, b) => a * b,
    ),
    decimals(D.multiplyDecimals),
    floatProduct((a, b) => a * b, false),
    over(['interval', 'float8'], 'interval', scaleInterval),
    over(['float8', 'interval'], 'interval', (n: number, s: Interval, ctx: RuleContext) => scaleInterval(s, n, ctx)),
  ],
  '/': [
    ...divided,
    decimals((a, b, ctx) => D.divideDecimals(a, b) ?? ctx.fail('Division by zero.')),
    floatProduct((a, b) => a / b, true),
    over(['interval', 'float8'], 'interval', (s: Interval, n: number, ctx: RuleContext) =>
      n === 0 ? ctx.fail('Division by zero.') : scaleInterval(s, 1 / n, ctx),
    ),
  ],
  '%': functionNamed('mod'),
  '^': functionNamed('power'),
  '||': [over(['text', 'text'], 'text', joined), jsonConcatenation],
  ...jsonOperators,
};

export const unaryOperators: Readonly<Record<'-' | '+', readonly Overload[]>> = {
  '-': [
    ...INTS.map((type) =>
      over(
        [type],
        type,
        (a: Int, ctx: RuleContext) => fitInteger(typeof a === 'number' ? 0 - a : -a, type) ?? outOfRange(type, ctx),
      ),
    ),
    over(['numeric'], 'numeric', D.negateDecimal),
    over(['float8'], 'float8', (a: number) => -a),
    over(['interval'], 'interval', (s: Interval) => new Interval(0 - s.months, 0 - s.days, 0 - s.micros)),
  ],
  '+': [
    ...INTS.map((type) => over([type], type, (a: Int) => a)),
    over(['numeric'], 'numeric', (a: D.Decimal) => a),
    over(['float8'], 'float8', (a: number) => a),
  ],
};
