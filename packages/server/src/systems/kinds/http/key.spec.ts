import * as fc from 'fast-check';
import { keyOf } from './target.ts';

describe('the key of a request', () => {
  const ids = fc.array(fc.stringMatching(/^[a-z0-9+]{1,8}$/), { minLength: 1, maxLength: 6 });
  it('is the same for the same records, and another for any others', () =>
    fc.assert(
      fc.property(ids, ids, (a, b) => {
        const of = (all: string[]): string => keyOf(all.map((id) => ({ id })));
        expect(of(a)).toBe(of([...a]));
        if (JSON.stringify(a) !== JSON.stringify(b) && (a.length > 1 || b.length > 1)) expect(of(a)).not.toBe(of(b));
      }),
    ));
  it('tells records in the middle apart, and fits into a header', () => {
    const of = (...all: string[]): string => keyOf(all.map((id) => ({ id })));
    expect(of('a', 'b', 'c')).not.toBe(of('a', 'd', 'c'));
    expect(of('x'.repeat(900), 'y').length).toBeLessThan(255);
  });
});
