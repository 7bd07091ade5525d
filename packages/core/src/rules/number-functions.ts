import * as D from '../fields/decimal.ts';
import { expOfDecimal, lnOfDecimal, logOfDecimals, powerOfDecimals, type Impossible } from '../fields/decimal-power.ts';
import { fitInteger } from '../fields/values.ts';
import type { RuleContext } from './context.ts';
import { over, type Overload, type RuleFunction } from './registry.ts';

type Int = number | bigint;
const INTS = ['int2', 'int4', 'int8'] as const;
type IntType = (typeof INTS)[number];
const perInt = (make: (type: IntType) => Overload): Overload[] => INTS.map(make);

export function outOfRange(type: string, ctx: RuleContext): null {
  const name = type === 'int2' ? 'smallint' : type === 'int4' ? 'integer' : type === 'int8' ? 'bigint' : type;
  return ctx.fail(`The result is out of the range of ${name}.`);
}
const fit = (value: Int, type: IntType, ctx: RuleContext): Int | null =>
  fitInteger(value, type) ?? outOfRange(type, ctx);

function roundFloat(x: number): number {
  // Half to even, as C's rint.
  const floor = Math.floor(x);
  const rest = x - floor;
  const result = rest < 0.5 ? floor : rest > 0.5 ? floor + 1 : floor % 2 === 0 ? floor : floor + 1;
  return result === 0 && (x < 0 || Object.is(x, -0)) ? -0 : result;
}
export { roundFloat };

const finite = (x: number, ctx: RuleContext): number | null =>
  Number.isFinite(x) ? x : ctx.fail('The result is out of the range of double precision.');

function power(x: number, y: number, ctx: RuleContext): number | null {
  if (Number.isNaN(x)) return y === 0 ? 1 : NaN;
  if (Number.isNaN(y)) return x === 1 ? 1 : NaN;
  if (x === 0 && y < 0) return ctx.fail('Zero raised to a negative power has no value.');
  if (x < 0 && !Number.isInteger(y) && Number.isFinite(y))
    return ctx.fail('A negative number raised to a fraction has no real value.');
  if (Math.abs(x) === 1 && !Number.isFinite(y)) return 1;
  const result = x ** y;
  if (!Number.isFinite(result)) return Number.isFinite(x) && Number.isFinite(y) ? finite(result, ctx) : result;
  if (result === 0 && x !== 0 && Number.isFinite(x) && Number.isFinite(y))
    return ctx.fail('The result is too small for double precision.');
  return result;
}
const TEN = D.fromInteger(10);
const IMPOSSIBLE: Readonly<Record<Impossible, string>> = {
  'zero to a negative power': 'Zero raised to a negative power has no value.',
  complex: 'A negative number raised to a fraction has no real value.',
  overflow: 'The result is too large for numeric.',
  'not positive': 'Only a number above zero has a logarithm.',
};
function possible(found: D.Decimal | Impossible, ctx: RuleContext): D.Decimal | null {
  return typeof found === 'string' ? ctx.fail(IMPOSSIBLE[found]) : found;
}
/** What a C library gives in its last digit is its own: refused where it can't be the same. */
const exactOnly = (): never => {
  throw new Error('This function works on exact decimals here; cast the number to numeric.');
};
function modInt(a: Int, b: Int, ctx: RuleContext): Int | null {
  if (b == 0) return ctx.fail('Division by zero.');
  if (typeof a === 'number' && typeof b === 'number') {
    const rest = a % b;
    return rest === 0 ? 0 : rest;
  }
  return fitInteger(BigInt(a) % BigInt(b), 'int8');
}
const size = (n: number): number => Math.max(-2000, Math.min(2000, n));
const numeric = 'numeric' as const;
const float = 'float8' as const;

