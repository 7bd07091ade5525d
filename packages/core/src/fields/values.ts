import type { Decimal } from './decimal.ts';
import { decimalText, parseDecimal } from './decimal.ts';
import type { Interval, Timestamp } from './dates.ts';
import { dateText, intervalText, timestampText } from './dates.ts';
import type { ValueType } from './types.ts';

/**
 * A value at run time: text, uuid and jsonb as string; bool as boolean; int2/int4 as number; int8 as number, or bigint
 * beyond 2^53; float8 as number; date as days since 1970-01-01; jsonb in its canonical text; bytea as bytes. Its type is known statically, so none is carried along.
 */
export type Value =
  string | number | bigint | boolean | Decimal | Timestamp | Interval | Uint8Array | readonly (string | null)[] | null;

/** `(value)::text` as PostgreSQL prints it. */
export function valueText(value: Value, type: ValueType): string | null {
  if (value === null) return null;
  switch (type) {
    case 'text':
    case 'unknown':
    case 'uuid':
    case 'jsonb':
      return value as string;
    case 'bool':
      return value ? 'true' : 'false';
    case 'numeric':
      return decimalText(value as Decimal);
    case 'float8':
      return floatText(value as number);
    case 'date':
      return dateText(value as number);
    case 'timestamp':
      return timestampText(value as Timestamp);
    case 'timestamptz':
      return timestampText(value as Timestamp, true);
    case 'interval':
      return intervalText(value as Interval);
    case 'bytea':
      return bytesText(value as Uint8Array);
    case 'text[]':
      return arrayText(value as readonly (string | null)[]);
    default:
      return String(value);
  }
}

