import fc from 'fast-check';
import { KeySet } from './key-set.ts';

describe('the keys that a run has let through', () => {
  it('answers as a Set does', () => {
    const text = fc.oneof(
      fc.string({ unit: 'binary' }),
      fc.nat(50).map(String),
      fc.constantFrom('', '\u0000', '😀', '\udc80'),
    );
    fc.assert(
      fc.property(fc.array(text, { maxLength: 300 }), (texts) => {
        const ours = new KeySet();
        const plain = new Set<string>();
        for (const t of texts) {
          expect(ours.has(t)).toBe(plain.has(t));
          expect(ours.add(t)).toBe(!plain.has(t));
          plain.add(t);
        }
        expect(ours.size).toBe(plain.size);
      }),
    );
  });

  it('holds more than one page and grows its table', () => {
    const keys = new KeySet();
    for (let i = 0; i < 300_000; i++) keys.add(`key-${i}`);
    expect(keys.size).toBe(300_000);
    expect(keys.add('key-299999')).toBe(false);
    expect(keys.has('key-0')).toBe(true);
    expect(keys.has('key-300000')).toBe(false);
  });

  it('takes texts of any length', () => {
    const keys = new KeySet();
    for (const length of [65_534, 65_535, 65_536, 1_100_000]) {
      expect(keys.add('x'.repeat(length))).toBe(true);
      expect(keys.add('x'.repeat(length))).toBe(false);
      expect(keys.has(`${'x'.repeat(length - 1)}y`)).toBe(false);
    }
    expect(keys.size).toBe(4);
  });
});
