import { harmlessCsv } from './harmless-csv';

describe('CSV for spreadsheet programs', () => {
  it('makes formulas harmless, and quotes what has commas, quotes and lines', () => {
    expect(
      harmlessCsv([
        ['a', 7, '=1+1'],
        ['x, "y"', -3, 'two\nlines'],
        ['-m.fare', '@cmd', '+1'],
      ]),
    ).toBe('a,7,\'=1+1\r\n"x, ""y""",-3,"two\nlines"\r\n\'-m.fare,\'@cmd,\'+1\r\n');
  });
});
