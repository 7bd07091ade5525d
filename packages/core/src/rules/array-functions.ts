import type { RuleContext } from './context.ts';
import { over, type RuleFunction } from './registry.ts';
import { MAX_TEXT } from './text-functions.ts';

/** Arrays of texts (src/backend/utils/adt/array_userfuncs.c, varlena.c). */

type Items = readonly (string | null)[];
const T = 'text' as const;
const A = 'text[]' as const;
const I = 'int4' as const;

function toArray(text: string | null, delimiter: string | null, nullText: string | null): Items | null {
  if (text === null) return null;
  if (text === '') return [];
  const parts = delimiter === null ? [...text] : delimiter === '' ? [text] : text.split(delimiter);
  return nullText === null ? parts : parts.map((p) => (p === nullText ? null : p));
}
function toText(
  items: Items | null,
  delimiter: string | null,
  nullText: string | null,
  ctx: RuleContext,
): string | null {
  if (items === null || delimiter === null) return null;
  const shown = items.map((i) => i ?? nullText).filter((i): i is string => i !== null);
  const text = shown.join(delimiter);
  return text.length > MAX_TEXT ? ctx.fail('The result is longer than 1,048,576 characters.') : text;
}
function positionIn(items: Items | null, wanted: string | null, start: number): number | null {
  if (items === null) return null;
  for (let i = Math.max(0, start - 1); i < items.length; i++) if (items[i] === wanted) return i + 1;
  return null;
}
/** `x = ANY (array)`: true where an item is equal, null where none is but one is null. */
export function equalsAny(value: string | null, items: Items | null): boolean | null {
  if (items === null) return null;
  if (items.length === 0) return false;
  return value === null ? null : items.includes(value) ? true : items.includes(null) ? null : false;
}

export const anyOverloads = [over([T, A], 'bool', equalsAny, { strict: false })];

