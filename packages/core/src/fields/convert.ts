import * as D from './decimal.ts';
import { readDate, readTimestamp, readTimestampTz } from './date-input.ts';
import { Timestamp } from './dates.ts';
import { typeName, type FieldType, type ValueType } from './types.ts';
import {
  characters,
  fitInteger,
  outputText,
  readBoolean,
  readFloat,
  readInteger,
  valueText,
  type Value,
} from './values.ts';
import { quoted } from '../words.ts';

/**
 * The strict last step from a line's value to its target field (docs/mapping-document.md, “Conversion”). Stricter than a
 * cast: nothing is trimmed, cut or guessed. Returns the converted value or a Mismatch.
 */
export class Mismatch {
  constructor(
    readonly cause: 'type_mismatch' | 'too_long',
    readonly message: string,
  ) {}
}
export type Converter = (value: NonNullable<Value>) => NonNullable<Value> | Mismatch;

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i;
const STRICT_INTEGER = /^[+-]?\d+$/;
const STRICT_NUMBER = /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/;

/** Makes the converter from values of one type to a target field. Throws Error with a sentence where no conversion exists. */
export function converterTo(target: FieldType, from: ValueType): Converter {
  const { value: to } = target;
  if (to === 'text') return toText(target, from);
  if (from === 'text' || from === 'unknown') return fromText(target);
  if (to === from) return to === 'numeric' ? sized(target) : (value) => value;
  const convert = between(from, target);
  if (!convert)
    throw new Error(`A value of type ${typeName(from)} does not become ${target.sql} by itself; cast it in a rule.`);
  return convert;
}

function toText(target: FieldType, from: ValueType): Converter {
  const { length } = target;
  const asText = (value: NonNullable<Value>): string =>
    from === 'text' || from === 'unknown' ? (value as string) : (valueText(value, from) as string);
  if (length === undefined) return asText;
  const pad = target.padded
    ? (text: string): string => text + ' '.repeat(length - characters(text))
    : (text: string): string => text;
  return (value) => {
    const text = asText(value);
    if (text.length > length && characters(text) > length)
      return new Mismatch(
        'too_long',
        `${quoted(text)} has ${characters(text).toLocaleString('en-GB')} characters; the field takes ${length}.`,
      );
    return pad(text);
  };
}

function sized(target: FieldType): Converter {
  const { precision, scale = 0 } = target;
  if (precision === undefined) return (value) => value;
  return (value) =>
    D.fitDecimal(value as D.Decimal, precision, scale) ??
    new Mismatch(
      'type_mismatch',
      `${D.decimalText(value as D.Decimal)} does not fit ${target.sql}: at most ${precision - scale} digits before the point.`,
    );
}

function fromText(target: FieldType): Converter {
  const { value: to, sql } = target;
  const wrong = (text: string, hint = ''): Mismatch =>
    new Mismatch('type_mismatch', `${quoted(text)} is no ${sql}.${hint}`);
  const reading =
    (read: (text: string) => Value, hint: string): Converter =>
    (value) => {
      const text = value as string;
      // Blanks around a value are damage until a rule says otherwise.
      return (/^\s|\s$/.test(text) ? null : read(text)) ?? wrong(text, hint);
    };
  switch (to) {
    case 'int2':
    case 'int4':
    case 'int8':
      return (value) => {
        const text = value as string;
        const whole = STRICT_INTEGER.test(text) ? readInteger(text, to) : undefined;
        return whole ?? wrong(text, whole === null ? ' The number is too large for it.' : '');
      };
    case 'numeric': {
      const fit = sized(target);
      return (value) => {
        const text = value as string;
        const number = STRICT_NUMBER.test(text) ? D.parseDecimal(text) : null;
        return number === null ? wrong(text, ' Read it with parse_number(…) if it has other marks.') : fit(number);
      };
    }
    case 'float8':
      return (value) =>
        (STRICT_NUMBER.test(value as string) ? readFloat(value as string) : null) ?? wrong(value as string);
    case 'bool':
      return reading(readBoolean, ' Use true or false, yes or no, 1 or 0.');
    case 'date':
      return reading(
        (text) => (isIso(text) ? readDate(text) : null),
        ' Only dates such as 2026-08-03 are taken as they are; read others with parse_date(…).',
      );
    case 'timestamp':
      return reading(
        (text) => (isIso(text) ? readTimestamp(text) : null),
        ' Only times such as 2026-08-03 14:05 are taken as they are; read others with parse_timestamp(…).',
      );
    case 'timestamptz':
      return reading(
        (text) => (isIso(text) ? readTimestampTz(text) : null),
        ' Only times such as 2026-08-03 14:05+00 are taken as they are; read others with parse_timestamp(…).',
      );
    case 'uuid':
      return (value) => (UUID.test(value as string) ? (value as string).toLowerCase() : wrong(value as string));
    case 'jsonb':
      return (value) => {
        try {
          JSON.parse(value as string);
          return value;
        } catch {
          return wrong(value as string);
        }
      };
    default:
      throw new Error(`The type ${sql} can't be written from text yet; use text.`);
  }
}
const isIso = (text: string): boolean => /^\d{4}-\d{2}-\d{2}([T ]|$)/.test(text);

function between(from: ValueType, target: FieldType): Converter | null {
  const { value: to } = target;
  const isInt = from === 'int2' || from === 'int4' || from === 'int8';
  if (to === 'int2' || to === 'int4' || to === 'int8') {
    if (isInt)
      return (value) =>
        fitInteger(value as number, to) ??
        new Mismatch('type_mismatch', `${String(value)} is out of the range of ${target.sql}.`);
    if (from === 'numeric' || from === 'float8')
      return (value) => {
        const d = from === 'numeric' ? (value as D.Decimal) : D.parseDecimal(valueText(value, from)!)!;
        const whole = D.roundDecimal(d, 0);
        const fitted = D.isSpecial(d) || D.compareDecimals(whole, d) !== 0 ? null : fitInteger(whole.units, to);
        return (
          fitted ??
          new Mismatch(
            'type_mismatch',
            `${outputText(value, from)} is no ${target.sql}; round it in a rule if that is meant.`,
          )
        );
      };
    return null;
  }
  switch (to) {
    case 'numeric': {
      const fit = sized(target);
      if (isInt) return (value) => fit(D.fromInteger(value as number));
      return from === 'float8' ? (value) => fit(D.parseDecimal(valueText(value, from)!)!) : null;
    }
    case 'float8':
      if (isInt) return (value) => Number(value);
      return from === 'numeric'
        ? (value) =>
            D.floatOfDecimal(value as D.Decimal) ??
            new Mismatch('type_mismatch', `${outputText(value, from)} is out of the range of ${target.sql}.`)
        : null;
    case 'timestamp':
    case 'timestamptz':
      return from === 'date'
        ? (value) => new Timestamp(value as number, 0)
        : from === 'timestamp' || from === 'timestamptz'
          ? (value) => value
          : null;
    case 'date':
      return from === 'timestamp' || from === 'timestamptz'
        ? (value) =>
            (value as Timestamp).micros === 0
              ? (value as Timestamp).day
              : new Mismatch(
                  'type_mismatch',
                  `${valueText(value, from)} has a time of day; cut it with ::date in a rule if that is meant.`,
                )
        : null;
    default:
      return null;
  }
}
