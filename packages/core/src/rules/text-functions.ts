import { md5 as md5Bytes } from '@noble/hashes/legacy';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils';
import { characters } from '../fields/values.ts';
import type { RuleContext } from './context.ts';
import { KEYWORDS } from './keywords.ts';
import { isLetterOrDigit } from './regex/parse.ts';
import { over, type RuleFunction } from './registry.ts';

/** Results of text functions are bounded, so that one rule can't fill the memory. */
export const MAX_TEXT = 1_048_576;

// eslint-disable-next-line no-control-regex
const ASCII = /^[\u0000-\u007f]*$/;
function hasPairs(text: string): boolean {
  for (let i = 0; i < text.length; i++) if ((text.charCodeAt(i) & 0xfc00) === 0xd800) return true;
  return false;
}

function bounded(text: string, ctx: RuleContext): string | null {
  return text.length > MAX_TEXT ? ctx.fail('The result is longer than 1,048,576 characters.') : text;
}

/** One character to one character, as PostgreSQL does it (C.UTF-8): ß has the capital ẞ, ligatures stay. */
function mapCharacters(text: string, one: (c: string) => string): string {
  let result = '';
  for (const c of text) {
    const mapped = one(c);
    result += [...mapped].length === 1 ? mapped : c === 'ß' ? 'ẞ' : c === 'İ' ? 'i' : c;
  }
  return result;
}
export function upperText(text: string): string {
  return ASCII.test(text) ? text.toUpperCase() : mapCharacters(text, (c) => c.toUpperCase());
}
export function lowerText(text: string): string {
  return ASCII.test(text) ? text.toLowerCase() : mapCharacters(text, (c) => c.toLowerCase());
}
function initcap(text: string): string {
  let inside = false;
  let result = '';
  for (const c of text) {
    result += inside ? lowerText(c) : upperText(c);
    inside = isLetterOrDigit(c.codePointAt(0)!);
  }
  return result;
}

function trimStart(text: string, set: string): string {
  let at = 0;
  if (!hasPairs(set)) {
    while (at < text.length && set.includes(text[at]!)) at++;
    return at === 0 ? text : text.slice(at);
  }
  const wanted = new Set(set);
  for (const c of text) {
    if (!wanted.has(c)) break;
    at += c.length;
  }
  return text.slice(at);
}
function trimEnd(text: string, set: string): string {
  if (hasPairs(set)) return [...trimStart([...text].reverse().join(''), set)].reverse().join('');
  let end = text.length;
  while (end > 0 && set.includes(text[end - 1]!)) end--;
  return end === text.length ? text : text.slice(0, end);
}

