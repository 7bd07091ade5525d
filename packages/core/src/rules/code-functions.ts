import type { Value } from '../fields/values.ts';
import type { RuleContext } from './context.ts';
import { over, type RuleFunction } from './registry.ts';
import { MAX_TEXT, quoteLiteral } from './text-functions.ts';

/** Functions on the codes of characters, and on how texts are written. */

const T = 'text' as const;

function overlay(text: string, placed: string, from: number, count: number, ctx: RuleContext): string | null {
  if (from <= 0) return ctx.fail('The place of overlay is counted from 1.');
  const points = [...text];
  const behind = Math.max(0, from - 1 + count);
  const result = points.slice(0, from - 1).join('') + placed + points.slice(behind).join('');
  return result.length > MAX_TEXT ? ctx.fail('The result is longer than 1,048,576 characters.') : result;
}
function chr(code: number, ctx: RuleContext): string | null {
  if (code === 0) return ctx.fail('The zero character is not permitted.');
  if (code < 0 || code > 0x10ffff || (code >= 0xd800 && code <= 0xdfff)) return ctx.fail(`${code} is no character.`);
  return String.fromCodePoint(code);
}
const formOf = (name: string): 'NFC' | 'NFD' | 'NFKC' | 'NFKD' => name.toUpperCase() as 'NFC';

export const codeFunctions: RuleFunction[] = [
  {
    name: 'ascii',
    group: 'text',
    signature: 'ascii(text) → integer',
    summary: 'The code of the first character; 0 for an empty text.',
    example: { rule: "ascii('A')", value: '65' },
    overloads: [over([T], 'int4', (text: string) => text.codePointAt(0) ?? 0)],
  },
  {
    name: 'chr',
    group: 'text',
    signature: 'chr(integer) → text',
    summary: 'The character with a code.',
    example: { rule: 'chr(65)', value: 'A' },
    overloads: [over(['int4'], T, chr)],
  },
  {
    name: 'overlay',
    group: 'text',
    signature: 'overlay(text PLACING text FROM start [FOR count]) → text',
    summary: 'A text in which a part is replaced by another one, by place.',
    example: { rule: "overlay('TB-0000' PLACING '0417' FROM 4)", value: 'TB-0417' },
    overloads: [
      over([T, T, 'int4'], T, (text: string, placed: string, from: number, ctx: RuleContext) =>
        overlay(text, placed, from, [...placed].length, ctx),
      ),
      over([T, T, 'int4', 'int4'], T, overlay),
    ],
  },
  {
    name: 'to_hex',
    group: 'number',
    signature: 'to_hex(integer) → text',
    summary: 'A whole number in hexadecimal.',
    example: { rule: 'to_hex(255)', value: 'ff' },
    overloads: [
      over(['int4'], T, (n: number) => (n >>> 0).toString(16)),
      over(['int8'], T, (n: number | bigint) => BigInt.asUintN(64, BigInt(n)).toString(16)),
    ],
  },
  {
    name: 'bit_length',
    group: 'text',
    signature: 'bit_length(text) → integer',
    summary: 'How many bits a text takes in UTF-8.',
    example: { rule: "bit_length('é')", value: '16' },
    overloads: [over([T], 'int4', (text: string) => new TextEncoder().encode(text).length * 8)],
  },
  {
    name: 'normalize',
    group: 'text',
    signature: 'normalize(text [, NFC | NFD | NFKC | NFKD]) → text',
    summary: 'A text in one of Unicode’s normal forms, so that é is always one character (NFC) or always two (NFD).',
    example: { rule: "length(normalize('é', NFD))", value: '2' },
    overloads: [
      over([T], T, (text: string) => text.normalize('NFC')),
      over([T, T], T, (text: string, form: string) => text.normalize(formOf(form))),
    ],
  },
  {
    name: 'quote_literal',
    group: 'text',
    signature: 'quote_literal(text) → text',
    summary: 'A text in quotes, as SQL has it.',
    example: { rule: "quote_literal('O''Neil')", value: "'O''Neil'" },
    overloads: [over([T], T, quoteLiteral)],
  },
  {
    name: 'num_nulls',
    group: 'choice',
    signature: 'num_nulls(value, …) → integer',
    summary: 'How many of the values are null.',
    example: { rule: "num_nulls(1, NULL, 'a')", value: '1' },
    overloads: [
      over(['any'], 'int4', (...values: Value[]) => values.slice(0, -1).filter((v) => v === null).length, {
        strict: false,
        variadic: true,
      }),
    ],
  },
  {
    name: 'num_nonnulls',
    group: 'choice',
    signature: 'num_nonnulls(value, …) → integer',
    summary: 'How many of the values are not null.',
    example: { rule: "num_nonnulls(1, NULL, 'a')", value: '2' },
    overloads: [
      over(['any'], 'int4', (...values: Value[]) => values.slice(0, -1).filter((v) => v !== null).length, {
        strict: false,
        variadic: true,
      }),
    ],
  },
];
