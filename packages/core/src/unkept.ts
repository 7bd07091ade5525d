import type { FaultDetail } from './faults.ts';

// eslint-disable-next-line no-control-regex
const UNKEPT = /\u0000|\p{Surrogate}/u;
const WHY = 'There is a character that can’t be kept (U+0000, or half of a character); type the text anew.';

/**
 * What schemas don't see in data from outside: a member called `__proto__`, which they leave out without a word, and
 * characters that no PostgreSQL keeps in a text or JSON (U+0000, half a surrogate pair). Null where there is nothing of the kind.
 */
export function unkeptIn(value: unknown, path = '', depth = 0): FaultDetail | null {
  if (typeof value === 'string') return UNKEPT.test(value) ? { path, message: WHY } : null;
  if (typeof value !== 'object' || value === null || depth > 40) return null;
  for (const name of Object.getOwnPropertyNames(value)) {
    if (Array.isArray(value) && name === 'length') continue;
    const place = path === '' ? name : `${path}.${name}`;
    if (name === '__proto__') return { path: place, message: 'nothing can be called __proto__.' };
    if (UNKEPT.test(name)) return { path, message: WHY };
    const found = unkeptIn((value as Record<string, unknown>)[name], place, depth + 1);
    if (found !== null) return found;
  }
  return null;
}
