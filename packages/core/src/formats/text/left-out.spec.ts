import * as fc from 'fast-check';
import {
  mergeUnknown,
  readerFor,
  unknownWords,
  Unreadable,
  type DelimitedFormat,
  type FixedWidthFormat,
  type StreamFormat,
} from '../../index.ts';
import { blockCutter } from './blocks.ts';

const DELIMITED: DelimitedFormat = {
  kind: 'delimited',
  encoding: 'utf-8',
  delimiter: ';',
  quote: '"',
  newline: '\n',
  skipLines: 0,
  header: true,
  emptyIsNull: true,
};
const FIXED: FixedWidthFormat = {
  kind: 'fixed',
  encoding: 'utf-8',
  skipLines: 0,
  emptyIsNull: true,
  columns: [
    { name: 'no', from: 1, width: 8 },
    { name: 'name', from: 9, width: 8 },
  ],
};
function read(format: StreamFormat, text: string, size = 5) {
  const reader = readerFor(format);
  const all = new TextEncoder().encode(text);
  const batches = [];
  for (let at = 0; at < all.length; at += size) batches.push(reader.push(all.subarray(at, at + size)));
  batches.push(reader.end());
  const rows = batches.flatMap((b) => b.rows).map((row) => (row instanceof Unreadable ? row.message : row));
  const told = [...mergeUnknown(batches.map((b) => b.unknown))].map(([path, of]) =>
    unknownWords('report.csv', path, { ...of, file: null }),
  );
  return { rows, told };
}

describe('rows of a report that are no records', () => {
  const report = 'no;name\n1;a\nTotal;1\n\n--- page 2\n2;b\nTotal north;x\n3;c;d\nTotal;2\n';
  const first = [['1', 'a']];
  it('are unreadable, or records, where nobody says so', () => {
    expect(read(DELIMITED, report).rows).toEqual([
      ...first,
      ['Total', '1'],
      'The row has one cell where the header has 2.',
      ['2', 'b'],
      ['Total north', 'x'],
      'The row has 3 cells where the header has 2.',
      ['Total', '2'],
    ]);
  });
  it('are left out by how they begin, or as too short, and counted; those around keep their numbers', () => {
    const { rows, told } = read({ ...DELIMITED, withoutShort: true, withoutBeginning: 'Total, Page' }, report);
    expect(rows).toEqual([...first, ['2', 'b'], 'The row has 3 cells where the header has 2.']);
    expect(told).toEqual([
      '3 rows of report.csv were left out, begun as its format says of rows that are none, the first behind row 1',
      '1 row of report.csv was left out, too short for a record, the first behind row 1',
    ]);
  });
  it('of fixed width, too', () => {
    const text = '1       a\n===\nTotal   1\n2       b\n';
    expect(read(FIXED, text).rows).toEqual([
      ['1', 'a'],
      expect.stringContaining('3 characters'),
      ['Total', '1'],
      ['2', 'b'],
    ]);
    const { rows, told } = read({ ...FIXED, withoutShort: true, withoutBeginning: 'Total' }, text);
    expect(rows).toEqual([...first, ['2', 'b']]);
    expect(told).toHaveLength(2);
  });
  it('are told, whatever becomes of values without a field', () => {
    const format = { ...FIXED, withoutShort: true, unknown: 'ignored' } as const;
    expect(read(format, '1       a\n--\n').told).toHaveLength(1);
  });
  it('are not counted by who cuts files without reading them', () => {
    expect(blockCutter({ ...DELIMITED, withoutShort: true }, ['no'])).toBeNull();
    expect(blockCutter({ ...DELIMITED, withoutBeginning: ' ' }, ['no'])).not.toBeNull();
  });
  it('account for each row, wherever the text is cut', () => {
    const row = fc.constantFrom('1;a', '2;b', 'Total;9', 'x', '"Total";"1"', 'c;d;e', '');
    fc.assert(
      fc.property(fc.array(row, { maxLength: 30 }), fc.integer({ min: 1, max: 20 }), (all, size) => {
        const format = { ...DELIMITED, withoutShort: true, withoutBeginning: 'Total' };
        const { rows, told } = read(format, `no;name\n${all.map((r) => `${r}\n`).join('')}`, size);
        const left = told.reduce((sum, words) => sum + Number(/^\d+/.exec(words)![0]), 0);
        expect(rows.length + left).toBe(all.filter((r) => r !== '').length);
        expect(rows.length).toBe(all.filter((r) => /^[12c];/.test(r)).length);
      }),
    );
  });
});
