import * as fc from 'fast-check';
import { canonicalText, changeLine, mergeDocuments, parseDocument, type MappingDocument } from '../index.ts';

const base = parseDocument({
  versicle: 1,
  name: 'Members',
  source: { primary: { alias: 'm', dataset: 'files/members.csv' } },
  target: {
    dataset: 'store/member',
    key: ['a'],
    fields: ['a', 'b', 'c', 'd'].map((name) => ({ name, type: 'text' })),
  },
  lines: ['a', 'b', 'c', 'd'].map((target, i) => ({ id: `l${i}`, target, kind: 'straight', source: `m.${target}` })),
  codeTables: { plans: [{ from: 'A', to: 'B' }] },
});
const edit = (document: MappingDocument, id: string, rule: string): MappingDocument =>
  changeLine(document, id, { kind: 'rule', rule, source: undefined });

describe('two sides of one document', () => {
  it('come together line by line, when they changed different lines', () => {
    const { document, clashes } = mergeDocuments(base, edit(base, 'l0', 'upper(m.a)'), edit(base, 'l2', 'trim(m.c)'));
    expect(document).toEqual(edit(edit(base, 'l0', 'upper(m.a)'), 'l2', 'trim(m.c)'));
    expect(clashes).toEqual([]);
  });
  it('name what both changed, and take the other side’s', () => {
    const { document, clashes } = mergeDocuments(base, edit(base, 'l0', 'upper(m.a)'), edit(base, 'l0', 'lower(m.a)'));
    expect(clashes).toEqual([{ what: 'a', line: 'l0', mine: 'rule: upper(m.a)', theirs: 'rule: lower(m.a)' }]);
    expect(document.lines[0]!.rule).toBe('lower(m.a)');
    const mine = mergeDocuments(base, edit(base, 'l0', 'upper(m.a)'), edit(base, 'l0', 'lower(m.a)'), () => true);
    expect(mine.document.lines[0]!.rule).toBe('upper(m.a)');
    expect(mergeDocuments(base, edit(base, 'l0', 'x()'), edit(base, 'l0', 'x()')).clashes).toEqual([]);
  });
  it('keep what one side added, took out or moved', () => {
    const mine = {
      ...base,
      lines: base.lines.slice(1),
      target: { ...base.target, fields: base.target.fields.slice(1) },
    };
    const theirs = {
      ...base,
      codeTables: { ...base.codeTables, towns: [{ from: 'L', to: 'Larkway' }] },
      target: { ...base.target, fields: [...base.target.fields].reverse() },
    };
    const { document, clashes } = mergeDocuments(base, mine, theirs);
    expect(document.lines.map((l) => l.id)).toEqual(['l1', 'l2', 'l3']);
    expect(document.target.fields.map((f) => f.name)).toEqual(['d', 'c', 'b']);
    expect(Object.keys(document.codeTables)).toEqual(['plans', 'towns']);
    expect(clashes).toEqual([]);
  });
  it('change nothing where nothing was changed, on either side', () => {
    const edits = fc.array(fc.tuple(fc.constantFrom('l0', 'l1', 'l2', 'l3'), fc.constantFrom('m.a', 'm.b', "'x'")), {
      maxLength: 6,
    });
    fc.assert(
      fc.property(edits, edits, (a, b) => {
        const mine = a.reduce((d, [id, rule]) => edit(d, id, rule), base);
        const theirs = b.reduce((d, [id, rule]) => edit(d, id, rule), base);
        expect(canonicalText(mergeDocuments(base, mine, base).document)).toBe(canonicalText(mine));
        expect(canonicalText(mergeDocuments(base, base, theirs).document)).toBe(canonicalText(theirs));
        expect(canonicalText(mergeDocuments(base, mine, mine).document)).toBe(canonicalText(mine));
        const merged = mergeDocuments(base, mine, theirs);
        const changed = (d: MappingDocument, i: number): boolean =>
          canonicalText({ ...base, lines: [d.lines[i]!] }) !== canonicalText({ ...base, lines: [base.lines[i]!] });
        for (const i of [0, 1, 2, 3])
          expect(merged.document.lines[i]).toEqual(changed(theirs, i) ? theirs.lines[i] : mine.lines[i]);
      }),
    );
  });
});
