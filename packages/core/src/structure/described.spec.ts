import type { JsonFormat } from '../formats/json/settings.ts';
import type { JsonLinesFormat } from '../formats/json-lines/settings.ts';
import type { XmlFormat } from '../formats/xml/settings.ts';
import { withDescribed } from './described.ts';
import { field, type Structure } from './structure.ts';

const structure = (name: string, ...fields: string[]): Structure => ({
  name,
  description: null,
  fields: fields.map((f) => (f.startsWith('{') ? field(f.slice(1), { type: 'jsonb' }) : field(f))),
});
const nested = { encoding: 'utf-8', part: '', withDoc: false } as const;
const xml: XmlFormat = {
  kind: 'xml',
  records: 'export/order',
  ...nested,
  structures: [
    { path: '', fields: ['no', 'part.name'] },
    { path: 'line', fields: ['item'] },
  ],
};
const json: JsonFormat = { ...xml, kind: 'json', records: 'items' };

describe('what a description tells of records', () => {
  it('comes behind what is known, at whatever path it is', () => {
    const told = [
      structure('export', '@day'),
      structure('export/order', 'note', 'no', 'cost.@currency'),
      structure('export/order/line', 'item', 'price', '_key'),
      structure('export/order/line/tax', 'value'),
      structure('export/refund', 'lost'),
    ];
    const { format, added } = withDescribed(xml, told, 'orders.xml');
    expect(format.structures).toEqual([
      { path: '', fields: ['no', 'part.name', 'note', 'cost.@currency'] },
      { path: 'line', fields: ['item', 'price', '_key_'] },
      { path: 'line.tax', fields: ['value'] },
    ]);
    expect(added).toEqual(['note', 'cost.@currency', 'line/price', 'line/_key_', 'line.tax/value']);
    expect(withDescribed(format, told, 'orders.xml').added).toEqual([]);
  });
  it('does not say against the data what occurs more than once', () => {
    const { format } = withDescribed(xml, [structure('export/order', 'line.item', 'line.price', 'line')], '');
    expect(format.structures).toEqual(xml.structures);
    // The other way round both are read: it may occur once or more often.
    const many = withDescribed(xml, [structure('export/order/part', 'name')], '').format;
    expect(many.structures.at(-1)).toEqual({ path: 'part', fields: ['name'] });
  });
  it('is of the records, whether it describes them or the whole file', () => {
    const ofRecords = withDescribed(json, [structure('o', 'a'), structure('o.b', 'c')], 'o');
    expect(ofRecords.added).toEqual(['a', 'b/c']);
    const ofFile = [structure('o', 'total'), structure('o.items', 'a'), structure('o.items.b', 'c')];
    expect(withDescribed(json, ofFile, 'o')).toEqual(ofRecords);
    expect(withDescribed(json, [structure('other', 'a')], 'o').added).toEqual([]);
  });
  it('gives no field to what may be anything', () => {
    expect(withDescribed(json, [structure('o', '{any', 'a')], 'o').added).toEqual(['a']);
  });
  it('is, of JSON Lines, what stands outermost', () => {
    const told = [structure('o', 'no', 'at.dock', 'at.gate'), structure('o.tags', 'value')];
    const { format } = withDescribed<JsonLinesFormat>({ kind: 'jsonl', encoding: 'utf-8' }, told, 'o', ['no', 'old']);
    expect(format.fields).toEqual(['no', 'old', 'at', 'tags']);
  });
  it('is refused where names are values', () => {
    const names = Array.from({ length: 20_001 }, (_, i) => `n${i}`);
    expect(() => withDescribed(json, [structure('o', ...names)], 'o')).toThrow('more than 20,000 different names');
  });
});
