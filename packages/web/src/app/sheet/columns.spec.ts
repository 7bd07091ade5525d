import { TestBed } from '@angular/core/testing';
import { COLUMNS, SheetColumns } from './columns';

const KEY = 'versicle.sheet.columns';
const names = (columns: SheetColumns): string[] => columns.shown().map((c) => c.id);
/** As a page that is opened now would have them. */
const opened = (): SheetColumns => {
  TestBed.resetTestingModule();
  return TestBed.inject(SheetColumns);
};

describe('the columns of the sheet', () => {
  beforeEach(() => localStorage.clear());
  afterEach(() => jest.restoreAllMocks());

  it('are the usual ones, in the order of the sheet, until somebody chooses', () => {
    expect(names(opened())).toEqual(COLUMNS.filter((c) => c.usual).map((c) => c.id));
  });
  it('are shown and hidden for the next time, too; what tells lines apart stays', () => {
    const columns = opened();
    columns.show('note', true);
    columns.show('value', false);
    columns.show('line', false);
    columns.show('target', false);
    const now = names(columns);
    expect(now).toEqual(expect.arrayContaining(['line', 'target', 'note']));
    expect(now).not.toContain('value');
    expect(names(opened())).toEqual(now);
  });
  it('keep their width within reason, and give it back', () => {
    const columns = opened();
    columns.widen('how', 321.4);
    columns.widen('note', 100_000);
    columns.widen('state', 1);
    columns.show('note', true);
    expect(columns.tracks()).toContain('321px');
    expect(columns.tracks()).toContain('900px');
    expect(columns.tracks()).toContain('40px');
    expect(opened().tracks()).toBe(columns.tracks());
    columns.widen('how', null);
    expect(columns.tracks()).toContain('minmax(240px, 3.6fr)');
    columns.asAtFirst();
    expect(opened().tracks()).toBe(columns.tracks());
    expect(names(columns)).not.toContain('note');
  });
  it('need at least what their columns need', () => {
    const columns = opened();
    const before = columns.least();
    columns.show('note', true);
    expect(columns.least()).toBe(before + 120);
    columns.widen('note', 500);
    expect(columns.least()).toBe(before + 500);
  });
  it.each([
    ['not JSON', '{'],
    ['something else', '"text"'],
    ['nothing', 'null'],
    [
      'columns that there are not',
      JSON.stringify({ shown: ['nothing', 7, 'note'], widths: { nothing: 100, note: 'x', how: 5 } }),
    ],
  ])('are usable whatever this browser kept: %s', (_what, kept) => {
    localStorage.setItem(KEY, kept);
    const shown = names(opened());
    expect(shown).toEqual(expect.arrayContaining(['line', 'target']));
    expect(opened().tracks()).not.toMatch(/NaN|undefined|xpx|\b5px/);
  });
  it('work in a browser that keeps nothing', () => {
    jest.spyOn(Storage.prototype, 'setItem').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError');
    });
    const columns = opened();
    columns.show('note', true);
    expect(names(columns)).toContain('note');
  });
});
