import * as fc from 'fast-check';
import { XmlRecords, type Tree } from '@versicle/core';
import { badXmlName, xmlBody } from './xml-body.ts';

const read = (xml: string): Tree => {
  const records = new XmlRecords('bike');
  const [found] = [...records.push(xml), ...records.end()];
  return found as Tree;
};

describe('a record as XML', () => {
  it('has attributes, texts and elements within elements', () => {
    const made = xmlBody(
      'bike',
      ['@id', 'wheel', 'wheel.@unit', 'note', 'gone'],
      ['7', '610', 'mm', 'a < b & "c"', null],
    );
    expect(made).toEqual({
      xml: '<?xml version="1.0" encoding="UTF-8"?>\n<bike id="7"><wheel unit="mm">610</wheel><note>a &lt; b &amp; "c"</note></bike>',
    });
  });
  it('is read back as it was, whatever its values are', () => {
    const value = fc
      .string({ unit: 'grapheme', minLength: 1 })
      .filter((t) => !('field' in xmlBody('bike', ['x'], [t])) && t.trim() === t);
    fc.assert(
      fc.property(value, value, (id, note) => {
        const made = xmlBody('bike', ['@id', 'note'], [id, note]) as { xml: string };
        const tree = read(made.xml) as Map<string, string>;
        expect([tree.get('@id'), tree.get('note')]).toEqual([id, note]);
      }),
    );
  });
  it('names the field that XML can’t carry, and names that no element can have', () => {
    expect(xmlBody('bike', ['a', 'b'], ['x', '\u0001'])).toEqual({ field: 'b' });
    // Half of a character would arrive as another one.
    expect(xmlBody('bike', ['a'], ['\ud800'])).toEqual({ field: 'a' });
    expect(badXmlName(['@id', 'wheel.@unit', 'Größe'])).toBeNull();
    expect(badXmlName(['@id', 'wheel size'])).toBe('wheel size');
  });
});
