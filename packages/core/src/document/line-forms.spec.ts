import * as fc from 'fast-check';
import {
  beginForm,
  FORM_TESTS,
  formOfLine,
  lineOfForm,
  makeRule,
  UNITS,
  type FormName,
  type Line,
  type LineForm,
} from '../index.ts';

const line = (patch: Partial<Line>): Line => ({ id: 'l1', target: 'x', state: 'drafted', ...patch });
const rule = (text: string): LineForm | null => formOfLine(line({ kind: 'rule', rule: text }));

const field = fc.constantFrom('m.name', 'm.born', 'm."Odd name"', 'm."quo""te"');
const text = fc.string({ maxLength: 8 });
const value = fc.oneof(
  text.map((t) => ({ is: 'text' as const, text: t })),
  field.map((f) => ({ is: 'field' as const, field: f })),
  fc.constant({ is: 'null' as const }),
);
const part = fc.integer({ min: -9, max: 9 }).filter((n) => n !== 0);
const mark = fc.constantFrom('.' as const, ',' as const);
const forms: fc.Arbitrary<LineForm> = fc.oneof(
  fc.record({ form: fc.constant('as is' as const), field }),
  fc.record({ form: fc.constant('fixed' as const), value: text }),
  fc.record({ form: fc.constant('codes' as const), field, table: fc.constantFrom('tariff', 'bikes') }),
  fc.record({ form: fc.constant('split' as const), field, separator: text, part, trimmed: fc.boolean() }),
  fc.record({ form: fc.constant('join' as const), fields: fc.array(field, { minLength: 1 }), between: text }),
  fc.record({ form: fc.constant('date' as const), field, pattern: text, withTime: fc.boolean() }),
  fc.record({ form: fc.constant('number' as const), field, mark }),
  fc.record({
    form: fc.constant('unit' as const),
    field,
    mark: fc.option(mark),
    factor: fc.constantFrom(...UNITS.map((u) => u.factor)),
    decimals: fc.option(fc.integer({ min: 0, max: 9 })),
  }),
  fc
    .record({
      form: fc.constant('if' as const),
      field,
      test: fc.constantFrom(...FORM_TESTS),
      value: text,
      then: value,
      otherwise: value,
    })
    .map((f) => (f.test === 'empty' || f.test === 'filled' ? { ...f, value: '' } : f)),
);

describe('forms of a line', () => {
  it('are read back from the lines that they write', () => {
    fc.assert(fc.property(forms, (form) => expect(formOfLine(line(lineOfForm(form)))).toEqual(form)));
  });
  it('write plain SQL', () => {
    const written = (form: LineForm): string | undefined => lineOfForm(form).rule;
    expect(written({ form: 'split', field: 'm.name', separator: ',', part: 2, trimmed: true })).toBe(
      "trim(split_part(m.name, ',', 2))",
    );
    expect(written({ form: 'join', fields: ['m.a', 'm.b'], between: ' ' })).toBe("concat_ws(' ', m.a, m.b)");
    expect(written({ form: 'unit', field: 'm.miles', mark: ',', factor: '1.609344', decimals: 2 })).toBe(
      "round(parse_number(m.miles, ',') * 1.609344, 2)",
    );
    expect(
      written({
        form: 'if',
        field: 'm.type',
        test: '=',
        value: "O'Day",
        then: { is: 'text', text: 'Y' },
        otherwise: { is: 'null' },
      }),
    ).toBe("CASE WHEN m.type = 'O''Day' THEN 'Y' ELSE NULL END");
  });
  it('are found however a rule is spaced and cased, and not where it says more', () => {
    expect(rule("  ROUND( parse_number(m.miles , ',')*1.609344 ,2 )")).toMatchObject({ form: 'unit', decimals: 2 });
    expect(rule('case when m.a is null then m.b end')).toEqual({
      form: 'if',
      field: 'm.a',
      test: 'empty',
      value: '',
      then: { is: 'field', field: 'm.b' },
      otherwise: { is: 'null' },
    });
    for (const more of [
      "upper(split_part(m.name, ',', 1))",
      'split_part(m.name, m.mark, 1)',
      "split_part(m.name, ',', 0)",
      "concat_ws(' ', m.a, upper(m.b))",
      "CASE WHEN m.a = '1' THEN 'x' WHEN m.a = '2' THEN 'y' END",
      'm.a * m.b',
      'nonsense(',
    ])
      expect(rule(more)).toBeNull();
    expect(formOfLine(line({ kind: 'generated', generate: 'uuid' }))).toBeNull();
  });
  it('begin as something that can be checked, like the sample', () => {
    const names: FormName[] = ['split', 'join', 'date', 'number', 'unit', 'if'];
    for (const name of names)
      for (const sample of [null, 'Tarn, Odo', '02.03.1984 10:15', '12,50', '2026-08-01'])
        expect(() =>
          makeRule(lineOfForm(beginForm(name, 'm.x', sample, [])).rule!, {
            fields: [{ alias: 'm', name: 'x', slot: 0, type: 'text' }],
          }),
        ).not.toThrow();
    expect(beginForm('date', 'm.x', '02.03.1984 10:15', [])).toMatchObject({
      pattern: 'DD.MM.YYYY HH24:MI',
      withTime: true,
    });
    expect(beginForm('unit', 'm.x', '12,50', [])).toMatchObject({ mark: ',' });
    expect(beginForm('split', 'm.x', 'Tarn, Odo', [])).toMatchObject({ separator: ',' });
  });
});
