import * as D from '../fields/decimal.ts';
import { fitInteger } from '../fields/values.ts';
import type { RuleContext } from './context.ts';
import { outOfRange } from './number-functions.ts';
import { over, type Overload, type RuleFunction } from './registry.ts';

/** Digits behind the point, common divisors, buckets (src/backend/utils/adt/numeric.c, int.c). */

type Int = number | bigint;

function minScale(d: D.Decimal): number {
  const fraction = D.decimalText(d).split('.')[1] ?? '';
  return fraction.replace(/0+$/, '').length;
}
const scaled = (run: (d: D.Decimal) => number | D.Decimal) => (d: D.Decimal) => (D.isSpecial(d) ? null : run(d));

function divisor(a: bigint, b: bigint): bigint {
  let [x, y] = [a < 0n ? -a : a, b < 0n ? -b : b];
  while (y !== 0n) [x, y] = [y, x % y];
  return x;
}
const ofIntegers = (run: (a: bigint, b: bigint) => bigint): Overload[] =>
  (['int4', 'int8'] as const).map((type) =>
    over([type, type], type, (a: Int, b: Int, ctx: RuleContext) => {
      return fitInteger(run(BigInt(a), BigInt(b)), type) ?? outOfRange(type, ctx);
    }),
  );

function bucket(value: D.Decimal, low: D.Decimal, high: D.Decimal, count: number, ctx: RuleContext): number | null {
  if (count <= 0) return ctx.fail('width_bucket needs at least one bucket.');
  const isNaN = (d: D.Decimal): boolean => Number.isNaN(Number(d.units));
  if ([value, low, high].some(isNaN)) return ctx.fail('Neither the value nor a bound of width_bucket may be NaN.');
  if (D.isSpecial(low) || D.isSpecial(high)) return ctx.fail('The bounds of width_bucket must be finite.');
  const order = D.compareDecimals(low, high);
  if (order === 0) return ctx.fail('The bounds of width_bucket must differ.');
  const up = order < 0;
  const compare = (a: D.Decimal, b: D.Decimal): number => (up ? D.compareDecimals(a, b) : -D.compareDecimals(a, b));
  if (compare(value, low) < 0) return 0;
  if (compare(value, high) >= 0) return fitInteger(count + 1, 'int4') === null ? outOfRange('int4', ctx) : count + 1;
  const scale = Math.max(value.scale, low.scale, high.scale);
  const units = (d: D.Decimal): bigint => BigInt(d.units) * 10n ** BigInt(scale - d.scale);
  const part = units(value) - units(low);
  return Number((part * BigInt(count)) / (units(high) - units(low))) + 1;
}

const entry = (
  name: string,
  signature: string,
  summary: string,
  rule: string,
  value: string,
  overloads: Overload[],
): RuleFunction => ({ name, group: 'number', signature, summary, example: { rule, value }, overloads });

export const scaleFunctions: RuleFunction[] = [
  entry('scale', 'scale(numeric) → integer', 'How many digits stand behind the point.', 'scale(12.50)', '2', [
    over(
      ['numeric'],
      'int4',
      scaled((d) => d.scale),
    ),
  ]),
  entry(
    'min_scale',
    'min_scale(numeric) → integer',
    'How many digits behind the point are needed.',
    'min_scale(12.50)',
    '1',
    [over(['numeric'], 'int4', scaled(minScale))],
  ),
  entry('trim_scale', 'trim_scale(numeric) → numeric', 'Without zeros at the end.', 'trim_scale(12.50)', '12.5', [
    over(['numeric'], 'numeric', (d: D.Decimal) => (D.isSpecial(d) ? d : D.roundDecimal(d, minScale(d)))),
  ]),
  entry(
    'gcd',
    'gcd(integer, integer) → integer',
    'The greatest common divisor.',
    'gcd(12, 18)',
    '6',
    ofIntegers(divisor),
  ),
  entry(
    'lcm',
    'lcm(integer, integer) → integer',
    'The least common multiple.',
    'lcm(4, 6)',
    '12',
    ofIntegers((a, b) => {
      if (a === 0n || b === 0n) return 0n;
      const multiple = (a / divisor(a, b)) * b;
      return multiple < 0n ? -multiple : multiple;
    }),
  ),
  entry(
    'width_bucket',
    'width_bucket(numeric, low, high, count) → integer',
    'The number of the equal bucket that a value falls into; 0 below, count + 1 above.',
    'width_bucket(5.35, 0, 10, 5)',
    '3',
    [over(['numeric', 'numeric', 'numeric', 'int4'], 'int4', bucket)],
  ),
];
