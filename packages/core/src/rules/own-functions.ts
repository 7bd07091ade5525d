import type { Decimal } from '../fields/decimal.ts';
import { parseDecimal } from '../fields/decimal.ts';
import { parseFieldType } from '../fields/types.ts';
import type { Timestamp } from '../fields/dates.ts';
import type { Value } from '../fields/values.ts';
import { quoted } from '../words.ts';
import { castBetween, limitCast } from './casts.ts';
import type { RuleContext } from './context.ts';
import { localToInstant } from './date-zones.ts';
import { compileReader, type PatternReader } from './date-pattern-strict.ts';
import { over, type Implementation, type RuleFunction } from './registry.ts';

/** The few functions that PostgreSQL does not have; each has a form in plain SQL for the push-down (docs/rules.md). */

const readers = new Map<string, PatternReader | string>();
function readerFor(pattern: string): PatternReader | string {
  let reader = readers.get(pattern);
  if (reader === undefined) {
    try {
      reader = compileReader(pattern);
    } catch (error) {
      reader = (error as Error).message;
    }
    if (readers.size > 200) readers.clear();
    readers.set(pattern, reader);
  }
  return reader;
}

function readWith(pattern: string, finish: (t: Timestamp) => Value): Implementation {
  const reader = readerFor(pattern);
  if (typeof reader === 'string')
    return (_text: string, ...rest: unknown[]) => (rest.at(-1) as RuleContext).fail(reader);
  return (text: string, ...rest: unknown[]) => {
    const result = reader(text);
    return typeof result === 'string'
      ? (rest.at(-1) as RuleContext).fail(`${quoted(text)} ${result}.`)
      : finish(result);
  };
}
/** Settles the pattern when the rule is checked, so that a wrong one is refused there. */
const settlePattern =
  (finish: (t: Timestamp) => Value) =>
  ([, pattern]: readonly (Value | undefined)[]): Implementation | null => {
    if (typeof pattern !== 'string') return null;
    const reader = readerFor(pattern);
    if (typeof reader === 'string') throw new Error(reader);
    return readWith(pattern, finish);
  };
const dayOf = (t: Timestamp): Value => t.day;
const same = (t: Timestamp): Value => t;

/** Reads a number by its marks; null when the text is anything else. */
export function readNumber(text: string, decimal: string, group: string): Decimal | null {
  let start = 0;
  let end = text.length;
  let negative = false;
  const first = text.charCodeAt(0);
  if (first === 45 || first === 43) {
    negative = first === 45;
    start = 1;
  } else {
    const last = text.charCodeAt(end - 1);
    if (last === 45 || last === 43) {
      negative = last === 45;
      end--;
    }
  }
  if (end <= start) return null;
  const body = start === 0 && end === text.length ? text : text.slice(start, end);
  const at = body.indexOf(decimal);
  const fraction = at < 0 ? '' : body.slice(at + 1);
  let whole = at < 0 ? body : body.slice(0, at);
  if (group !== '' && whole.includes(group)) {
    const groups = whole.split(group);
    if (groups[0]!.length > 3 || groups[0] === '' || groups.some((g, i) => i > 0 && g.length !== 3)) return null;
    whole = groups.join('');
  }
  if (!allDigits(whole) || (at >= 0 && !allDigits(fraction))) return null;
  const digits = at < 0 ? whole : `${whole}.${fraction}`;
  return parseDecimal(negative ? `-${digits}` : digits);
}
function allDigits(text: string): boolean {
  if (text === '') return false;
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    if (code < 48 || code > 57) return false;
  }
  return true;
}
function parseNumber(text: string, decimal: string, group: string, ctx: RuleContext): Value {
  return (
    readNumber(text, decimal, group) ??
    ctx.fail(`${quoted(text)} is not a number${decimal === '.' ? '' : ` with the decimal mark ${quoted(decimal)}`}.`)
  );
}
const checkMarks = (constants: readonly (Value | undefined)[]): null => {
  const [, decimal, group] = constants;
  const wrong = (mark: Value | undefined, empty: boolean): boolean =>
    typeof mark === 'string' && (mark.length > 1 || (mark === '' && !empty) || /[0-9+-]/.test(mark));
  if (wrong(decimal, false)) throw new Error('The decimal mark must be one character other than a digit or sign.');
  if (wrong(group, true)) throw new Error('The group mark must be one character other than a digit or sign.');
  if (typeof decimal === 'string' && decimal === group) throw new Error('Decimal mark and group mark must differ.');
  return null;
};

function lookup(table: string, value: string | null, ctx: RuleContext): Value {
  if (value === null) return null;
  const codes = ctx.codeTables.get(table);
  if (!codes) return ctx.fail(`There is no code table ${quoted(table)}.`, 'code_not_found');
  return (
    codes.get(value) ??
    ctx.codeDefaults.get(table) ??
    ctx.fail(`${quoted(value)} is not in the code table ${table}.`, 'code_not_found', { table, from: value })
  );
}
function mappedKey(mapping: string, key: string, ctx: RuleContext): Value {
  const keys = ctx.keyMaps.get(mapping);
  if (!keys) return ctx.fail(`No record of ${quoted(mapping)} was delivered yet.`, 'reference_missing');
  return keys.get(key) ?? ctx.fail(`${quoted(mapping)} has delivered no record ${quoted(key)}.`, 'reference_missing');
}
function lookupOr(table: string, value: string | null, otherwise: string | null, ctx: RuleContext): Value {
  if (value === null) return otherwise;
  const codes = ctx.codeTables.get(table);
  if (!codes) return ctx.fail(`There is no code table ${quoted(table)}.`, 'code_not_found');
  return codes.get(value) ?? otherwise;
}