/** Code points from `start` (inclusive) to `end` (exclusive), counted from 0. */
function slicePoints(text: string, start: number, end: number): string {
  return hasPairs(text) ? [...text].slice(start, end).join('') : text.slice(start, end);
}
function substring(text: string, from: number, count: number | null, ctx: RuleContext): string | null {
  if (count !== null && count < 0) return ctx.fail('A negative length is not possible in substring.');
  const start = Math.max(from - 1, 0);
  const end = count === null ? Infinity : from - 1 + count;
  return end <= start ? '' : slicePoints(text, start, end);
}
function left(text: string, n: number): string {
  return n >= 0 ? slicePoints(text, 0, n) : slicePoints(text, 0, Math.max(characters(text) + n, 0));
}
function right(text: string, n: number): string {
  const length = characters(text);
  return n >= 0 ? slicePoints(text, Math.max(length - n, 0), length) : slicePoints(text, Math.min(-n, length), length);
}
function pad(text: string, wanted: number, fill: string, atStart: boolean, ctx: RuleContext): string | null {
  const length = characters(text);
  if (wanted <= 0) return '';
  if (length >= wanted) return slicePoints(text, 0, wanted);
  if (fill === '') return text;
  if (wanted > MAX_TEXT) return ctx.fail('The result is longer than 1,048,576 characters.');
  const missing = wanted - length;
  const unit = characters(fill);
  const padding = slicePoints(fill.repeat(Math.ceil(missing / unit)), 0, missing);
  return atStart ? padding + text : text + padding;
}
function position(text: string, part: string): number {
  const at = text.indexOf(part);
  return at < 0 ? 0 : characters(text.slice(0, at)) + 1;
}
function replaceAll(text: string, from: string, to: string, ctx: RuleContext): string | null {
  return from === '' ? text : bounded(text.split(from).join(to), ctx);
}
function translate(text: string, from: string, to: string): string {
  const targets = [...to];
  const map = new Map<string, string>();
  [...from].forEach((c, i) => {
    if (!map.has(c)) map.set(c, targets[i] ?? '');
  });
  let result = '';
  for (const c of text) result += map.get(c) ?? c;
  return result;
}
function splitPart(text: string, delimiter: string, n: number, ctx: RuleContext): string | null {
  if (n === 0) return ctx.fail('The part of split_part must not be 0; parts are counted from 1.');
  if (delimiter === '') return n === 1 || n === -1 ? text : '';
  if (n === 1) {
    const at = text.indexOf(delimiter);
    return at < 0 ? text : text.slice(0, at);
  }
  const parts = text === '' ? [''] : text.split(delimiter);
  return (n > 0 ? parts[n - 1] : parts[parts.length + n]) ?? '';
}
function repeat(text: string, n: number, ctx: RuleContext): string | null {
  if (n <= 0 || text === '') return '';
  if (text.length * n > MAX_TEXT) return ctx.fail('The result is longer than 1,048,576 characters.');
  return text.repeat(n);
}
function concat(...args: unknown[]): string | null {
  const ctx = args.pop() as RuleContext;
  let result = '';
  for (const a of args) if (a !== null) result += a as string;
  return bounded(result, ctx);
}
function concatWith(...args: unknown[]): string | null {
  const ctx = args.pop() as RuleContext;
  if (args[0] === null) return null;
  return bounded((args.slice(1) as (string | null)[]).filter((a) => a !== null).join(args[0] as string), ctx);
}

/** format() with %s, %I, %L, %%, positions and widths. */
function format(...args: unknown[]): string | null {
  const ctx = args.pop() as RuleContext;
  const [template, ...values] = args as (string | null)[];
  if (template === null || template === undefined) return null;
  let next = 0;
  let result = '';
  const pattern = /%(?:(\d+)\$)?(-)?(\d+)?(.)/gsu;
  let last = 0;
  for (const match of template.matchAll(pattern)) {
    result += template.slice(last, match.index);
    last = match.index + match[0].length;
    if (match[0] === '%%') {
      result += '%';
      continue;
    }
    const index = match[1] === undefined ? next : Number(match[1]) - 1;
    const shown = formatted(match[4]!, values, index, ctx);
    if (shown === null) return null;
    next = index + 1;
    const width = Math.min(Number(match[3] ?? 0), MAX_TEXT);
    const space = ' '.repeat(Math.max(0, width - characters(shown)));
    result += match[2] ? shown + space : space + shown;
  }
  if (template.indexOf('%', last) >= 0) return ctx.fail('The format ends with an unfinished %.');
  return bounded(result + template.slice(last), ctx);
}
function formatted(letter: string, values: readonly (string | null)[], index: number, ctx: RuleContext): string | null {
  if (!'sIL'.includes(letter)) return ctx.fail(`format() knows %s, %I, %L and %%, not %${letter}.`);
  if (index < 0) return ctx.fail('Arguments of format() are counted from 1.');
  if (index >= values.length) return ctx.fail('format() has more places than values.');
  const value = values[index]!;
  if (letter === 's') return value ?? '';
  if (letter === 'I')
    return value === null
      ? ctx.fail('A name (%I) must not be null.')
      : /^[a-z_][a-z0-9_]*$/.test(value) && !KEYWORDS.has(value)
        ? value
        : `"${value.replace(/"/g, '""')}"`;
  return value === null ? 'NULL' : quoteLiteral(value);
}
/** A text as SQL writes it; with backslashes in the form that undoes them. */
export function quoteLiteral(value: string): string {
  return value.includes('\\')
    ? `E'${value.replace(/\\/g, '\\\\').replace(/'/g, "''")}'`
    : `'${value.replace(/'/g, "''")}'`;
}

