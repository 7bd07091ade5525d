import * as fc from 'fast-check';
import { keyMapsAsked, parseDocument, usesOf } from '../index.ts';
import { documents } from '../testing/document-generator.ts';

const document = parseDocument({
  versicle: 1,
  name: 'Trips',
  source: {
    primary: { alias: 't', dataset: 'files/trips.csv' },
    unions: [{ dataset: 'files/old.csv', columns: { no: 'number' } }],
    joins: [{ alias: 's', dataset: 'files/stations.csv', kind: 'left', on: 's.code = t.station' }],
    filter: "mapped_key('Members', t.member) IS NOT NULL",
  },
  target: {
    dataset: 'warehouse/trip',
    key: ['no'],
    fields: [
      { name: 'no', type: 'text' },
      { name: 'kind', type: 'text', codeTable: 'kinds' },
      { name: 'town', type: 'text' },
      { name: 'gone', type: 'text' },
    ],
  },
  lines: [
    { id: 'l1', target: 'no', kind: 'straight', source: 't.no' },
    { id: 'l2', target: 'kind', kind: 'rule', rule: "lookup('tariffs', t.kind)", condition: 'no IS NOT NULL' },
    { id: 'l3', target: 'town', kind: 'lookup', source: 's.town', codeTable: 'towns' },
    { id: 'l4', target: 'gone', kind: 'not loaded' },
    { id: 'l5', target: 'gone', kind: 'rule', rule: 'this is ( no rule lookup(' },
  ],
  codeTables: { towns: [{ from: 'L', to: 'Larkway' }] },
});
const of = (thing: string): string[] =>
  usesOf(document)
    .filter((u) => u.thing === thing)
    .map((u) => [u.name, u.role, u.field, u.line].filter((x) => x !== null).join(' '));

describe('what a document uses of the things around it', () => {
  it('datasets, as what, and which of their fields on which line', () => {
    expect(of('dataset').sort()).toEqual(
      [
        'files/trips.csv primary',
        'files/old.csv union',
        'files/stations.csv join',
        'warehouse/trip target',
        'files/trips.csv primary no l1',
        // Below the first one it is called otherwise.
        'files/old.csv union number l1',
        'files/trips.csv primary kind l2',
        'files/trips.csv primary no l2',
        'files/old.csv union kind l2',
        'files/old.csv union number l2',
        'files/stations.csv join town l3',
        'warehouse/trip target no l1',
        'warehouse/trip target kind l2',
        'warehouse/trip target town l3',
        'warehouse/trip target gone l5',
      ].sort(),
    );
  });
  it('code tables: its own, and those that lines look up or are checked by', () =>
    expect(of('code table').sort()).toEqual(['kinds l2', 'tariffs l2', 'towns', 'towns l3']));
  it('the keys of other mappings', () => expect(of('key map')).toEqual(['Members']));
  it('lines by their number as the sheet shows it', () => {
    for (const use of usesOf(document)) expect(use.number).toBe(use.line === null ? null : Number(use.line.slice(1)));
  });
  it('whatever the document, each member, the target and every own code table is among them, and each line that it names is there', () =>
    fc.assert(
      fc.property(documents, (made) => {
        const uses = usesOf(made);
        const names = (thing: string): Set<string> => new Set(uses.filter((u) => u.thing === thing).map((u) => u.name));
        expect(names('dataset')).toContain(made.target.dataset);
        for (const { dataset } of [made.source.primary, ...made.source.joins, ...made.source.unions])
          expect(names('dataset')).toContain(dataset);
        for (const table of Object.keys(made.codeTables)) expect(names('code table')).toContain(table);
        for (const { line, number } of uses) if (line !== null) expect(made.lines[number! - 1]!.id).toBe(line);
      }),
    ));
});

describe('the key maps that a document asks for', () => {
  it.each([
    ['filter', { filter: "mapped_key('A', t.m) IS NOT NULL" }],
    ['one record for each', { distinctOn: ["mapped_key('A', t.m)"] }],
    ['groups', { groupBy: ["mapped_key('A', t.m)"] }],
    ['order', { orderBy: ["mapped_key('A', t.m) DESC NULLS LAST"] }],
  ])('are found in: %s', (_, source) => {
    const asks = { ...document, source: { ...document.source, filter: null, ...source } };
    expect(keyMapsAsked(asks)).toEqual(['A']);
  });
});
