import { packed, unpacked, unpackedHere } from './packed.ts';

describe('JSON that is kept', () => {
  it('is packed where it is long, and is the same again', async () => {
    const of = (count: number): string => JSON.stringify(Array.from({ length: count }, (_, i) => `Straße ${i} “𝄞”`));
    for (const json of ['{}', of(10), of(20_000)]) {
      const kept = packed(json);
      expect([await unpacked(kept), unpackedHere(kept)]).toEqual([json, json]);
      expect(kept.length).toBeLessThanOrEqual(json.length);
    }
    expect(packed(of(10))).toBe(of(10));
    expect(packed(of(20_000)).length).toBeLessThan(of(20_000).length / 3);
  });
});
