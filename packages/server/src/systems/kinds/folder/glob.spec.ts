import * as fc from 'fast-check';
import { matchesGlob } from './glob.ts';

describe('patterns of file names', () => {
  it('match as a regular expression would', () => {
    const text = fc.string({ unit: fc.constantFrom('a', 'b', '.', '-', '1'), maxLength: 12 });
    const pattern = fc.array(fc.oneof(text, fc.constant('*')), { maxLength: 6 }).map((parts) => parts.join(''));
    fc.assert(
      fc.property(pattern, text, (p, name) => {
        const same = new RegExp(
          `^${p
            .split('*')
            .map((x) => x.replace(/[.-]/g, '\\$&'))
            .join('.*')}$`,
          's',
        );
        expect(matchesGlob(p, name)).toBe(same.test(name));
      }),
      { numRuns: 3000 },
    );
  });
});
