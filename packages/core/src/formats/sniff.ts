import { Fault } from '../faults.ts';
import type { StreamFormat } from './file-format.ts';
import type { Encoding } from './format.ts';
import { jsonKind } from './json/sniff.ts';
import { SNIFFERS } from './registered.ts';
import type { Guess } from './sample.ts';
import { decodeText } from './text/decode.ts';
import { sniffEncoding, type EncodingGuess } from './text/encoding.ts';
import { xmlEncoding } from './xml/read.ts';
import { isXml } from './xml/sniff.ts';

const plainName = (fileName: string): string => fileName.toLowerCase().replace(/\.gz$/, '');

/** Which format with nested or self-describing records text is, as far as its first characters tell. */
export function nestedKind(text: string, fileName: string): 'json' | 'jsonl' | 'xml' | null {
  const name = plainName(fileName);
  const json = jsonKind(text, name);
  return json !== 'jsonl' && isXml(text, name) ? 'xml' : json;
}

/**
 * Guesses a file's format from its first bytes (64 KiB are plenty, a MiB for nested text) and its name. Throws a fault for an
 * empty file and for bytes that are no text.
 */
export function sniffFormat(bytes: Uint8Array, fileName: string): Guess<StreamFormat> {
  if (bytes.length === 0) throw new Fault('unreadable', `${fileName} is empty; there is nothing to read.`);
  const name = plainName(fileName);
  const { encoding, reason } = asKindHasIt(sniffEncoding(bytes, fileName), () =>
    nestedKind(decodeText(bytes, 'windows-1252'), name),
  );
  const text = wholeLines(bytes, encoding);
  if (text.trim() === '')
    throw new Fault('unreadable', `${fileName} has nothing but blanks; there is nothing to read.`);
  const sample = { bytes, encoding, reason, text, name, fileName };
  for (const sniff of SNIFFERS) {
    const guess = sniff(sample);
    if (guess !== null) return guess;
  }
  throw new Error('What nobody claims is delimited text.');
}

/** The encoding that a file's first bytes tell of, or its XML declaration; null: plain ASCII tells nothing. Throws a fault. */
export function encodingOf(sample: Uint8Array, fileName: string, kind: StreamFormat['kind']): Encoding | null {
  const declared = kind === 'xml' ? xmlEncoding(decodeText(sample.subarray(0, 200), 'windows-1252')) : null;
  if (declared !== null) return declared;
  if (sample.every((byte) => byte !== 0 && byte < 0x80)) return null;
  return asKindHasIt(sniffEncoding(sample, fileName), () => kind).encoding;
}

/**
 * JSON is UTF-8, and so is XML that declares nothing else: bytes that are not make records that say so, where they could be a
 * text of another encoding just as well.
 */
function asKindHasIt(guess: EncodingGuess, kindOf: () => StreamFormat['kind'] | null): EncodingGuess {
  if (guess.encoding !== 'windows-1252') return guess;
  const kind = kindOf();
  if (kind !== 'xml' && kind !== 'json' && kind !== 'jsonl') return guess;
  const what = kind === 'xml' ? 'XML that declares none' : 'JSON';
  return { encoding: 'utf-8', reason: `UTF-8, as ${what} is, though some bytes are not` };
}

function wholeLines(sample: Uint8Array, encoding: Encoding): string {
  const text = decodeText(sample, encoding);
  const lastLine = Math.max(text.lastIndexOf('\n'), text.lastIndexOf('\r'));
  // The last line may be cut; it is left out where there are others.
  return lastLine > 0 && sample.length >= 32_768 ? text.slice(0, lastLine + 1) : text;
}
