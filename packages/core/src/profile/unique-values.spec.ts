import * as fc from 'fast-check';
import { TextHash } from './text-hash.ts';
import { Room, UniqueValues } from './unique-values.ts';

describe('values that may be unique', () => {
  const added = (values: UniqueValues, texts: Iterable<string>): UniqueValues => {
    const hash = new TextHash();
    for (const text of texts) {
      hash.take(text);
      values.add(hash.first, hash.second);
    }
    return values;
  };

  it('agree with a set', () => {
    fc.assert(
      fc.property(fc.array(fc.string({ maxLength: 3 }), { maxLength: 400 }), (texts) => {
        const values = added(new UniqueValues(new Room(1e6)), texts);
        expect(values.isUnique).toBe(new Set(texts).size === texts.length);
        if (values.isUnique) expect(values.size).toBe(texts.length);
      }),
    );
  });
  it('take hashes that are zero', () => {
    const values = new UniqueValues(new Room(1e6));
    values.add(0, 0);
    values.add(0, 5);
    values.add(5, 0);
    expect([values.isUnique, values.size]).toEqual([true, 3]);
    values.add(0, 0);
    expect(values.isUnique).toBe(false);
  });
  it('say that they are not where there is no room to know, and give theirs back', () => {
    const room = new Room(20_000);
    const numbers = Array.from({ length: 3000 }, (_, n) => `no ${n}`);
    expect(added(new UniqueValues(room), numbers).isUnique).toBe(false);
    expect(room.take(20_000)).toBe(true);
    expect(added(new UniqueValues(new Room(200_000)), numbers).isUnique).toBe(true);
  });
});
