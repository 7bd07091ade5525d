import fc from 'fast-check';
import { ChunkDecoder, DAMAGED, shownDamaged } from './decode.ts';
import type { Encoding } from '../format.ts';

function decode(bytes: Uint8Array, encoding: Encoding, size: number): string {
  const decoder = new ChunkDecoder(encoding);
  let text = '';
  for (let at = 0; at < bytes.length; at += size) text += decoder.push(bytes.subarray(at, at + size));
  return text + decoder.end();
}

/** Letters of one to four bytes, and bytes that belong to none. */
const pieces = fc.array(
  fc.oneof(
    fc.constantFrom('a', '\n', 'ä', '€', '🙂', '\ufffd').map((text) => new TextEncoder().encode(text)),
    fc.uint8Array({ minLength: 1, maxLength: 3 }),
  ),
  { maxLength: 12 },
);

describe('bytes of a text', () => {
  it('are read as any decoder reads them, wherever they are cut, and marked exactly where one finds them wrong', () => {
    fc.assert(
      fc.property(pieces, fc.integer({ min: 1, max: 9 }), (parts, size) => {
        const bytes = Uint8Array.from(parts.flatMap((p) => [...p]));
        const text = decode(bytes, 'utf-8', size);
        let isRight = true;
        try {
          new TextDecoder('utf-8', { fatal: true }).decode(bytes);
        } catch {
          isRight = false;
        }
        expect(text.includes(DAMAGED)).toBe(!isRight);
        // Decoders differ in how many signs a broken character gets.
        const bare = (t: string): string => t.replace(/\ufffd+/g, '\ufffd');
        expect(bare(shownDamaged(text))).toBe(bare(new TextDecoder('utf-8').decode(bytes)));
      }),
      { numRuns: 2000 },
    );
  });
  it('are marked in UTF-16, too, where half of a character stands alone or the text ends within one', () => {
    expect(decode(Uint8Array.from([0x61, 0, 0x3d, 0xd8, 0x62, 0]), 'utf-16le', 2)).toBe(`a${DAMAGED}b`);
    expect(decode(Uint8Array.from([0x61, 0, 0x62]), 'utf-16le', 1)).toBe(`a${DAMAGED}`);
    expect(decode(Uint8Array.from([0x3d, 0xd8, 0x42, 0xde]), 'utf-16le', 1)).toBe('🙂');
  });
});
