import * as D from '../fields/decimal.ts';
import * as T from '../fields/dates.ts';
import type { Value } from '../fields/values.ts';
import { quoted } from '../words.ts';
import type { RuleContext } from './context.ts';
import { readByPattern, readInputPattern } from './date-pattern-input.ts';
import { readNumberBy, readNumberPattern, writeNumber } from './number-patterns.ts';
import { over, type Implementation, type Overload, type RuleFunction } from './registry.ts';

/** What writes and reads by PostgreSQL's patterns, beside the strict readers of ours. */

/** Patterns are read once. */
function remembered<P>(read: (pattern: string) => P): (pattern: string) => P | string {
  const known = new Map<string, P | string>();
  return (pattern) => {
    let found = known.get(pattern);
    if (found === undefined) {
      try {
        found = read(pattern);
      } catch (error) {
        found = (error as Error).message;
      }
      if (known.size > 200) known.clear();
      known.set(pattern, found);
    }
    return found;
  };
}
const numberPattern = remembered(readNumberPattern);
const inputPattern = remembered(readInputPattern);
/** A pattern that is written out is looked at when the rule is checked. */
const settled =
  (read: (pattern: string) => unknown) =>
  ([, pattern]: readonly (Value | undefined)[]): Implementation | null => {
    const found = typeof pattern === 'string' ? read(pattern) : null;
    if (typeof found === 'string') throw new Error(found);
    return null;
  };

function numberToText(value: D.Decimal, pattern: string, ctx: RuleContext): string | null {
  const found = numberPattern(pattern);
  if (typeof found === 'string') return ctx.fail(found);
  const written = writeNumber(found, value);
  return typeof written === 'string' ? written : ctx.fail(written.message);
}
function textToNumber(text: string, pattern: string, ctx: RuleContext): Value {
  if (pattern === '') return null;
  const found = numberPattern(pattern);
  if (typeof found === 'string') return ctx.fail(found);
  const read = readNumberBy(found, text)!;
  const number = D.parseDecimal(read.digits);
  if (number === null) return ctx.fail(`${quoted(text)} has no number that fits the pattern ${pattern}.`);
  // A pattern without places takes nothing but zero.
  const room = read.precision > 0 || D.signOfDecimal(number).units === 0;
  const fitted = room ? D.fitDecimal(number, Math.max(1, read.precision), read.scale) : null;
  if (fitted === null) return ctx.fail(`${quoted(text)} is too large for the pattern ${pattern}.`);
  if (!found.has.has('multi')) return fitted;
  // PostgreSQL multiplies by a power of ten that has 16 significant digits.
  return D.multiplyDecimals(fitted, D.parseDecimal(`1${'0'.repeat(16)}e-${16 + found.multi}`)!);
}
function readInput(finish: (t: T.Timestamp, ctx: RuleContext) => Value): Implementation {
  return (text: string, pattern: string, ctx: RuleContext) => {
    const found = inputPattern(pattern);
    if (typeof found === 'string') return ctx.fail(found);
    const read = readByPattern(found, text);
    return typeof read === 'string' ? ctx.fail(`${quoted(text)} ${read}.`) : finish(read, ctx);
  };
}
function epoch(seconds: number, ctx: RuleContext): T.Timestamp | null {
  if (Number.isNaN(seconds)) return ctx.fail('NaN is no time.');
  if (!Number.isFinite(seconds)) return new T.Timestamp(seconds, 0);
  const micros = roundEven((seconds - 946_684_800) * 1e6);
  const days = Math.floor(micros / T.DAY_MICROS);
  const t = new T.Timestamp(days + 10_957, micros - days * T.DAY_MICROS);
  return T.timestampInRange(t) ? t : ctx.fail('The time is out of range.');
}
export function roundEven(x: number): number {
  const floor = Math.floor(x);
  const rest = x - floor;
  return rest < 0.5 ? floor : rest > 0.5 ? floor + 1 : floor % 2 === 0 ? floor : floor + 1;
}

const S = 'text' as const;
const writing = { prepare: settled(numberPattern), changing: true };
/** With V, PostgreSQL multiplies integers as machine words, which run over without a word. */
const integerPattern = (pattern: string): ReturnType<typeof numberPattern> => {
  const found = numberPattern(pattern);
  return typeof found !== 'string' && found.has.has('multi')
    ? 'A pattern with V is for exact decimals; cast the whole number with ::numeric.'
    : found;
};
const writingInteger = { prepare: settled(integerPattern), changing: true };
const integerToText = (n: number | bigint, pattern: string, ctx: RuleContext): string | null => {
  const found = integerPattern(pattern);
  return typeof found === 'string' ? ctx.fail(found) : numberToText(D.fromInteger(n), pattern, ctx);
};
/** to_char for numbers; dates have theirs beside. Exact ones only: a double’s digits depend on the machine. */
export const numberToChar: readonly Overload[] = [
  over(['numeric', S], S, numberToText, writing),
  over(['int4', S], S, integerToText, writingInteger),
  over(['int8', S], S, integerToText, writingInteger),
];

export const patternFunctions: RuleFunction[] = [
  {
    name: 'to_number',
    group: 'number',
    signature: 'to_number(text, pattern) → numeric',
    summary: 'Reads a number by a pattern, and reads over what does not fit; parse_number is strict.',
    example: { rule: "to_number('1,204.50', '9G999D99')", value: '1204.50' },
    lenient: 'parse_number',
    overloads: [over([S, S], 'numeric', textToNumber, { prepare: settled(numberPattern), changing: true })],
  },
  {
    name: 'to_date',
    group: 'date',
    signature: 'to_date(text, pattern) → date',
    summary: 'Reads a date by a pattern, and reads over what does not fit; parse_date is strict.',
    example: { rule: "to_date('03 Aug 2026', 'DD Mon YYYY')", value: '2026-08-03' },
    lenient: 'parse_date',
    overloads: [
      over(
        [S, S],
        'date',
        readInput((t) => t.day),
        { prepare: settled(inputPattern), changing: true },
      ),
    ],
  },
  {
    name: 'to_timestamp',
    group: 'date',
    signature: 'to_timestamp(text, pattern) → timestamptz; to_timestamp(seconds) → timestamptz',
    summary: 'Reads a moment by a pattern (in UTC), or from seconds since 1970; parse_timestamp is strict.',
    example: { rule: 'to_timestamp(1785747600)::date', value: '2026-08-03' },
    lenient: 'parse_timestamp',
    overloads: [
      over(
        [S, S],
        'timestamptz',
        readInput((t, ctx) => (T.timestampInRange(t) ? t : ctx.fail('The time is out of range.'))),
        { prepare: settled(inputPattern), changing: true },
      ),
      over(['float8'], 'timestamptz', epoch),
    ],
  },
];
