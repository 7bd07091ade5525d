import * as D from '../fields/decimal.ts';
import { readDate, readTimestamp, readTimestampTz } from '../fields/date-input.ts';
import { readInterval } from '../fields/interval-input.ts';
import { Timestamp, timestampInRange } from '../fields/dates.ts';
import { typeName, type FieldType, type ValueType } from '../fields/types.ts';
import {
  characters,
  fitInteger,
  floatText,
  readBoolean,
  readFloat,
  readInteger,
  valueText,
  type Value,
} from '../fields/values.ts';
import { quoted } from '../words.ts';
import { readArray } from './array-functions.ts';
import { readBytes } from './bytes-functions.ts';
import type { RuleContext } from './context.ts';
import { canonicalJson, scalarText } from './json-functions.ts';
import { roundFloat } from './number-functions.ts';

/** PostgreSQL's casts. The strict last step from a line's value to its target field is fields/convert.ts, not this. */
export type Cast = (value: never, ctx: RuleContext) => Value;

const INTS = new Set<ValueType>(['int2', 'int4', 'int8']);
const ORDER: ValueType[] = ['int2', 'int4', 'int8', 'numeric', 'float8'];
const DATES: ValueType[] = ['date', 'timestamp', 'timestamptz'];

/** Whether a value of `from` is taken for `to` without being asked. */
export function isImplicit(from: ValueType, to: ValueType): boolean {
  if (from === to || from === 'unknown') return true;
  const numbers = ORDER.indexOf(from);
  if (numbers >= 0) return ORDER.indexOf(to) > numbers;
  const dates = DATES.indexOf(from);
  return dates >= 0 && DATES.indexOf(to) > dates;
}

const bad =
  (type: ValueType) =>
  (text: string, ctx: RuleContext): null =>
    ctx.fail(`${quoted(text)} is no ${typeName(type)}.`);
const range = (type: ValueType, ctx: RuleContext): null =>
  ctx.fail(`The value is out of the range of ${typeName(type)}.`);

function fromText(to: ValueType): Cast | null {
  const refuse = bad(to);
  switch (to) {
    case 'int2':
    case 'int4':
    case 'int8':
      return (text: string, ctx) => {
        const value = readInteger(text, to);
        return value === undefined ? refuse(text, ctx) : (value ?? range(to, ctx));
      };
    case 'numeric':
      return (text: string, ctx) => D.parseDecimal(text) ?? refuse(text, ctx);
    case 'float8':
      return (text: string, ctx) => readFloat(text) ?? refuse(text, ctx);
    case 'bool':
      return (text: string, ctx) => readBoolean(text) ?? refuse(text, ctx);
    case 'date':
      return (text: string, ctx) => readDate(text) ?? refuse(text, ctx);
    case 'timestamp':
      return (text: string, ctx) => readTimestamp(text) ?? refuse(text, ctx);
    case 'timestamptz':
      return (text: string, ctx) => readTimestampTz(text) ?? refuse(text, ctx);
    case 'interval':
      return (text: string, ctx) => readInterval(text) ?? refuse(text, ctx);
    case 'jsonb':
      return (text: string, ctx) => canonicalJson(text) ?? refuse(text, ctx);
    case 'uuid':
      return (text: string, ctx) => readUuid(text) ?? refuse(text, ctx);
    case 'bytea':
      return (text: string, ctx) => readBytes(text) ?? refuse(text, ctx);
    case 'text[]':
      return (text: string, ctx) => readArray(text) ?? refuse(text, ctx);
    default:
      return null;
  }
}

function toInteger(from: ValueType, to: 'int2' | 'int4' | 'int8'): Cast | null {
  if (from === 'bool') return to === 'int4' ? (value: boolean) => (value ? 1 : 0) : null;
  if (INTS.has(from)) return (value: number | bigint, ctx) => fitInteger(value, to) ?? range(to, ctx);
  if (from === 'numeric')
    return (value: D.Decimal, ctx) => {
      const whole = D.integerOfDecimal(value);
      return whole === null ? range(to, ctx) : (fitInteger(whole, to) ?? range(to, ctx));
    };
  if (from === 'float8')
    return (value: number, ctx) => {
      if (!Number.isFinite(value)) return range(to, ctx);
      const whole = roundFloat(value);
      return fitInteger(Number.isSafeInteger(whole) ? whole + 0 : BigInt(whole), to) ?? range(to, ctx);
    };
  return null;
}

