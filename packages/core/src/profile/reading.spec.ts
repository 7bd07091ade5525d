import { Unreadable } from '../formats/format.ts';
import { readRowsAs, sortRule, type Reading } from './reading.ts';

const column = (values: (string | null)[], marks: Parameters<typeof readRowsAs>[2] = null): Reading =>
  readRowsAs(
    ['f'],
    values.map((v) => [v]),
    marks,
  );
const shown = (reading: Reading): (string | null)[] =>
  reading.cells.map(([cell]) => (cell ? `${cell.typed ?? ''}|${cell.damage ?? ''}` : null));

describe('what values read as', () => {
  it.each([
    [['03.08.2019', '31.12.2020'], 'date'],
    [['2019-08-03', '2020-12-31'], 'date'],
    [['2019-08-03 10:00', '2020-12-31 11:30'], 'timestamp'],
    [['yes', 'no'], 'boolean'],
    [['1', '22'], 'whole number'],
    [['1.5', '22'], 'number'],
    [['1,5', '22'], 'number'],
    [['00417', '00418'], 'text'],
    [['Quay', 'Bridge'], 'text'],
    [[null, ''], 'text'],
  ])('%j is %s', (values, kind) => expect(column(values).fields[0]!.readsAs).toBe(kind));

  it.each([
    [['03.08.2019', '31.12.2020'], `parse_date(f, 'DD.MM.YYYY')`],
    [['2019-08-03', '2020-12-31'], `parse_date(f, 'YYYY-MM-DD')`],
    [['2019-08-03 10:00', '2020-12-31 11:30'], 'f'],
    [['9', '22'], `parse_number(f, '.')`],
    [['1,5', '22'], `parse_number(f, ',')`],
    [['00417', '00418'], 'f'],
  ])('%j is sorted by %s', (values, rule) => expect(sortRule(column(values).fields[0]!)).toBe(rule));

  it('shows the typed value only where it differs from the text', () => {
    expect(shown(column(['03.08.2019', '04.08.2019']))).toEqual(['2019-08-03|', '2019-08-04|']);
    expect(shown(column(['1,50', '2,25']))).toEqual(['1.50|', '2.25|']);
    expect(shown(column(['1.50', '2']))).toEqual([null, null]);
  });
  it('goes by the declared pattern where two are possible', () => {
    const marks = { decimal: '.' as const, dates: 'MM/DD/YYYY' };
    expect(shown(column(['03/04/2020'], marks))).toEqual(['2020-03-04|']);
    expect(shown(column(['03/04/2020']))).toEqual(['2020-04-03|']);
  });
  it('points out what looks damaged', () => {
    const ids = [...Array.from({ length: 20 }, (_, i) => `0${10_000 + i}`), '1.2E+05', '417', '#####'];
    const found = shown(column(ids)).filter((c) => c !== null);
    expect(found).toEqual([
      '|scientific notation',
      '|shorter than the other ids (6 digits): leading zeros lost?',
      '|#### in place of a value',
    ]);
    expect(shown(column(['MÃ¼ller', 'Quay']))[0]).toBe('|letters read in the wrong encoding');
    expect(shown(column(['12.50-', '3']))[0]).toBe('-12.50|minus behind the number');
    const dates = [...Array.from({ length: 19 }, () => '03.08.2019'), '00.00.0000'];
    expect(shown(column(dates)).at(-1)).toBe('|no date written DD.MM.YYYY');
  });
  it('leaves rows alone that can’t be read', () => {
    const reading = readRowsAs(['f'], [new Unreadable('cut short', 'x'), ['7-']], null);
    expect(reading.cells[0]).toEqual([]);
    expect(reading.cells[1]).toEqual([{ at: 0, typed: '-7', damage: 'minus behind the number' }]);
  });
});
