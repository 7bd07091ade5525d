import fc from 'fast-check';
import { memberClash, recordJson } from './body.ts';

describe('a record as JSON', () => {
  it('has every value that goes in, unless two of its fields are said to clash', () => {
    const name = fc
      .array(fc.constantFrom('a', 'b', 'c'), { minLength: 1, maxLength: 3 })
      .map((parts) => parts.join('.'));
    fc.assert(
      fc.property(fc.array(name, { maxLength: 6 }), (names) => {
        const columns = names.map((n) => ({ name: n, type: 'text' as const }));
        const made = JSON.parse(
          recordJson(
            names.map((_, i) => `v${i}`),
            columns,
          ),
        ) as unknown;
        const at = (path: string): unknown =>
          path.split('.').reduce<unknown>((o, part) => (o as Record<string, unknown> | undefined)?.[part], made);
        const kept = names.every((n, i) => at(n) === `v${i}`);
        expect(memberClash(names) === null).toBe(kept);
      }),
      { numRuns: 500 },
    );
  });
});
