import { parseFieldType } from '../../fields/types.ts';
import { outputText } from '../../fields/values.ts';
import { compileMapping, Mismatch, rowTyper, sniffFormat, type Marks, type MappingDocument } from '../../index.ts';
import { checkMarks, guessMarks, textConverter } from './marks.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const GERMAN: Marks = { decimal: ',', dates: 'DD.MM.YYYY' };

describe('how a file writes its numbers and dates', () => {
  it('is guessed from the first records, with the fields that tell it', () => {
    const guess = sniffFormat(
      bytes(
        'code;lat;opened\nA;51,507;03.08.2019\nB;51,511;31.12.2020\nC;51,499;00.00.0000\n'.replace(
          '00.00.0000',
          '01.02.2021',
        ),
      ),
      'stations.csv',
    );
    expect(guess.format).toMatchObject({ kind: 'delimited', marks: GERMAN });
    expect(guess.reasons).toContain('numbers have a decimal comma (lat)');
    expect(guess.reasons).toContain('dates are written DD.MM.YYYY (opened)');
  });
  it('says nothing where numbers and dates are as PostgreSQL writes them', () => {
    expect(
      guessMarks(
        ['a', 'b'],
        [
          ['1.5', '2.25'],
          ['2026-08-03', '2026-08-04'],
        ],
      ),
    ).toEqual({ marks: null, reasons: [] });
  });
  it('says where day and month could be the other way round', () => {
    const { marks, reasons } = guessMarks(['d'], [['03/04/2020', '05/06/2020']]);
    expect(marks?.dates).toBe('DD/MM/YYYY');
    expect(reasons[0]).toContain('the other way round');
    expect(guessMarks(['d'], [['03/14/2020', '05/26/2020']]).marks?.dates).toBe('MM/DD/YYYY');
  });
  it('takes eight digits for a date only where the name says so', () => {
    expect(guessMarks(['id'], [['20200101', '20200102']]).marks).toBeNull();
    expect(guessMarks(['start_date'], [['20200101', '20200102']]).marks?.dates).toBe('YYYYMMDD');
  });
  it('refuses a pattern that is none', () => {
    expect(() => checkMarks({ decimal: '.', dates: 'DD.MM.QQQQ' })).toThrow();
    expect(() => checkMarks(GERMAN)).not.toThrow();
  });

  it.each([
    ['numeric(8,2)', '1.204,50', '1204.50'],
    ['numeric(8,2)', '12,5-', '-12.50'],
    ['integer', '1.204', '1204'],
    ['date', '03.08.2019', '2019-08-03'],
    ['date', '2019-08-03', '2019-08-03'],
    ['timestamp', '03.08.2019', '2019-08-03 00:00:00'],
    ['boolean', 'yes', 't'],
    ['varchar(10)', '1,5', '1,5'],
  ])('reads %s from “%s” where declared', (type, text, expected) => {
    const field = parseFieldType(type);
    const value = textConverter(field, GERMAN)(text);
    expect(value instanceof Mismatch ? value.message : outputText(value, field.value)).toBe(expected);
  });
  it.each([
    ['numeric(8,2)', '1.5', 'no number with a decimal comma'],
    ['integer', '1,5', 'is no integer'],
    ['date', '31.02.2019', '31.02.2019'],
    ['date', '3.8.19', 'written DD.MM.YYYY'],
  ])('is strict about %s “%s”', (type, text, said) => {
    const value = textConverter(parseFieldType(type), GERMAN)(text);
    expect(value).toBeInstanceOf(Mismatch);
    expect((value as Mismatch).message).toContain(said);
  });

  it('holds for what a line takes as it is, not for what a rule makes', () => {
    const document = {
      source: {
        primary: { alias: 's', dataset: 'x/s' },
        joins: [],
        unions: [],
        structures: {},
        distinctOn: [],
        groupBy: [],
        orderBy: [],
      },
      target: {
        dataset: 'y/t',
        key: [],
        unique: [],
        fields: ['a', 'b'].map((name) => ({ name, type: 'numeric(6,2)', nullable: true, required: false })),
      },
      lines: [
        { id: 'l1', target: 'a', kind: 'straight', source: 's.n', state: 'drafted' },
        { id: 'l2', target: 'b', kind: 'rule', rule: 'trim(s.n)', state: 'drafted' },
      ],
      checks: [],
      skips: [],
      codeTables: {},
      write: { mode: 'insert' },
    } as unknown as MappingDocument;
    const { lines } = compileMapping(document, [{ name: 'n', type: 'text', marks: GERMAN }]);
    expect(lines[0]!.convert('1,50')).not.toBeInstanceOf(Mismatch);
    expect(lines[1]!.convert('1,50')).toBeInstanceOf(Mismatch);
  });
  it('holds for fields that the document types itself', () => {
    const typed = rowTyper([{ name: 'd', type: 'date', marks: GERMAN }])!;
    expect(outputText((typed(['03.08.2019']) as never[])[0]!, 'date')).toBe('2019-08-03');
  });
});
