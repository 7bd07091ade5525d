import { parseFieldType, type FieldType } from './types.ts';

/** Kinds of number, each of which holds what those before it hold. */
const NUMBERS = ['int2', 'int4', 'int8', 'numeric'];

/**
 * Whether every value of a field that had one type is one of the other, written the same: a field of a source that was
 * changed so is read as before. Types are as databases write them.
 */
export function isWidened(from: string, to: string): boolean {
  if (from === to) return true;
  const [a, b] = [readType(from), readType(to)];
  if (a === null || b === null) return false;
  if (a.value === 'text' && b.value === 'text')
    return !a.padded && !b.padded && (b.length === undefined || (a.length !== undefined && a.length <= b.length));
  const [i, j] = [NUMBERS.indexOf(a.value), NUMBERS.indexOf(b.value)];
  if (i < 0 || j < i) return false;
  // A scale of its own writes numbers otherwise: 5 becomes 5.00.
  if (b.value !== 'numeric') return true;
  if (a.value !== 'numeric') return b.precision === undefined;
  return (
    a.scale === b.scale && (b.precision === undefined || (a.precision !== undefined && a.precision <= b.precision))
  );
}
function readType(text: string): FieldType | null {
  try {
    return parseFieldType(text);
  } catch {
    return null;
  }
}