/** try_cast has its own type per call: the checker asks for it by the wanted type's name. */
export function tryCastTo(
  from: Parameters<typeof castBetween>[0],
  typeText: string,
): { returns: ReturnType<typeof parseFieldType>; run: Implementation } {
  const type = parseFieldType(typeText);
  const cast = castBetween(from, type.value);
  if (!cast) throw new Error(`There is no cast to ${type.sql} here.`);
  const limit = limitCast(type);
  return {
    returns: type,
    run: (value: Value, ctx: RuleContext) => {
      const before = ctx.fault;
      let result = cast(value as never, ctx);
      if (limit && result !== null) result = limit(result as never, ctx);
      if (ctx.fault !== before) {
        ctx.fault = before;
        return null;
      }
      return result;
    },
  };
}

const S = 'text' as const;

export const ownFunctions: RuleFunction[] = [
  {
    name: 'parse_date',
    group: 'date',
    signature: "parse_date(text, 'pattern') → date",
    summary: 'Reads a date strictly: the whole text must match the pattern and be a real day.',
    example: { rule: "parse_date('03.08.2026', 'DD.MM.YYYY')", value: '2026-08-03' },
    overloads: [
      over([S, S], 'date', (text: string, pattern: string, ctx: RuleContext) => readWith(pattern, dayOf)(text, ctx), {
        prepare: settlePattern(dayOf),
      }),
    ],
  },
  {
    name: 'parse_timestamp',
    group: 'date',
    signature: "parse_timestamp(text, 'pattern' [, 'zone']) → timestamp or timestamptz",
    summary: 'Reads date and time strictly; with a zone, local time of that zone becomes a moment.',
    example: { rule: "parse_timestamp('03.08.2026 14:05', 'DD.MM.YYYY HH24:MI')", value: '2026-08-03 14:05:00' },
    overloads: [
      over(
        [S, S],
        'timestamp',
        (text: string, pattern: string, ctx: RuleContext) => readWith(pattern, same)(text, ctx),
        { prepare: settlePattern(same) },
      ),
      over(
        [S, S, S],
        'timestamptz',
        (text: string, pattern: string, zone: string, ctx: RuleContext) => {
          const local = readWith(pattern, same)(text, ctx);
          return local === null ? null : localToInstant(zone, local as Timestamp, ctx);
        },
        { prepare: (constants) => (settlePattern(same)(constants), null) },
      ),
    ],
  },
  {
    name: 'parse_number',
    group: 'number',
    signature: 'parse_number(text [, decimal mark [, group mark]]) → numeric',
    summary: 'Reads a number strictly: sign in front or behind, groups only where they belong.',
    example: { rule: "parse_number('1.204,50-', ',', '.')", value: '-1204.50' },
    overloads: [
      over([S], 'numeric', (text: string, ctx: RuleContext) => parseNumber(text, '.', '', ctx)),
      over(
        [S, S],
        'numeric',
        (text: string, decimal: string, ctx: RuleContext) => parseNumber(text, decimal, '', ctx),
        { prepare: checkMarks },
      ),
      over([S, S, S], 'numeric', parseNumber, { prepare: checkMarks }),
    ],
  },
  {
    name: 'lookup',
    group: 'lookup',
    signature: "lookup('code table', value [, default]) → text",
    summary: 'Translates a code by a code table of this document; without a default an unknown code fails.',
    example: { rule: "lookup('tariff', 'M')", value: 'MONTHLY' },
    overloads: [
      over([S, S], S, lookup, { strict: false, changing: true }),
      over([S, S, S], S, lookupOr, { strict: false, changing: true }),
    ],
  },
  {
    name: 'mapped_key',
    group: 'lookup',
    signature: "mapped_key('mapping', source key) → text",
    summary: 'The key in the target of a record that another mapping delivered; one that it did not deliver fails.',
    example: { rule: "mapped_key('Bikes to workshop', '0007512')", value: '7512' },
    overloads: [over([S, S], S, mappedKey, { changing: true })],
  },
  {
    name: 'try_cast',
    group: 'choice',
    signature: "try_cast(value, 'type') → type",
    summary: 'Casts, and gives null where the cast fails.',
    example: { rule: "try_cast('12a', 'integer')", value: null },
    overloads: [over([S, S], S, (t: string) => t)],
  },
  {
    name: 'fail',
    group: 'choice',
    signature: "fail('message') → null",
    summary: 'Makes the record fail here with this message.',
    example: { rule: "CASE WHEN 1 > 0 THEN 'ok' ELSE fail('never here') END", value: 'ok' },
    overloads: [over([S], 'unknown', (message: string, ctx: RuleContext) => ctx.fail(message), { changing: true })],
  },
];
