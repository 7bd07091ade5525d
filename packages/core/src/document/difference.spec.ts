import * as fc from 'fast-check';
import { canonicalText, documentDifference, parseDocument, type MappingDocument } from '../index.ts';
import { documents } from '../testing/document-generator.ts';
import '../testing/seed.ts';

const base = parseDocument({
  versicle: 1,
  name: 'Members',
  source: { primary: { alias: 'm', dataset: 'files/members.csv' }, filter: "m.type = 'A'" },
  target: {
    dataset: 'store/member',
    key: ['no'],
    fields: [
      { name: 'no', type: 'integer', required: true },
      { name: 'plan', type: 'varchar(10)', label: 'Plan' },
    ],
  },
  lines: [
    { id: 'l1', target: 'no', kind: 'straight', source: 'm.no' },
    { id: 'l2', target: 'plan', kind: 'lookup', source: 'm.tariff', codeTable: 'tariff' },
  ],
  codeTables: {
    tariff: [
      { from: 'A', to: 'MONTHLY' },
      { from: 'B', to: 'YEARLY', meaning: 'Yearly pass' },
    ],
  },
  examples: [
    { id: 'e1', source: { no: '7', tariff: 'A' }, expect: { outcome: 'written', values: { plan: 'MONTHLY' } } },
  ],
});
const other = (patch: Partial<MappingDocument>): [string, string, string][] =>
  documentDifference(base, { ...base, ...patch }).other.map((p) => [p.part, p.before, p.after]);

describe('what differs beside the lines', () => {
  it('is said piece by piece', () => {
    const joins = [{ alias: 't', dataset: 'files/tariffs.csv', kind: 'left' as const, on: 't.code = m.tariff' }];
    expect(other({ source: { ...base.source, joins, filter: null } })).toEqual([
      ['join t', '', 'left join files/tariffs.csv as t on t.code = m.tariff'],
      ['filter', "m.type = 'A'", ''],
    ]);
    const tariff = [
      { from: 'A', to: 'MONTHLY', validTo: '2026-06-30' },
      { from: 'C', to: '' },
    ];
    expect(other({ codeTables: { tariff } })).toEqual([
      ['tariff: A', 'MONTHLY', 'MONTHLY · until 2026-06-30'],
      ['tariff: C', '', '(empty)'],
      ['tariff: B', 'YEARLY · Yearly pass', ''],
    ]);
    expect(other({ codeDefaults: { tariff: 'NONE' } })).toEqual([['tariff: all others', '', 'NONE']]);
    expect(other({ examples: [] })).toEqual([['example e1', 'written', '']]);
    const [e1] = base.examples!;
    const changed = { ...e1!, source: { no: '7', tariff: 'B' }, expect: { ...e1!.expect, values: { plan: 'YEARLY' } } };
    expect(other({ examples: [changed] })).toEqual([
      ['example e1, tariff', 'A', 'B'],
      ['example e1, expects plan', 'MONTHLY', 'YEARLY'],
    ]);
    const [no, plan] = base.target.fields;
    expect(other({ target: { ...base.target, fields: [no!, { ...plan!, type: 'varchar(20)' }] } })).toEqual([
      ['field plan', 'varchar(10) · Plan', 'varchar(20) · Plan'],
    ]);
  });
  it('is said even where it has no words of its own', () => {
    const turned = { tariff: [...base.codeTables['tariff']!].reverse() };
    expect(other({ codeTables: turned })).toEqual([['order and form', '', '']]);
    expect(other({ lines: [...base.lines].reverse() })).toEqual([['order and form', '', '']]);
  });
  it('is there for any two documents that differ, and only for those', () => {
    const keys = Object.keys(base) as (keyof MappingDocument)[];
    fc.assert(
      fc.property(documents, documents, fc.constantFrom(...keys), (a, b, key) => {
        const changed = { ...a, [key]: b[key] };
        const { lines, other } = documentDifference(a, changed);
        expect(lines.length + other.length > 0).toBe(canonicalText(a) !== canonicalText(changed));
        expect(new Set(other.map((p) => p.part)).size).toBe(other.length);
      }),
      { numRuns: 400 },
    );
  });
});