function encodedBytes(text: string): Uint8Array {
  return utf8ToBytes(text);
}
function startsWith(text: string, part: string): boolean {
  return text.startsWith(part);
}

type Entry = [
  name: string,
  signature: string,
  summary: string,
  rule: string,
  value: string | null,
  ...overloads: RuleFunction['overloads'],
];
const S = 'text' as const;
const N = 'int4' as const;

const entries: Entry[] = [
  [
    'upper',
    'upper(text) → text',
    'The text in capital letters.',
    "upper('Quay 4b')",
    'QUAY 4B',
    over([S], S, upperText),
  ],
  ['lower', 'lower(text) → text', 'The text in small letters.', "lower('Quay 4B')", 'quay 4b', over([S], S, lowerText)],
  [
    'initcap',
    'initcap(text) → text',
    'Each word with a capital, the rest small.',
    "initcap('NORTH quay')",
    'North Quay',
    over([S], S, initcap),
  ],
  [
    'trim',
    'trim([BOTH | LEADING | TRAILING] [characters FROM] text) → text',
    'Without the blanks (or the given characters) at both ends.',
    "trim('  0042 ')",
    '0042',
  ],
  [
    'btrim',
    'btrim(text [, characters]) → text',
    'Without the blanks (or the given characters) at both ends.',
    "btrim('xx42x', 'x')",
    '42',
    over([S], S, (t: string) => trimEnd(trimStart(t, ' '), ' ')),
    over([S, S], S, (t: string, set: string) => trimEnd(trimStart(t, set), set)),
  ],
  [
    'ltrim',
    'ltrim(text [, characters]) → text',
    'Without the blanks (or the given characters) at the start.',
    "ltrim('00042', '0')",
    '42',
    over([S], S, (t: string) => trimStart(t, ' ')),
    over([S, S], S, (t: string, set: string) => trimStart(t, set)),
  ],
  [
    'rtrim',
    'rtrim(text [, characters]) → text',
    'Without the blanks (or the given characters) at the end.',
    "rtrim('42--', '-')",
    '42',
    over([S], S, (t: string) => trimEnd(t, ' ')),
    over([S, S], S, (t: string, set: string) => trimEnd(t, set)),
  ],
  [
    'lpad',
    'lpad(text, length [, fill]) → text',
    'Filled at the start up to the length; cut at the end when longer.',
    "lpad('42', 7, '0')",
    '0000042',
    over([S, N], S, (t: string, n: number, ctx: RuleContext) => pad(t, n, ' ', true, ctx)),
    over([S, N, S], S, (t: string, n: number, f: string, ctx: RuleContext) => pad(t, n, f, true, ctx)),
  ],
  [
    'rpad',
    'rpad(text, length [, fill]) → text',
    'Filled at the end up to the length; cut when longer.',
    "rpad('A', 3, '.')",
    'A..',
    over([S, N], S, (t: string, n: number, ctx: RuleContext) => pad(t, n, ' ', false, ctx)),
    over([S, N, S], S, (t: string, n: number, f: string, ctx: RuleContext) => pad(t, n, f, false, ctx)),
  ],
  [
    'left',
    'left(text, n) → text',
    'The first n characters; with a negative n all but the last.',
    "left('S-019', 1)",
    'S',
    over([S, N], S, left),
  ],
  [
    'right',
    'right(text, n) → text',
    'The last n characters; with a negative n all but the first.',
    "right('S-019', 3)",
    '019',
    over([S, N], S, right),
  ],
  [
    'substring',
    'substring(text FROM start [FOR count]) → text',
    'A part of the text, counted from 1.',
    "substring('S-019' FROM 3 FOR 2)",
    '01',
    over([S, N], S, (t: string, f: number, ctx: RuleContext) => substring(t, f, null, ctx)),
    over([S, N, N], S, substring),
  ],
  [
    'substr',
    'substr(text, start [, count]) → text',
    'A part of the text, counted from 1.',
    "substr('S-019', 3)",
    '019',
    over([S, N], S, (t: string, f: number, ctx: RuleContext) => substring(t, f, null, ctx)),
    over([S, N, N], S, substring),
  ],
  [
    'position',
    'position(part IN text) → integer',
    'Where the part begins, counted from 1; 0 when it is not there.',
    "position('-' IN 'S-019')",
    '2',
    over([S, S], N, position),
  ],
  [
    'strpos',
    'strpos(text, part) → integer',
    'Where the part begins, counted from 1; 0 when it is not there.',
    "strpos('S-019', '0')",
    '3',
    over([S, S], N, position),
  ],
  [
    'replace',
    'replace(text, from, to) → text',
    'Every occurrence of a part replaced by another.',
    "replace('12,50', ',', '.')",
    '12.50',
    over([S, S, S], S, replaceAll),
  ],
  [
    'translate',
    'translate(text, from, to) → text',
    'Character by character: each one of “from” becomes the one at the same place of “to”, or goes.',
    "translate('1.204,50', ',.', '.')",
    '1204.50',
    over([S, S, S], S, translate),
  ],
  [
    'split_part',
    'split_part(text, separator, n) → text',
    'The nth part between separators, counted from 1; negative from the end.',
    "split_part('Aldermoor, Kit', ', ', 2)",
    'Kit',
    over([S, S, N], S, splitPart),
  ],
  [
    'reverse',
    'reverse(text) → text',
    'The characters in reverse order.',
    "reverse('019')",
    '910',
    over([S], S, (t: string) => [...t].reverse().join('')),
  ],
  ['repeat', 'repeat(text, n) → text', 'The text n times.', "repeat('0', 3)", '000', over([S, N], S, repeat)],
  ['length', 'length(text) → integer', 'Number of characters.', "length('Müller')", '6', over([S], N, characters)],
  [
    'char_length',
    'char_length(text) → integer',
    'Number of characters.',
    "char_length('quay')",
    '4',
    over([S], N, characters),
  ],
  [
    'character_length',
    'character_length(text) → integer',
    'Number of characters.',
    "character_length('quay')",
    '4',
    over([S], N, characters),
  ],
  [
    'octet_length',
    'octet_length(text) → integer',
    'Number of bytes in UTF-8.',
    "octet_length('ü')",
    '2',
    over([S], N, (t: string) => encodedBytes(t).length),
  ],
  [
    'concat',
    'concat(value, …) → text',
    'All values as one text; nulls are left out.',
    "concat('S-', 19)",
    'S-19',
    over(['any'], S, concat, { variadic: true, strict: false, changing: true }),
  ],
  [
    'concat_ws',
    'concat_ws(separator, value, …) → text',
    'All values with the separator between; nulls are left out.',
    "concat_ws(', ', 'Quay', NULL, 'North')",
    'Quay, North',
    over([S, 'any'], S, concatWith, { variadic: true, strict: false, changing: true }),
  ],
  [
    'format',
    'format(template, value, …) → text',
    'The template with %s replaced by the values in turn.',
    "format('%s of %s', 3, 12)",
    '3 of 12',
    over([S], S, format, { strict: false, changing: true }),
    over([S, 'any'], S, format, { variadic: true, strict: false, changing: true }),
  ],
  [
    'md5',
    'md5(text) → text',
    'MD5 hash of the text in UTF-8, as 32 hexadecimal digits.',
    "md5('quay')",
    'a4499c24763a6dea853a657d5c52efab',
    over([S], S, (t: string) => bytesToHex(md5Bytes(utf8ToBytes(t)))),
  ],
  [
    'starts_with',
    'starts_with(text, beginning) → boolean',
    'Whether the text begins so.',
    "starts_with('S-019', 'S-')",
    'true',
    over([S, S], 'bool', startsWith),
  ],
];

const btrim = entries.find((e) => e[0] === 'btrim')!.slice(5) as unknown as RuleFunction['overloads'];

export const textFunctions: RuleFunction[] = entries.map(([name, signature, summary, rule, value, ...overloads]) => ({
  name,
  group: 'text',
  signature,
  summary,
  example: { rule, value },
  overloads: name === 'trim' ? btrim : overloads,
}));