/** How a value becomes another type when the rule asks for it; null where PostgreSQL (or we) have no such cast. */
export function castBetween(from: ValueType, to: ValueType): Cast | null {
  if (from === to) return (value: Value) => value;
  if (to === 'text')
    return from === 'jsonb' || from === 'uuid' ? (v: Value) => v : (value: Value) => valueText(value, from);
  if (from === 'text' || from === 'unknown') return fromText(to);
  if (from === 'jsonb') return fromJson(to);
  if (to === 'int2' || to === 'int4' || to === 'int8') return toInteger(from, to);
  switch (to) {
    case 'bool':
      return from === 'int4' ? (value: number) => value !== 0 : null;
    case 'numeric':
      if (INTS.has(from)) return (value: number | bigint) => D.fromInteger(value);
      if (from === 'float8') return (value: number) => floatToDecimal(value);
      return null;
    case 'float8':
      if (INTS.has(from)) return (value: number | bigint) => Number(value);
      return from === 'numeric' ? (value: D.Decimal, ctx) => D.floatOfDecimal(value) ?? range('float8', ctx) : null;
    case 'date':
      return from === 'timestamp' || from === 'timestamptz' ? (value: Timestamp) => value.day : null;
    case 'timestamp':
    case 'timestamptz':
      if (from === 'date')
        return (value: number, ctx) => {
          const t = new Timestamp(value, 0);
          return !Number.isFinite(value) || timestampInRange(t) ? t : range(to, ctx);
        };
      return from === 'timestamp' || from === 'timestamptz' ? (value: Timestamp) => value : null;
    default:
      return null;
  }
}

/** A JSON scalar as a value of its kind; JSON's null is null. */
function fromJson(to: ValueType): Cast | null {
  if (to === 'bool') return (j: string, ctx) => scalarText(j, 'bool', ctx);
  if (to !== 'numeric' && to !== 'float8' && !INTS.has(to)) return null;
  const onward = to === 'numeric' ? null : castBetween('numeric', to)!;
  return (j: string, ctx) => {
    const text = scalarText(j, 'numeric', ctx) as string | null;
    const number = text === null ? null : D.parseDecimal(text);
    return number === null || onward === null ? number : onward(number as never, ctx);
  };
}
/** uuid_in: hexadecimal digits with a hyphen after any four of them, braces around allowed. */
function readUuid(text: string): string | null {
  const inner = /^\{(.*)\}$/.exec(text)?.[1] ?? text;
  if (!/^[0-9a-fA-F]{4}(-?[0-9a-fA-F]{4}){7}$/.test(inner)) return null;
  const digits = inner.replace(/-/g, '').toLowerCase();
  return digits.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5');
}

/** A double keeps 15 significant digits on its way to numeric, as in PostgreSQL. */
function floatToDecimal(value: number): D.Decimal {
  if (!Number.isFinite(value)) return D.parseDecimal(floatText(value))!;
  const shown = D.parseDecimal(value.toPrecision(15))!;
  const text = D.decimalText(shown);
  return D.parseDecimal(text.includes('.') ? text.replace(/\.?0+$/, '') : text)!;
}

/** The type's own limits, applied by an explicit cast: varchar(n) cuts, numeric(p,s) rounds and may overflow. */
export function limitCast(type: FieldType): Cast | null {
  if (type.length !== undefined) {
    const { length } = type;
    return (text: string) => (characters(text) <= length ? text : [...text].slice(0, length).join(''));
  }
  if (type.precision !== undefined) {
    const { precision, scale = 0 } = type;
    return (value: D.Decimal, ctx) =>
      D.fitDecimal(value, precision, scale) ?? ctx.fail(`The value does not fit ${type.sql}.`);
  }
  return null;
}
