import { compareDecimals, Decimal, decimalKey } from '../fields/decimal.ts';
import { compareTimestamps, Interval, Timestamp } from '../fields/dates.ts';
import type { ValueType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import { intervalMicros } from './date-arithmetic.ts';

export type Comparison = (a: never, b: never) => number;

/** Order of code points (C collation), which differs from UTF-16 order only where surrogates meet U+E000 and above. */
export function compareTexts(a: string, b: string): number {
  if (a === b) return 0;
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    const x = a.charCodeAt(i);
    const y = b.charCodeAt(i);
    if (x !== y) {
      if (x >= 0xd800 && y >= 0xd800)
        return (x >= 0xe000 ? x - 0x2000 : x + 0x2000) < (y >= 0xe000 ? y - 0x2000 : y + 0x2000) ? -1 : 1;
      return x < y ? -1 : 1;
    }
  }
  return a.length < b.length ? -1 : 1;
}
const plain = (a: number | bigint | boolean, b: number | bigint | boolean): number => (a < b ? -1 : a > b ? 1 : 0);
function floats(a: number, b: number): number {
  if (Number.isNaN(a)) return Number.isNaN(b) ? 0 : 1;
  return Number.isNaN(b) ? -1 : plain(a, b);
}
function intervals(a: Interval, b: Interval): number {
  return plain(intervalMicros(a), intervalMicros(b));
}

function bytes(a: Uint8Array, b: Uint8Array): number {
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) if (a[i] !== b[i]) return a[i]! < b[i]! ? -1 : 1;
  return a.length - b.length;
}
/** Item by item; a null is equal to a null and above everything else (array_cmp of arrayfuncs.c). */
function arrays(a: readonly (string | null)[], b: readonly (string | null)[]): number {
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    const x = a[i]!;
    const y = b[i]!;
    if (x === y) continue;
    if (x === null || y === null) return x === null ? 1 : -1;
    return compareTexts(x, y);
  }
  return a.length - b.length;
}

/** The order of two values of one type; null for types without one here. */
export function comparisonFor(type: ValueType): Comparison | null {
  switch (type) {
    case 'text':
    case 'unknown':
    case 'uuid':
      return compareTexts;
    case 'numeric':
      return compareDecimals;
    case 'float8':
      return floats;
    case 'timestamp':
    case 'timestamptz':
      return compareTimestamps;
    case 'interval':
      return intervals;
    case 'text[]':
      return arrays;
    case 'bytea':
      return bytes;
    case 'jsonb':
      return null;
    default:
      return plain;
  }
}

/** A text under which equal values of a type meet, for sets and keys. */
export function keyOf(value: Value, type: ValueType): string {
  if (value instanceof Decimal) return decimalKey(value);
  if (value instanceof Timestamp) return `${value.day}:${value.micros}`;
  if (value instanceof Interval) return String(intervalMicros(value));
  if (type === 'float8' && Object.is(value, -0)) return '0';
  return Array.isArray(value) ? JSON.stringify(value) : String(value);
}