export function bytesText(bytes: Uint8Array): string {
  let hex = '\\x';
  for (const byte of bytes) hex += byte.toString(16).padStart(2, '0');
  return hex;
}
/** An array as array_out prints it: what could be misread stands in quotes. */
export function arrayText(items: readonly (string | null)[]): string {
  const item = (text: string | null): string => {
    if (text === null) return 'NULL';
    return text === '' || /[{}",\\ \t\n\v\f\r]/.test(text) || /^null$/i.test(text)
      ? `"${text.replace(/["\\]/g, '\\$&')}"`
      : text;
  };
  return `{${items.map(item).join(',')}}`;
}

/** As an output function prints it (COPY, concat, files): like valueText, booleans as t and f. */
export function outputText(value: Value, type: ValueType): string | null {
  return type === 'bool' && value !== null ? (value ? 't' : 'f') : valueText(value, type);
}

/** Shortest text that reads back as the same double, in PostgreSQL's notation. */
export function floatText(value: number): string {
  if (Number.isNaN(value)) return 'NaN';
  if (!Number.isFinite(value)) return value > 0 ? 'Infinity' : '-Infinity';
  if (value === 0) return Object.is(value, -0) ? '-0' : '0';
  const [mantissa, exponentText] = shortest(value).split('e') as [string, string];
  const exponent = Number(exponentText);
  if (exponent < -4 || exponent >= 15) {
    const size = String(Math.abs(exponent)).padStart(2, '0');
    return `${mantissa}e${exponent < 0 ? '-' : '+'}${size}`;
  }
  const plain = String(value);
  return plain.includes('e') ? parsedPlain(plain) : plain;
}
/**
 * JavaScript's shortest digits, except where they lie exactly half-way to the next double: PostgreSQL (its Ryu does not
 * accept bounds) then writes one digit more. Only large whole numbers can be half-way.
 */
function shortest(value: number): string {
  const text = value.toExponential();
  if (Math.abs(value) < 2 ** 53) return text;
  const exact = BigInt(value);
  for (let digits = 0; digits <= 16; digits++) {
    const candidate = digits === 0 ? text : value.toExponential(digits);
    if (Number(candidate) !== value) continue;
    if (digits > 0 && candidate.length < text.length) continue;
    const [m, e] = candidate.split('e') as [string, string];
    const places = (m.split('.')[1] ?? '').length;
    const written = BigInt(m.replace('.', '')) * 10n ** BigInt(Math.max(0, Number(e) - places));
    const off = written > exact ? written - exact : exact - written;
    if (off * 2n < ulp(exact)) return candidate;
  }
  return text;
}
/** How far the next double is from one that is whole and at least 2^53; counted in bits, since a logarithm is rounded. */
function ulp(exact: bigint): bigint {
  const bits = (exact < 0n ? -exact : exact).toString(2).length;
  return 2n ** BigInt(bits - 53);
}
function parsedPlain(text: string): string {
  return decimalText(parseDecimal(text)!);
}

const INT_LIMITS = { int2: [-32768, 32767], int4: [-2147483648, 2147483647] } as const;
const INT8_MIN = -(2n ** 63n);
const INT8_MAX = 2n ** 63n - 1n;

/** The value if it fits the integer type (bigints brought back to numbers where safe), otherwise null. */
export function fitInteger(value: number | bigint, type: 'int2' | 'int4' | 'int8'): number | bigint | null {
  if (type === 'int8') {
    if (typeof value === 'number') return Number.isSafeInteger(value) ? value : fitInteger(BigInt(value), type);
    if (value < INT8_MIN || value > INT8_MAX) return null;
    return value <= BigInt(Number.MAX_SAFE_INTEGER) && value >= BigInt(Number.MIN_SAFE_INTEGER) ? Number(value) : value;
  }
  const [min, max] = INT_LIMITS[type];
  return value < min || value > max ? null : Number(value);
}

const INTEGER =
  /^[ \t\n\v\f\r]*([+-]?)(\d(?:_?\d)*|0[xX](?:_?[0-9a-fA-F])+|0[oO](?:_?[0-7])+|0[bB](?:_?[01])+)[ \t\n\v\f\r]*$/;

/** What PostgreSQL's integer input takes: blanks around, `_` between digits, 0x, 0o, 0b. Undefined: no integer; null: out of range. */
export function readInteger(text: string, type: 'int2' | 'int4' | 'int8'): number | bigint | null | undefined {
  const plain = plainDigits(text);
  if (plain >= 0) return fitInteger(plain, type);
  const match = INTEGER.exec(text);
  if (!match) return undefined;
  const digits = match[2]!.replace(/_/g, '');
  const size = digits.length < 16 ? Number(digits) : BigInt(digits);
  return fitInteger(match[1] === '-' ? -size : size, type);
}

/** The everyday case: nothing but up to 15 digits; -1 for anything else. */
function plainDigits(text: string): number {
  const { length } = text;
  if (length === 0 || length > 15) return -1;
  let value = 0;
  for (let i = 0; i < length; i++) {
    const digit = text.charCodeAt(i) - 48;
    if (digit < 0 || digit > 9) return -1;
    value = value * 10 + digit;
  }
  return value;
}

/** PostgreSQL's words for booleans, unique beginnings included, blanks around, any case; null for others. */
export function readBoolean(input: string): boolean | null {
  const text = input.replace(/^[ \t\n\v\f\r]+|[ \t\n\v\f\r]+$/g, '').toLowerCase();
  if (text === '') return null;
  if ('true'.startsWith(text) || 'yes'.startsWith(text) || text === 'on' || text === '1') return true;
  if ('false'.startsWith(text) || 'no'.startsWith(text) || text === 'of' || text === 'off' || text === '0')
    return false;
  return null;
}

const FLOAT = /^[ \t\n\v\f\r]*[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?[ \t\n\v\f\r]*$/;
const HEX_FLOAT =
  /^[ \t\n\v\f\r]*([+-]?)0x(?=\.?[0-9a-f])([0-9a-f]*)(?:\.([0-9a-f]*))?(?:p([+-]?\d+))?[ \t\n\v\f\r]*$/i;
const FLOAT_WORD = /^[ \t\n\v\f\r]*([+-]?)(nan|inf|infinity)[ \t\n\v\f\r]*$/i;

/** A double as PostgreSQL reads it; null when it is no number or out of a double's range. */
export function readFloat(text: string): number | null {
  if (FLOAT.test(text)) {
    const value = Number(text);
    if (!Number.isFinite(value)) return null;
    return value === 0 && /[1-9]/.test(text.replace(/[eE].*/, '')) ? null : value;
  }
  const hex = HEX_FLOAT.exec(text);
  if (hex) {
    const [, sign, whole = '', fraction = '', power = '0'] = hex;
    const value = binaryFloat(BigInt(`0x${whole}${fraction}`), Number(power) - 4 * fraction.length);
    return value === null ? null : sign === '-' ? -value : value;
  }
  const word = FLOAT_WORD.exec(text);
  if (!word) return null;
  if (word[2]!.toLowerCase() === 'nan') return NaN;
  return word[1] === '-' ? -Infinity : Infinity;
}

/** `digits` × 2^`exponent` as the nearest double, of two equally near ones the even (IEEE 754, 4.3.1); null out of range. */
function binaryFloat(digits: bigint, exponent: number): number | null {
  if (digits === 0n) return 0;
  const bits = digits.toString(2).length;
  if (bits + exponent > 1024 || bits + exponent < -1075) return null;
  const drop = Math.max(0, bits - 53, -1074 - exponent);
  const kept = digits >> BigInt(drop);
  const rest = (digits - (kept << BigInt(drop))) * 2n;
  const half = 1n << BigInt(drop);
  const rounded = rest > half || (rest === half && (kept & 1n) === 1n) ? kept + 1n : kept;
  const value = Number(rounded) * 2 ** (exponent + drop);
  return value === 0 || !Number.isFinite(value) ? null : value;
}

/** Number of characters (code points). */
export function characters(text: string): number {
  let count = text.length;
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i);
    if (code >= 0xd800 && code < 0xdc00) count--;
  }
  return count;
}
