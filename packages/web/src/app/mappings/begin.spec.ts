import { compileMapping, sourceFieldsFor } from '@versicle/core';
import { beginDocument } from './begin';

const field = (name: string, extra: object = {}) => ({ name, type: 'text', nullable: true, key: false, ...extra });

describe('beginning a mapping', () => {
  it('maps fields of the same name straight, as drafts, into a table that is to be made', () => {
    const document = beginDocument({
      name: 'Parts',
      source: 'files/Parts list.csv',
      sourceFields: [field('Part No'), field('2nd name')],
      target: 'w/parts',
      targetFields: null,
    });
    expect(document.source.primary.alias).toBe('p');
    expect(document.target.fields.map((f) => f.name)).toEqual(['part_no', '_2nd_name']);
    expect(document.lines.map((l) => [l.source, l.state])).toEqual([
      ['p."Part No"', 'drafted'],
      ['p."2nd name"', 'drafted'],
    ]);
    const { problems } = compileMapping(document, sourceFieldsFor(document, ['Part No', '2nd name']));
    expect(problems).toEqual([]);
  });
  it('takes a table’s fields and key, and leaves what has no match to map', () => {
    const document = beginDocument({
      name: 'Parts',
      source: 'files/parts.csv',
      sourceFields: [field('no')],
      target: 'w/parts',
      targetFields: [field('no', { nullable: false, key: true }), field('colour')],
    });
    expect(document.target.key).toEqual(['no']);
    expect(document.write.mode).toBe('upsert');
    expect(document.lines.map((l) => l.state)).toEqual(['drafted', 'to map']);
  });
  it('stamps records of a new table where that is wished, keeps the source’s key, and makes texts of types that only the source knows', () => {
    const begun = (targetFields: ReturnType<typeof field>[] | null) =>
      beginDocument({
        name: 'Parts',
        source: 'ledger/part',
        sourceFields: [field('no', { type: 'integer', nullable: false, key: true }), field('mood', { type: 'mood' })],
        target: 'w/stg_part',
        targetFields,
        stamped: true,
      });
    const document = begun(null);
    expect(document.target.fields.map((f) => [f.name, f.type])).toEqual([
      ['no', 'integer'],
      ['mood', 'text'],
      ['load_id', 'bigint'],
      ['loaded_at', 'timestamptz'],
    ]);
    expect(document.lines.slice(2).map((l) => l.rule)).toEqual([':run_number', ':run_started_at']);
    expect([document.target.key, document.write.mode]).toEqual([['no'], 'upsert']);
    expect(compileMapping(document, sourceFieldsFor(document, ['no', 'mood'])).problems).toEqual([]);
    expect(begun([field('no')]).lines).toHaveLength(1);
  });
});
