import { quoteName } from '@versicle/core';

/** A condition: the values of some fields are among keys that come as parameters, a list of texts for each field, the first as `$first`. */
export function amongKeys(fields: readonly string[], typeOf: (field: string) => string, first = 1): string {
  const cast = fields.map((name, i) => `CAST(u.c${i} AS ${typeOf(name)})`).join(', ');
  const lists = fields.map((_, i) => `$${first + i}::text[]`).join(', ');
  const names = fields.map((_, i) => `c${i}`).join(', ');
  return `(${fields.map(quoteName).join(', ')}) IN (SELECT ${cast} FROM unnest(${lists}) AS u(${names}))`;
}
/** The parameters for it. */
export const keyLists = (
  fields: readonly string[],
  keys: readonly (readonly (string | null)[])[],
): (string | null)[][] => fields.map((_, i) => keys.map((key) => key[i] ?? null));
