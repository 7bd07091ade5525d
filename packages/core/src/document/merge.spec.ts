import * as fc from 'fast-check';
import { canonicalText, changeLine, mergeDocuments, parseDocument, type MappingDocument } from '../index.ts';
import { documents } from '../testing/document-generator.ts';

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

type Line = MappingDocument['lines'][number];
const lineOf = (d: MappingDocument, id: string): Line | undefined => d.lines.find((l) => l.id === id);
const membersOf = (line: Line): string[] => Object.keys(line);
const member = (line: Line | undefined, name: string): unknown => (line as Record<string, unknown> | undefined)?.[name];
const sameMember = (a: Line | undefined, b: Line | undefined, name: string): boolean =>
  JSON.stringify(member(a, name) ?? null) === JSON.stringify(member(b, name) ?? null);
/** Whether every member that either side changed is as that side has it. */
function hasBoth(...[was, mine, theirs, merged]: readonly (Line | undefined)[]): boolean {
  return [mine, theirs].every((side) =>
    [...membersOf(side!), ...membersOf(was!)].every((m) => sameMember(side, was, m) || sameMember(side, merged, m)),
  );
}

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
    // Who has nothing to add must find nothing to save.
    expect(JSON.stringify(document.lines)).toBe(JSON.stringify(edit(base, 'l0', 'lower(m.a)').lines));
    const mine = mergeDocuments(base, edit(base, 'l0', 'upper(m.a)'), edit(base, 'l0', 'lower(m.a)'), () => true);
    expect(mine.document.lines[0]!.rule).toBe('upper(m.a)');
    expect(mergeDocuments(base, edit(base, 'l0', 'x()'), edit(base, 'l0', 'x()')).clashes).toEqual([]);
  });
  it('come together within a line, too: a note here, a rule there', () => {
    const noted = changeLine(base, 'l0', { note: 'as agreed with Oda' });
    const { document, clashes } = mergeDocuments(base, edit(base, 'l0', 'upper(m.a)'), noted);
    expect(clashes).toEqual([]);
    expect(document.lines[0]).toMatchObject({ kind: 'rule', rule: 'upper(m.a)', note: 'as agreed with Oda' });
    expect(document.lines[0]!.source).toBeUndefined();
    const both = mergeDocuments(base, edit(noted, 'l0', 'upper(m.a)'), edit(base, 'l0', 'lower(m.a)'));
    expect(both.clashes).toEqual([{ what: 'a', line: 'l0', mine: 'rule: upper(m.a)', theirs: 'rule: lower(m.a)' }]);
    expect(both.document.lines[0]).toMatchObject({ rule: 'lower(m.a)', note: 'as agreed with Oda' });
  });
  it('never make an agreement out of a line that nobody agreed to', () => {
    const agreed = changeLine(base, 'l0', { state: 'agreed' });
    const { document, clashes } = mergeDocuments(base, edit(base, 'l0', 'upper(m.a)'), agreed);
    expect(clashes.map((c) => c.line)).toEqual(['l0']);
    expect(document.lines[0]).toEqual(agreed.lines[0]);
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

  describe('whatever the documents are', () => {
    it('a side that did nothing changes nothing', () =>
      fc.assert(
        fc.property(documents, documents, (was, now) => {
          const mine = mergeDocuments(was, now, was);
          expect(canonicalText(mine.document)).toBe(canonicalText(now));
          const theirs = mergeDocuments(was, was, now);
          expect(canonicalText(theirs.document)).toBe(canonicalText(now));
          const both = mergeDocuments(was, now, now);
          expect(canonicalText(both.document)).toBe(canonicalText(now));
          expect([...mine.clashes, ...theirs.clashes, ...both.clashes]).toEqual([]);
        }),
      ));
    it('nothing that one side wrote is gone without being named as a clash', () =>
      fc.assert(
        fc.property(documents, documents, documents, (was, mine, theirs) => {
          const { document, clashes } = mergeDocuments(was, mine, theirs);
          const line = (d: MappingDocument, id: string): string | undefined => {
            const found = lineOf(d, id);
            return found && JSON.stringify(Object.entries(found).sort());
          };
          const clashed = new Set(clashes.map((c) => c.line));
          for (const id of new Set([...mine.lines, ...theirs.lines].map((l) => l.id))) {
            const [before, ours, other, merged] = [was, mine, theirs, document].map((d) => line(d, id));
            if (ours === other) expect(merged).toBe(ours);
            else if (ours === before) expect(merged).toBe(other);
            else if (other === before) expect(merged).toBe(ours);
            else if (!clashed.has(id))
              expect(hasBoth(...[was, mine, theirs, document].map((d) => lineOf(d, id)))).toBe(true);
          }
          // It stays a document, and each side may ask for its own.
          expect(() => parseDocument(JSON.parse(canonicalText(document)))).not.toThrow();
          const kept = mergeDocuments(was, mine, theirs, () => true);
          expect(kept.clashes).toEqual(clashes);
          for (const { line: id } of clashes) {
            if (id === null) continue;
            const [ours, now] = [lineOf(mine, id), lineOf(kept.document, id)];
            expect(now === undefined).toBe(ours === undefined);
            const changed = ours && membersOf(ours).filter((m) => !sameMember(lineOf(was, id), ours, m));
            expect(changed?.filter((m) => !sameMember(now, ours, m)) ?? []).toEqual([]);
          }
        }),
      ));
    it('who is called mine and who theirs makes no difference but for the choice', () =>
      fc.assert(
        fc.property(documents, documents, documents, (was, one, other) => {
          const ahead = mergeDocuments(was, one, other).clashes;
          const back = mergeDocuments(was, other, one).clashes;
          const named = (clashes: typeof ahead): string[] => clashes.map((c) => `${c.line} ${c.what}`).sort();
          expect(named(back)).toHaveLength(ahead.length);
          const parts = (texts: readonly string[]): string[] => texts.flatMap((t) => t.split(' · ')).sort();
          expect(parts(ahead.map((c) => c.mine))).toEqual(parts(back.map((c) => c.theirs)));
        }),
      ));
  });
});
