import * as fc from 'fast-check';
import { documents } from '../testing/document-generator.ts';
import { changed, changedBack, changeBetween } from './change.ts';
import { parseDocument, type MappingDocument } from './document.ts';
import { addField, changeLine, moveField, removeField, withAllLines, writeCell } from './edit.ts';

const plain = (document: MappingDocument): unknown => JSON.parse(JSON.stringify(document));

describe('a change of a document', () => {
  it('leads from one state to the other and back, whatever they are', () => {
    fc.assert(
      fc.property(documents, documents, (one, other) => {
        const change = changeBetween(one, other)!;
        if (change === null) return expect(plain(one)).toEqual(plain(other));
        expect(plain(changed(one, change))).toEqual(plain(other));
        expect(plain(changedBack(other, change))).toEqual(plain(one));
      }),
      { numRuns: 200 },
    );
  });
  it('is nothing between states that say the same', () => {
    fc.assert(
      fc.property(documents, (document) => {
        expect(changeBetween(document, parseDocument(plain(document)))).toBeNull();
      }),
    );
  });

  it('takes names that every object answers to as names', () => {
    const of = (tables: string): MappingDocument =>
      parseDocument(
        JSON.parse(
          `{"versicle":1,"name":"a","source":{"primary":{"alias":"m","dataset":"f/a"}},"target":{"dataset":"s/a","fields":[{"name":"a","type":"text"}]},"codeTables":${tables}}`,
        ),
      );
    const [one, other] = [of('{"a":[]}'), of('{"a":[],"constructor":[{"from":"A","to":"B"}]}')];
    const change = changeBetween(one, other)!;
    expect(Object.keys(changed(one, change).codeTables)).toEqual(['a', 'constructor']);
    expect(changedBack(other, change)).toEqual(one);
  });

  const many = withAllLines(
    parseDocument({
      versicle: 1,
      name: 'Many',
      source: { primary: { alias: 'm', dataset: 'files/many.csv' } },
      target: {
        dataset: 'store/many',
        fields: Array.from({ length: 5000 }, (_, i) => ({ name: `f${i}`, type: 'text' })),
      },
    }),
  );
  it('keeps only what was edited, and shares all else', () => {
    const after = writeCell(many, many.lines[4000]!.id, 'how', 'trim(m.a)') as MappingDocument;
    const change = changeBetween(many, after)!;
    expect(JSON.stringify(change).length).toBeLessThan(300);
    const back = changedBack(after, change);
    expect(back).toEqual(many);
    expect(back.lines[0]).toBe(many.lines[0]);
    expect(back.target).toBe(many.target);
  });
  it('keeps small what puts fields in, takes them out and moves them', () => {
    for (const edit of [
      (d: MappingDocument) => addField(d, 'new', 'text'),
      (d: MappingDocument) => removeField(d, 'f2500'),
      (d: MappingDocument) => moveField(d, 'f2500', 1),
      (d: MappingDocument) => changeLine(d, d.lines[7]!.id, { note: 'a note' }),
    ]) {
      const after = edit(many);
      const change = changeBetween(many, after)!;
      expect(JSON.stringify(change).length).toBeLessThan(2000);
      expect(changedBack(after, change)).toEqual(many);
      expect(changed(many, change)).toEqual(after);
    }
  });
});
