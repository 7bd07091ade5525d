import { md5 } from '@noble/hashes/legacy';
import { sha224, sha256, sha384, sha512 } from '@noble/hashes/sha2';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils';
import type { Value } from '../fields/values.ts';
import type { RuleContext } from './context.ts';
import { over, type RuleFunction } from './registry.ts';
import { MAX_TEXT } from './text-functions.ts';

/** bytea and its encodings (src/backend/utils/adt/encode.c, varlena.c). */

const B = 'bytea' as const;
const T = 'text' as const;

/** byteain: `\x…` is hexadecimal, otherwise bytes beyond ASCII are written `\ooo`. Null when it is neither. */
export function readBytes(text: string): Uint8Array | null {
  return text.startsWith('\\x') ? fromHex(text.slice(2)) : fromEscapes(text);
}
function fromHex(text: string): Uint8Array | null {
  const digits = text.replace(/[ \n\t\r]/g, '');
  // Blanks may stand between bytes only.
  if (digits.length % 2 === 1 || !/^[0-9a-fA-F]*$/.test(digits) || /[0-9a-fA-F][ \n\t\r]/.test(oddSplit(text)))
    return null;
  return Uint8Array.from({ length: digits.length / 2 }, (_, i) => parseInt(digits.slice(i * 2, i * 2 + 2), 16));
}
/** Where a blank stands within a byte, some of it is left. */
function oddSplit(text: string): string {
  return text.replace(/[0-9a-fA-F]{2}/g, '');
}
function fromEscapes(text: string): Uint8Array | null {
  const bytes: number[] = [];
  for (let i = 0; i < text.length; i++) {
    if (text[i] !== '\\') {
      const point = text.codePointAt(i)!;
      if (point > 0xffff) i++;
      bytes.push(...utf8ToBytes(String.fromCodePoint(point)));
    } else if (/^[0-3][0-7][0-7]/.test(text.slice(i + 1, i + 4))) {
      bytes.push(parseInt(text.slice(i + 1, i + 4), 8));
      i += 3;
    } else if (text[i + 1] === '\\') {
      bytes.push(92);
      i++;
    } else return null;
  }
  return Uint8Array.from(bytes);
}

const BASE64 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';
function toBase64(bytes: Uint8Array): string {
  let out = '';
  for (let i = 0; i < bytes.length; i += 3) {
    const [a, b, c] = [bytes[i]!, bytes[i + 1], bytes[i + 2]];
    const bits = (a << 16) | ((b ?? 0) << 8) | (c ?? 0);
    out += BASE64[(bits >> 18) & 63]! + BASE64[(bits >> 12) & 63]!;
    out += (b === undefined ? '=' : BASE64[(bits >> 6) & 63]!) + (c === undefined ? '=' : BASE64[bits & 63]!);
  }
  // Lines of 76 characters, as RFC 2045 has them.
  return out.replace(/.{76}(?=.)/g, '$&\n');
}
function fromBase64(text: string): Uint8Array | string {
  const bytes: number[] = [];
  let buffer = 0;
  let count = 0;
  let end = 0;
  for (const c of text) {
    if (' \t\n\r'.includes(c)) continue;
    let bits = 0;
    if (c === '=') {
      if (end === 0) {
        if (count === 2) end = 1;
        else if (count === 3) end = 2;
        else return 'has a “=” where none may be';
      }
    } else {
      bits = BASE64.indexOf(c);
      if (bits < 0) return `has “${c}”, which is no base64`;
    }
    buffer = (buffer << 6) | bits;
    if (++count < 4) continue;
    bytes.push((buffer >> 16) & 255);
    if (end === 0 || end > 1) bytes.push((buffer >> 8) & 255);
    if (end === 0) bytes.push(buffer & 255);
    buffer = 0;
    count = 0;
  }
  return count === 0 ? Uint8Array.from(bytes) : 'ends too early for base64';
}

function encode(bytes: Uint8Array, format: string, ctx: RuleContext): string | null {
  if (bytes.length > MAX_TEXT / 4) return ctx.fail('The result is longer than 1,048,576 characters.');
  switch (format.toLowerCase()) {
    case 'hex':
      return bytesToHex(bytes);
    case 'base64':
      return toBase64(bytes);
    case 'escape':
      return Array.from(bytes, (b) =>
        b === 92 ? '\\\\' : b === 0 || b >= 128 ? `\\${b.toString(8).padStart(3, '0')}` : String.fromCharCode(b),
      ).join('');
    default:
      return ctx.fail(`There is no encoding “${format}”; there are hex, base64 and escape.`);
  }
}
function decode(text: string, format: string, ctx: RuleContext): Value {
  switch (format.toLowerCase()) {
    case 'hex':
      return fromHex(text) ?? ctx.fail('The text is no hexadecimal.');
    case 'base64': {
      const bytes = fromBase64(text);
      return typeof bytes === 'string' ? ctx.fail(`The text ${bytes}.`) : bytes;
    }
    case 'escape':
      return fromEscapes(text) ?? ctx.fail('The text has a backslash that stands for nothing.');
    default:
      return ctx.fail(`There is no encoding “${format}”; there are hex, base64 and escape.`);
  }
}
const isUtf8 = (name: string): boolean => /^(utf[-_ ]?8|unicode)$/i.test(name);
const digest = (name: string, words: string, run: (bytes: Uint8Array) => Uint8Array, value: string): RuleFunction => ({
  name,
  group: 'text',
  signature: `${name}(bytea) → bytea`,
  summary: `The ${words} of bytes; encode(…, 'hex') makes a text of it.`,
  example: { rule: `left(encode(${name}('abc'), 'hex'), 8)`, value },
  overloads: [over([B], B, run)],
});

export const bytesFunctions: RuleFunction[] = [
  {
    name: 'encode',
    group: 'text',
    signature: "encode(bytea, 'hex' | 'base64' | 'escape') → text",
    summary: 'Bytes as a text.',
    example: { rule: "encode(convert_to('Oda', 'UTF8'), 'base64')", value: 'T2Rh' },
    overloads: [over([B, T], T, encode)],
  },
  {
    name: 'decode',
    group: 'text',
    signature: "decode(text, 'hex' | 'base64' | 'escape') → bytea",
    summary: 'The bytes that a text stands for.',
    example: { rule: "encode(decode('T2Rh', 'base64'), 'escape')", value: 'Oda' },
    overloads: [over([T, T], B, decode)],
  },
  {
    name: 'convert_to',
    group: 'text',
    signature: "convert_to(text, 'UTF8') → bytea",
    summary: 'The bytes of a text.',
    example: { rule: "encode(convert_to('é', 'UTF8'), 'hex')", value: 'c3a9' },
    overloads: [
      over([T, T], B, (text: string, encoding: string, ctx: RuleContext) =>
        isUtf8(encoding) ? utf8ToBytes(text) : ctx.fail(`Only UTF8 is supported, not “${encoding}”.`),
      ),
    ],
  },
  digest('sha224', 'SHA-224 digest', sha224, '23097d22'),
  digest('sha256', 'SHA-256 digest', sha256, 'ba7816bf'),
  digest('sha384', 'SHA-384 digest', sha384, 'cb00753f'),
  digest('sha512', 'SHA-512 digest', sha512, 'ddaf35a1'),
];
/** Overloads on bytes of functions that texts have, too. */
export const bytesOverloads = {
  md5: over([B], T, (bytes: Uint8Array) => bytesToHex(md5(bytes))),
  length: over([B], 'int4', (bytes: Uint8Array) => bytes.length),
  octet_length: over([B], 'int4', (bytes: Uint8Array) => bytes.length),
};
