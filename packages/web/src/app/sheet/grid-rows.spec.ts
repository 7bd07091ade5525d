import * as fc from 'fast-check';
import { drawnRows, placesOf, ROW, SECTION } from './grid-rows';
import type { SheetRow } from './rows';

const rowsIn = (sections: readonly string[]): SheetRow[] =>
  sections.map((section, i) => ({ id: `l${i}`, section }) as unknown as SheetRow);

describe('where lines stand', () => {
  it('is one below the other, with room for sections and for the open line', () => {
    const { tops, height } = placesOf(rowsIn(['', 'A', 'A', 'B']), 'l1', 100);
    expect(tops).toEqual([0, ROW + SECTION, 2 * ROW + SECTION + 100, 3 * ROW + 2 * SECTION + 100]);
    expect(height).toBe(4 * ROW + 2 * SECTION + 100);
  });
  it('draws each line in sight, and the open one wherever it is', () => {
    const section = fc.constantFrom('', 'A', 'B');
    fc.assert(
      fc.property(
        fc.array(section, { minLength: 1, maxLength: 400 }),
        fc.nat(20_000),
        fc.integer({ min: 0, max: 2000 }),
        fc.nat(400),
        (sections, top, height, openAt) => {
          const rows = rowsIn(sections);
          const open = `l${openAt}`;
          const places = placesOf(rows, open, 380);
          const drawn = drawnRows(rows, places, { top, height }, open);
          const indexes = new Set(drawn.map((d) => d.i));
          expect(indexes.size).toBe(drawn.length);
          const isSeen = (i: number): boolean => places.tops[i]! + ROW > top && places.tops[i]! < top + height;
          for (const i of rows.keys()) if (isSeen(i)) expect(indexes).toContain(i);
          if (openAt < rows.length) expect(indexes).toContain(openAt);
          for (const d of drawn) expect([d.top, d.row]).toEqual([places.tops[d.i], rows[d.i]]);
        },
      ),
      { numRuns: 200 },
    );
  });
});
