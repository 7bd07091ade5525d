import { parseDocument, writeCell, type Cell } from '@versicle/core';
import { choicesFor } from './cell-choices';

const document = parseDocument({
  versicle: 1,
  name: 'Stations',
  source: { primary: { alias: 's', dataset: 'tidebridge/stations.csv' } },
  target: {
    dataset: 'warehouse/station',
    fields: [
      { name: 'code', type: 'text' },
      { name: 'network', type: 'text' },
      { name: 'county', type: 'text' },
    ],
  },
  lines: [
    { id: 'l1', target: 'code', kind: 'straight', source: 's.code' },
    { id: 'l2', target: 'network', kind: 'constant', value: 'LARKWAY' },
    { id: 'l3', target: 'county', state: 'to map' },
  ],
  codeTables: { county: [{ from: 'N', to: 'North' }], tariff: [] },
});
const texts = (cell: Cell, typed: string): string[] =>
  choicesFor(document, ['s.code', 's.county_code', 's.name'], cell, typed).map((c) => c.text);

describe('what a cell can take', () => {
  it('is shown at once where it is one of a few words, and narrowed by typing', () => {
    expect(texts('state', '')).toEqual(['to map', 'question', 'drafted', 'agreed']);
    expect(texts('state', 'agr')).toEqual(['agreed']);
    expect(texts('onFail', 'remark')).toEqual(['default', 'null']);
    expect(texts('type', 'time')).toEqual(['timestamp', 'timestamptz']);
    expect(texts('how', '')).toEqual([]);
  });
  it('is code tables, constants and fields of this document', () => {
    expect(texts('how', 'county')).toEqual(['lookup county', 's.county_code']);
    expect(texts('how', 'const')).toEqual(['constant LARKWAY']);
    expect(texts('source', 's.c')).toEqual(['s.code', 's.county_code']);
    expect(texts('note', 'a')).toEqual([]);
  });
  it('is not shown any more once it stands there', () => expect(texts('how', 'lookup tariff')).toEqual([]));
  it('is what the cell takes, to the letter', () => {
    for (const cell of ['state', 'onFail', 'type', 'source', 'how'] as const)
      for (const typed of ['', 'a', 'e', 'l', 't', 'u'])
        for (const { text } of choicesFor(document, ['s.code'], cell, typed))
          if (!text.endsWith(' ')) expect(writeCell(document, 'l3', cell, text)).toEqual(expect.any(Object));
  });
  it('can be written in words, too', () => {
    const written = writeCell(document, 'l1', 'onFail', 'leave it null, with a remark');
    expect(typeof written === 'object' && written.lines[0]!.onFail).toBe('null');
  });
});