export const arrayFunctions: RuleFunction[] = [
  {
    name: 'string_to_array',
    group: 'array',
    signature: 'string_to_array(text, delimiter [, null text]) → text[]',
    summary: 'The parts of a text between delimiters; a null delimiter gives each character.',
    example: { rule: "(string_to_array('Oda;Fenn', ';'))[2]", value: 'Fenn' },
    overloads: [
      over([T, T], A, (t: string | null, d: string | null) => toArray(t, d, null), { strict: false }),
      over([T, T, T], A, toArray, { strict: false }),
    ],
  },
  {
    name: 'array_to_string',
    group: 'array',
    signature: 'array_to_string(text[], delimiter [, null text]) → text',
    summary: 'The items of an array as one text; nulls are left out unless a text for them is given.',
    example: { rule: "array_to_string(ARRAY['a', NULL, 'b'], '-')", value: 'a-b' },
    overloads: [
      over([A, T], T, (a: Items, d: string, ctx: RuleContext) => toText(a, d, null, ctx), { changing: true }),
      over([A, T, T], T, toText, { strict: false, changing: true }),
    ],
  },
  {
    name: 'array_length',
    group: 'array',
    signature: 'array_length(text[], 1) → integer',
    summary: 'How many items an array has; null for an empty one.',
    example: { rule: "array_length(ARRAY['a', 'b'], 1)", value: '2' },
    overloads: [over([A, I], I, (a: Items, dimension: number) => (dimension === 1 && a.length > 0 ? a.length : null))],
  },
  {
    name: 'cardinality',
    group: 'array',
    signature: 'cardinality(text[]) → integer',
    summary: 'How many items an array has; 0 for an empty one.',
    example: { rule: "cardinality('{}'::text[])", value: '0' },
    overloads: [over([A], I, (a: Items) => a.length)],
  },
  {
    name: 'array_position',
    group: 'array',
    signature: 'array_position(text[], value [, start]) → integer',
    summary: 'Where a value stands first in an array; null where it does not.',
    example: { rule: "array_position(ARRAY['a', 'b'], 'b')", value: '2' },
    overloads: [
      over([A, T], I, (a: Items | null, v: string | null) => positionIn(a, v, 1), { strict: false }),
      over(
        [A, T, I],
        I,
        (a: Items | null, v: string | null, start: number | null, ctx: RuleContext) =>
          a === null
            ? null
            : start === null
              ? ctx.fail('The start of array_position must not be null.')
              : positionIn(a, v, start),
        { strict: false },
      ),
    ],
  },
  {
    name: 'array_append',
    group: 'array',
    signature: 'array_append(text[], text) → text[]',
    summary: 'An array with one more item at its end.',
    example: { rule: "array_append(ARRAY['a'], 'b')", value: '{a,b}' },
    overloads: [over([A, T], A, (a: Items | null, v: string | null) => [...(a ?? []), v], { strict: false })],
  },
  {
    name: 'array_prepend',
    group: 'array',
    signature: 'array_prepend(text, text[]) → text[]',
    summary: 'An array with one more item in front.',
    example: { rule: "array_prepend('a', ARRAY['b'])", value: '{a,b}' },
    overloads: [over([T, A], A, (v: string | null, a: Items | null) => [v, ...(a ?? [])], { strict: false })],
  },
  {
    name: 'array_cat',
    group: 'array',
    signature: 'array_cat(text[], text[]) → text[]',
    summary: 'Two arrays, one behind the other.',
    example: { rule: "array_cat(ARRAY['a'], ARRAY['b'])", value: '{a,b}' },
    overloads: [
      over([A, A], A, (a: Items | null, b: Items | null) => (a === null ? b : b === null ? a : [...a, ...b]), {
        strict: false,
      }),
    ],
  },
  {
    name: 'array_remove',
    group: 'array',
    signature: 'array_remove(text[], text) → text[]',
    summary: 'An array without the items that equal a value.',
    example: { rule: "array_remove(ARRAY['a', 'b', 'a'], 'a')", value: '{b}' },
    overloads: [
      over([A, T], A, (a: Items | null, v: string | null) => a && a.filter((i) => i !== v), { strict: false }),
    ],
  },
  {
    name: 'array_replace',
    group: 'array',
    signature: 'array_replace(text[], text, text) → text[]',
    summary: 'An array in which one value stands for another.',
    example: { rule: "array_replace(ARRAY['a', 'b'], 'a', 'c')", value: '{c,b}' },
    overloads: [
      over(
        [A, T, T],
        A,
        (a: Items | null, from: string | null, to: string | null) => a && a.map((i) => (i === from ? to : i)),
        { strict: false },
      ),
    ],
  },
];

/** array_in for one dimension; null when the text is no array of it. */
export function readArray(text: string): Items | null {
  const inner = /^[ \t\n\v\f\r]*\{([\s\S]*)\}[ \t\n\v\f\r]*$/.exec(text)?.[1];
  if (inner === undefined) return null;
  const items: (string | null)[] = [];
  let at = 0;
  const space = (): void => {
    while (/[ \t\n\v\f\r]/.test(inner[at] ?? '')) at++;
  };
  space();
  if (at === inner.length) return [];
  for (;;) {
    space();
    if (inner[at] === '"') {
      let item = '';
      at++;
      while (at < inner.length && inner[at] !== '"') {
        if (inner[at] === '\\') at++;
        item += inner[at++] ?? '';
      }
      if (inner[at] !== '"') return null;
      at++;
      space();
      items.push(item);
    } else {
      let item = '';
      let kept = 0;
      while (at < inner.length && inner[at] !== ',') {
        const c = inner[at]!;
        if (c === '"' || c === '{' || c === '}') return null;
        if (c === '\\') {
          at++;
          if (at >= inner.length) return null;
          item += inner[at++]!;
          kept = item.length;
        } else {
          item += c;
          at++;
          if (!/[ \t\n\v\f\r]/.test(c)) kept = item.length;
        }
      }
      const raw = item.slice(0, kept);
      if (raw === '') return null;
      items.push(/^null$/i.test(raw) ? null : raw);
    }
    if (at === inner.length) return items;
    if (inner[at] !== ',') return null;
    at++;
    // A comma calls for another item.
    if (inner.slice(at).trim() === '') return null;
  }
}
