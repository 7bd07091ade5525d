import { parseDocument, type Line } from '@versicle/core';
import { rowsOf } from './rows';
import type { TrialAnswer } from './trial-messages';

const documentOf = (lines: readonly (Partial<Line> & { target: string })[]) =>
  parseDocument({
    versicle: 1,
    name: 'Trips',
    source: { primary: { alias: 't', dataset: 'files/trips.csv' } },
    target: {
      dataset: 'store/trip',
      key: ['no'],
      fields: [
        { name: 'no', type: 'character varying(8)', label: 'Trip number', required: true, section: 'Trip' },
        { name: 'km', type: 'numeric(7,2)', nullable: false },
        { name: 'at', type: 'timestamp' },
        { name: 'odd', type: 'no such type' },
      ],
    },
    lines: lines.map((l, i) => ({ id: `l${i + 1}`, ...l })),
  });
const rows = (lines: Parameters<typeof documentOf>[0], trial: Partial<TrialAnswer> | null = null) =>
  rowsOf(documentOf(lines), trial as TrialAnswer | null, [{ line: 'l1', open: 3 }], ['l2']);

describe('lines as the sheet shows them', () => {
  it.each<[string, Partial<Line>, string, string]>([
    ['a straight line by its field', { kind: 'straight', source: 't.no' }, 't.no', ''],
    ['a lookup by field and table', { kind: 'lookup', source: 't.kind', codeTable: 'kinds' }, 't.kind', 'kinds'],
    ['a constant by its value', { kind: 'constant', value: 0 }, '', '0'],
    ['a hash by what it is of', { kind: 'generated', generate: 'hash', of: ['a', 'b'] }, 'a, b', 'hash'],
    [
      'a rule by the fields that it names',
      { kind: 'rule', rule: 'upper(t.a) || t.b || t.a' },
      't.a, t.b',
      'upper(t.a) || t.b || t.a',
    ],
    [
      'a rule with quoted fields',
      { kind: 'rule', rule: 't."Two words" || \'t.no\'' },
      't."Two words"',
      't."Two words" || \'t.no\'',
    ],
    ['a line to map by nothing', {}, '', ''],
    ['one that is not loaded', { kind: 'not loaded' }, '', ''],
  ])('%s', (_what, line, source, how) => {
    const [row] = rows([{ target: 'no', ...line }]);
    expect([row!.source, row!.how, row!.kind]).toEqual([source, how, line.kind ?? 'to map']);
  });
  it('name their field as people do, with its type, key and whether it must be there', () => {
    const all = rows([{ target: 'no' }, { target: 'km' }, { target: 'at' }, { target: 'odd' }, { target: 'gone' }]);
    expect(all.map((r) => [r.number, r.target, r.targetName, r.type, r.key, r.required, r.section])).toEqual([
      [1, 'Trip number', 'no', 'varchar(8)', true, true, 'Trip'],
      [2, 'km', 'km', 'numeric(7,2)', false, true, ''],
      [3, 'at', 'at', 'timestamp', false, false, ''],
      [4, 'odd', 'odd', 'no such type', false, false, ''],
      [5, 'gone', 'gone', '', false, false, ''],
    ]);
    expect(all.map((r) => [r.failures, r.changed])).toEqual([
      [3, false],
      [0, true],
      [0, false],
      [0, false],
      [0, false],
    ]);
  });
  it('say first what is wrong with the line, then what is wrong with the sample record', () => {
    const trial = {
      problems: [
        { line: 'l1', severity: 'warning', message: 'not so bad' },
        { line: 'l1', severity: 'error', message: 'no such field' },
        { line: 'l1', severity: 'error', message: 'a second one' },
        { line: null, severity: 'error', message: 'of the document' },
      ],
      record: {
        lines: {
          l1: { source: 'S', result: null, failure: { message: 'of the record' } },
          l2: { source: '1,5', result: '1.50', failure: null },
          l3: { source: 'x', result: null, failure: { message: 'no timestamp' } },
        },
      },
    } as unknown as TrialAnswer;
    const [first, second, third, fourth] = rows(
      [
        { target: 'no', kind: 'straight', source: 't.x' },
        { target: 'km', kind: 'constant', value: 1 },
        { target: 'at', kind: 'straight', source: 't.at' },
        { target: 'odd' },
      ],
      trial,
    );
    expect([first!.problem, first!.broken]).toEqual(['no such field', true]);
    // A constant reads nothing, whatever the record has.
    expect([second!.problem, second!.broken, second!.value, second!.result]).toEqual([null, false, '', '1.50']);
    expect([third!.problem, third!.broken, third!.value]).toEqual(['no timestamp', false, 'x']);
    expect([fourth!.problem, fourth!.result, fourth!.value]).toEqual([null, null, '']);
  });
  it('are made anew where their field became another, and only there', () => {
    const document = documentOf([{ target: 'no' }, { target: 'km' }]);
    const before = rowsOf(document, null, [], []);
    const [no, ...others] = document.target.fields;
    const renamed = { ...document, target: { ...document.target, fields: [{ ...no!, label: 'No.' }, ...others] } };
    const after = rowsOf(renamed, null, [], []);
    expect(after[0]!.target).toBe('No.');
    expect(after[1]!.cells).toBe(before[1]!.cells);
  });
});
