import { Fault } from '../../faults.ts';
import type { Encoding } from '../format.ts';
import { SAMPLE } from '../sample.ts';
import { decodeText, wholeEnd } from './decode.ts';

export interface EncodingGuess {
  readonly encoding: Encoding;
  /** What it is known from, for people. */
  readonly reason: string;
}
/** The encoding of text by its first bytes. Throws a fault where they are no text. */
export function sniffEncoding(sample: Uint8Array, fileName: string): EncodingGuess {
  const [a, b, c] = sample;
  if (a === 0xef && b === 0xbb && c === 0xbf) return { encoding: 'utf-8', reason: 'UTF-8 by its byte order mark' };
  if (a === 0xff && b === 0xfe)
    return { encoding: 'utf-16le', reason: 'UTF-16 (little-endian) by its byte order mark' };
  if (a === 0xfe && b === 0xff) return { encoding: 'utf-16be', reason: 'UTF-16 (big-endian) by its byte order mark' };
  let zeros = 0;
  let oddZeros = 0;
  for (let i = 0; i < sample.length; i++)
    if (sample[i] === 0) {
      zeros++;
      if (i % 2 === 1) oddZeros++;
    }
  if (zeros > sample.length / 4) {
    if (oddZeros > zeros * 0.9) return { encoding: 'utf-16le', reason: 'UTF-16 by its zero bytes' };
    if (oddZeros < zeros * 0.1) return { encoding: 'utf-16be', reason: 'UTF-16 by its zero bytes' };
  }
  if (a === 0x50 && b === 0x4b)
    throw new Fault(
      'unreadable',
      `${fileName} is a ZIP archive or a workbook, not text; a workbook's name ends in .xlsx.`,
    );
  if (a === 0x1f && b === 0x8b)
    throw new Fault('unreadable', `${fileName} is packed with gzip, but its name does not say so; add .gz to it.`);
  if (a === 0x25 && b === 0x50 && c === 0x44)
    throw new Fault('unreadable', `${fileName} is a PDF; it holds no records.`);
  if (a === 0xd0 && b === 0xcf)
    throw new Fault('unreadable', `${fileName} is a workbook in the old binary form; save it as .xlsx and read that.`);
  if (zeros > 0 && zeros > sample.length / 100)
    throw new Fault(
      'unreadable',
      `${fileName} is not a text file: ${zeros.toLocaleString('en-GB')} of its first ${sample.length.toLocaleString('en-GB')} bytes are zero.`,
    );
  try {
    // A character may be cut at the end of a sample, not at that of a file.
    const end = sample.length < SAMPLE ? sample.length : wholeEnd(sample);
    new TextDecoder('utf-8', { fatal: true }).decode(sample.subarray(0, end));
    return { encoding: 'utf-8', reason: 'UTF-8, every byte fits' };
  } catch {
    // another encoding, or a few bad bytes
  }
  return damagedUtf8(sample)
    ? { encoding: 'utf-8', reason: 'UTF-8, but for a few damaged rows' }
    : { encoding: 'windows-1252', reason: 'Windows-1252, as some bytes are not UTF-8' };
}

/** Characters that hardly any text in Windows-1252 has. */
const UNLIKELY = /[\u0081\u008d\u008f\u0090\u009d¤¦¨¬¯¸ÿþ\u00ad]/;

/**
 * UTF-8 with some damage: text in another encoding has hardly ever what looks like a whole character of several bytes, and
 * bytes that are damaged are hardly ever its letters.
 */
function damagedUtf8(sample: Uint8Array): boolean {
  const text = new TextDecoder('utf-8').decode(sample);
  let broken = 0;
  let whole = 0;
  for (const c of text) {
    if (c === '\ufffd') broken++;
    else if (c > '\u007f') whole++;
  }
  if (whole > 0) return whole >= broken;
  return decodeText(sample, 'windows-1252')
    .replace(/[\0-\u007f]/g, '')
    .split('')
    .every((c) => UNLIKELY.test(c));
}
