import type { Encoding } from '../format.ts';

/**
 * Stands in the place of bytes outside the encoding. Two high surrogates: no decoder ever gives them, and no letter beyond
 * the first plane has them in it.
 */
export const DAMAGED = '\ud800\ud800';

/** A text with the usual sign where bytes of it are outside the encoding, for people. */
export const shownDamaged = (text: string): string => text.replaceAll(DAMAGED, '\ufffd');

/** What is said of a record or line that has them. */
export const damagedWords = (what: 'record' | 'line'): string =>
  `The ${what} has bytes that are not in the file’s encoding; choose its real encoding or mend the ${what}.`;

/** All of a text at once; a character that is cut at its end is left out. */
export function decodeText(bytes: Uint8Array, encoding: Encoding): string {
  // Decoded in one go, Node.js 20 takes windows-1252 for Latin-1; as a stream it does not.
  return new TextDecoder(encoding).decode(bytes, { stream: true });
}

/** Bytes in chunks → text in chunks; characters that are cut by a chunk's end are held back. Bad bytes are marked where they stand. */
export class ChunkDecoder {
  private held = new Uint8Array(0);
  private started = false;
  private readonly decoder: { decode(input?: Uint8Array, options?: { stream?: boolean }): string };
  private readonly utf8: boolean;

  constructor(encoding: Encoding) {
    this.utf8 = encoding === 'utf-8';
    this.decoder = this.utf8
      ? new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })
      : new TextDecoder(encoding, { ignoreBOM: true });
  }

  push(bytes: Uint8Array): string {
    return this.clean(this.utf8 ? this.pushUtf8(bytes) : marked(this.decoder.decode(bytes, { stream: true })));
  }
  end(): string {
    if (!this.utf8) return this.clean(marked(this.decoder.decode()));
    const rest = this.held;
    this.held = new Uint8Array(0);
    return this.clean(rest.length > 0 ? DAMAGED : '');
  }

  private clean(text: string): string {
    if (this.started || text === '') return text;
    this.started = true;
    return text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
  }

  private pushUtf8(chunk: Uint8Array): string {
    let bytes = chunk;
    if (this.held.length > 0) {
      bytes = new Uint8Array(this.held.length + chunk.length);
      bytes.set(this.held);
      bytes.set(chunk, this.held.length);
    }
    const end = wholeEnd(bytes);
    this.held = bytes.slice(end);
    const whole = end === bytes.length ? bytes : bytes.subarray(0, end);
    try {
      return this.decoder.decode(whole);
    } catch {
      return this.marked(whole);
    }
  }

  private marked(bytes: Uint8Array): string {
    let result = '';
    for (let at = 0; at < bytes.length;) {
      const end = badUtf8(bytes, at);
      if (end > at) result += this.decoder.decode(bytes.subarray(at, end));
      at = end;
      if (at < bytes.length) result += DAMAGED;
      // What belongs to a broken character is one place.
      for (at++; at < bytes.length && bytes[at]! >= 0x80 && bytes[at]! < 0xc0;) at++;
    }
    return result;
  }
}

/** Encodings of two bytes have no other sign for half a character than the one that stands for anything unreadable. */
const marked = (text: string): string => (text.includes('\ufffd') ? text.replaceAll('\ufffd', DAMAGED) : text);

/** Where the first byte from `from` on is that belongs to no UTF-8 character (Unicode, table 3-7). */
function badUtf8(bytes: Uint8Array, from: number): number {
  for (let at = from; at < bytes.length;) {
    const first = bytes[at]!;
    const size = first < 0x80 ? 1 : first < 0xc2 ? 0 : first < 0xe0 ? 2 : first < 0xf0 ? 3 : first < 0xf5 ? 4 : 0;
    if (size === 0) return at;
    for (let i = 1; i < size; i++) {
      const low = i > 1 ? 0x80 : first === 0xe0 ? 0xa0 : first === 0xf0 ? 0x90 : 0x80;
      const high = i > 1 ? 0xbf : first === 0xed ? 0x9f : first === 0xf4 ? 0x8f : 0xbf;
      const byte = bytes[at + i] ?? 0;
      if (byte < low || byte > high) return at;
    }
    at += size;
  }
  return bytes.length;
}

/** Where the last whole UTF-8 character ends. */
export function wholeEnd(bytes: Uint8Array): number {
  const { length } = bytes;
  for (let back = 1; back <= Math.min(3, length); back++) {
    const byte = bytes[length - back]!;
    if (byte < 0x80) return length;
    if (byte >= 0xc0) {
      const size = byte >= 0xf0 ? 4 : byte >= 0xe0 ? 3 : 2;
      return size > back ? length - back : length;
    }
  }
  return length;
}