type Entry = [name: string, signature: string, summary: string, rule: string, value: string, overloads: Overload[]];
const entries: Entry[] = [
  [
    'abs',
    'abs(number) → number',
    'Without its sign.',
    'abs(-12.50)',
    '12.50',
    [
      ...perInt((t) => over([t], t, (x: Int, ctx: RuleContext) => fit(x < 0 ? -x : x, t, ctx))),
      over([numeric], numeric, D.absoluteDecimal),
      over([float], float, Math.abs),
    ],
  ],
  [
    'ceil',
    'ceil(number) → number',
    'The next whole number upwards.',
    'ceil(3.2)',
    '4',
    [over([numeric], numeric, (x: D.Decimal) => D.roundDecimal(x, 0, 'ceil')), over([float], float, Math.ceil)],
  ],
  [
    'ceiling',
    'ceiling(number) → number',
    'The next whole number upwards.',
    'ceiling(3.2)',
    '4',
    [over([numeric], numeric, (x: D.Decimal) => D.roundDecimal(x, 0, 'ceil')), over([float], float, Math.ceil)],
  ],
  [
    'floor',
    'floor(number) → number',
    'The next whole number downwards.',
    'floor(-3.2)',
    '-4',
    [over([numeric], numeric, (x: D.Decimal) => D.roundDecimal(x, 0, 'floor')), over([float], float, Math.floor)],
  ],
  [
    'round',
    'round(number [, places]) → number',
    'Rounded, halves away from zero (double precision: to the even neighbour).',
    'round(1.609 * 3.1, 2)',
    '4.99',
    [
      over([numeric], numeric, (x: D.Decimal) => D.roundDecimal(x, 0)),
      over([numeric, 'int4'], numeric, (x: D.Decimal, n: number) => D.roundDecimal(x, size(n))),
      over([float], float, roundFloat),
    ],
  ],
  [
    'trunc',
    'trunc(number [, places]) → number',
    'Cut off after the given places.',
    'trunc(3.987, 1)',
    '3.9',
    [
      over([numeric], numeric, (x: D.Decimal) => D.roundDecimal(x, 0, 'trunc')),
      over([numeric, 'int4'], numeric, (x: D.Decimal, n: number) => D.roundDecimal(x, size(n), 'trunc')),
      over([float], float, Math.trunc),
    ],
  ],
  [
    'mod',
    'mod(number, divisor) → number',
    'The remainder of a division, with the sign of the dividend.',
    'mod(19, 7)',
    '5',
    [
      ...perInt((t) => over([t, t], t, modInt)),
      over(
        [numeric, numeric],
        numeric,
        (a: D.Decimal, b: D.Decimal, ctx: RuleContext) => D.remainderOfDecimals(a, b) ?? ctx.fail('Division by zero.'),
      ),
    ],
  ],
  [
    'div',
    'div(number, divisor) → numeric',
    'The whole part of a quotient.',
    'div(19, 7)',
    '2',
    [
      over([numeric, numeric], numeric, (a: D.Decimal, b: D.Decimal, ctx: RuleContext) => {
        const rest = D.remainderOfDecimals(a, b);
        if (rest === null) return ctx.fail('Division by zero.');
        // What is infinite stays so; what is divided by it is nothing.
        if (D.isSpecial(a) || D.isSpecial(b)) return D.divideDecimals(a, b);
        const quotient = D.divideDecimals(D.subtractDecimals(a, rest), b);
        return quotient && D.roundDecimal(quotient, 0, 'trunc');
      }),
    ],
  ],
  [
    'sqrt',
    'sqrt(number) → number',
    'The square root.',
    'sqrt(2.25)',
    '1.500000000000000',
    [
      over(
        [numeric],
        numeric,
        (x: D.Decimal, ctx: RuleContext) =>
          D.squareRootOfDecimal(x) ?? ctx.fail('A negative number has no square root.'),
      ),
      over([float], float, (x: number, ctx: RuleContext) =>
        x < 0 ? ctx.fail('A negative number has no square root.') : Math.sqrt(x),
      ),
    ],
  ],
  [
    'ln',
    'ln(numeric) → numeric',
    'The natural logarithm.',
    'ln(2.0)',
    '0.6931471805599453',
    [
      over([numeric], numeric, (x: D.Decimal, ctx: RuleContext) => possible(lnOfDecimal(x), ctx)),
      over([float], float, exactOnly, { prepare: exactOnly }),
    ],
  ],
  [
    'log',
    'log([base,] numeric) → numeric',
    'The logarithm, to the base 10 or another one.',
    'log(100.0)',
    '2.0000000000000000',
    [
      over([numeric], numeric, (x: D.Decimal, ctx: RuleContext) => possible(logOfDecimals(TEN, x), ctx)),
      over([float], float, exactOnly, { prepare: exactOnly }),
      over([numeric, numeric], numeric, (b: D.Decimal, x: D.Decimal, ctx: RuleContext) =>
        possible(logOfDecimals(b, x), ctx),
      ),
    ],
  ],
  [
    'exp',
    'exp(numeric) → numeric',
    'e raised to the number.',
    'exp(1.0)',
    '2.7182818284590452',
    [
      over([numeric], numeric, (x: D.Decimal, ctx: RuleContext) => possible(expOfDecimal(x), ctx)),
      over([float], float, exactOnly, { prepare: exactOnly }),
    ],
  ],
  [
    'power',
    'power(base, exponent) → double precision or numeric',
    'The base raised to the exponent; exact decimals stay exact decimals.',
    'power(2, 10)',
    '1024',
    [
      over([float, float], float, power),
      over([numeric, numeric], numeric, (x: D.Decimal, y: D.Decimal, ctx: RuleContext) =>
        possible(powerOfDecimals(x, y), ctx),
      ),
    ],
  ],
  [
    'sign',
    'sign(number) → number',
    '-1, 0 or 1.',
    'sign(-12.50)',
    '-1',
    [
      over([numeric], numeric, D.signOfDecimal),
      over([float], float, (x: number) => (Number.isNaN(x) ? NaN : x > 0 ? 1 : x < 0 ? -1 : 0)),
    ],
  ],
];

export const numberFunctions: RuleFunction[] = entries.map(([name, signature, summary, rule, value, overloads]) => ({
  name,
  group: 'number',
  signature,
  summary,
  example: { rule, value },
  overloads,
}));
