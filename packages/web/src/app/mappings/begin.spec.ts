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
});
