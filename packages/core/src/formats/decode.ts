import type { Encoding } from './format.ts';

/**
 * Stands at the end of a line that has bytes outside the encoding. Two high surrogates: no decoder ever gives them, and no
 * letter beyond the first plane has them in it.
 */
export const DAMAGED = '\ud800\ud800';

/** All of a text at once; a character that is cut at its end is left out. */
export function decodeText(bytes: Uint8Array, encoding: Encoding): string {
  // Decoded in one go, Node.js 20 takes windows-1252 for Latin-1; as a stream it does not.
  return new TextDecoder(encoding).decode(bytes, { stream: true });
}

/** Bytes in chunks → text in chunks; characters that are cut by a chunk's end are held back. Bad UTF-8 marks its line only. */
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
    return this.clean(this.utf8 ? this.pushUtf8(bytes) : this.decoder.decode(bytes, { stream: true }));
  }
  end(): string {
    if (!this.utf8) return this.clean(this.decoder.decode());
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
      return this.lineByLine(whole);
    }
  }

  private lineByLine(bytes: Uint8Array): string {
    const lax = new TextDecoder('utf-8', { ignoreBOM: true });
    let result = '';
    let start = 0;
    while (start < bytes.length) {
      let end = start;
      while (end < bytes.length && bytes[end] !== 10 && bytes[end] !== 13) end++;
      const line = bytes.subarray(start, end);
      try {
        result += this.decoder.decode(line);
      } catch {
        result += lax.decode(line) + DAMAGED;
      }
      if (end < bytes.length) result += String.fromCharCode(bytes[end]!);
      start = end + 1;
    }
    return result;
  }
}

/** Where the last whole UTF-8 character ends. */
function wholeEnd(bytes: Uint8Array): number {
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
