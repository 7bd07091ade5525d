import * as fc from 'fast-check';
import { changeBetween, parseDocument, withAllLines, writeCell, type MappingDocument } from '@versicle/core';
import type { MappingDetail } from '@versicle/contract';
import { sheetActions as a } from './sheet.actions';
import { sheetFeature, type SheetState } from './sheet.feature';

const start = withAllLines(
  parseDocument({
    versicle: 1,
    name: 'Trips',
    source: { primary: { alias: 't', dataset: 'x/y' } },
    target: {
      dataset: 'a/b',
      fields: ['no', 'km', 'fare', 'day', 'bike', 'mood'].map((name) => ({ name, type: 'text' })),
    },
  }),
);
const detailOf = (document: MappingDocument, version: number): MappingDetail => ({
  id: 'trips',
  document,
  version,
  revision: null,
  publishedAt: null,
  publishedBy: null,
  changedLines: [],
  failures: [],
  openFailures: 0,
  plan: null,
  updatedAt: '',
});
const reduce = (state: SheetState | undefined, action: Parameters<typeof sheetFeature.reducer>[1]): SheetState =>
  sheetFeature.reducer(state, action);
const lineOf = (document: MappingDocument, target: string) => document.lines.find((l) => l.target === target)!;
const note = (document: MappingDocument, target: string, text: string): MappingDocument =>
  writeCell(document, lineOf(document, target).id, 'note', text) as MappingDocument;
const OURS = ['no', 'km', 'fare'] as const;
const THEIRS = ['day', 'bike', 'mood'] as const;

/** What is done: this page writes three lines, others write three and put fields in front, so that nothing clashes. */
const ops = fc.array(
  fc.oneof(
    fc.record({
      do: fc.constant('edit' as const),
      line: fc.constantFrom(...OURS),
      text: fc.constantFrom('', 'a', 'b'),
    }),
    fc.record({
      do: fc.constant('others' as const),
      line: fc.constantFrom(...THEIRS),
      text: fc.constantFrom('x', 'y'),
    }),
    fc.constant({ do: 'field' as const }),
    fc.constant({ do: 'undo' as const }),
    fc.constant({ do: 'redo' as const }),
    fc.constant({ do: 'saved' as const }),
    fc.constant({ do: 'drop' as const }),
  ),
  { maxLength: 30 },
);

describe('steps of undo, kept as what they change', () => {
  it('lead through the same states as whole documents would, also while others save', () => {
    fc.assert(
      fc.property(ops, (list) => {
        let s = reduce(
          reduce(undefined, a.opened({ id: 'trips', record: null, line: null })),
          a.loaded({ detail: detailOf(start, 1) }),
        );
        // The reference: the notes of our three lines, state by state; those of others are never undone.
        const ours = (d: MappingDocument): string => JSON.stringify(OURS.map((target) => lineOf(d, target).note ?? ''));
        let [past, now, future]: [string[], string, string[]] = [[], ours(start), []];
        const theirs = new Map<string, string>();
        let [stored, storedNotes, version] = [start, now, 1];
        for (const op of list) {
          const before = s.document!;
          switch (op.do) {
            case 'edit': {
              const next = note(before, op.line, op.text);
              s = reduce(s, a.edited({ document: next, merge: null }));
              if (ours(next) !== now) [past, now, future] = [[...past, now], ours(next), []];
              break;
            }
            case 'undo':
              s = reduce(s, a.undone());
              if (past.length > 0) [past, now, future] = [past.slice(0, -1), past.at(-1)!, [now, ...future]];
              break;
            case 'redo':
              s = reduce(s, a.redone());
              if (future.length > 0) [past, now, future] = [[...past, now], future[0]!, future.slice(1)];
              break;
            case 'saved':
              version++;
              stored = before;
              storedNotes = now;
              s = reduce(
                s,
                a.saved({ saved: { version, changedLines: [], updatedAt: '' } as never, document: before }),
              );
              break;
            case 'others':
              version++;
              theirs.set(op.line, op.text);
              stored = note(stored, op.line, op.text);
              s = reduce(s, a.othersLoaded({ detail: detailOf(stored, version), arrived: null }));
              past = past.slice(-30);
              break;
            case 'field': {
              version++;
              const field = { name: `f${version}`, type: 'text', nullable: true, required: false };
              const target = { ...stored.target, fields: [field, ...stored.target.fields] };
              stored = withAllLines({ ...stored, target });
              s = reduce(s, a.othersLoaded({ detail: detailOf(stored, version), arrived: null }));
              past = past.slice(-30);
              break;
            }
            case 'drop':
              s = reduce(s, a.editsDropped());
              if (storedNotes !== now) [past, now, future] = [[...past, now], storedNotes, []];
              else future = [];
              break;
          }
          expect(ours(s.document!)).toBe(now);
          for (const [line, text] of theirs) expect(lineOf(s.document!, line).note).toBe(text);
        }
        const undoes = s.past.length > 0;
        while (s.past.length > 0) s = reduce(s, a.undone());
        expect(ours(s.document!)).toBe(past[0] ?? now);
        for (const [line, text] of theirs) expect(lineOf(s.document!, line).note).toBe(text);
        // What says the same as the server has is nothing to save.
        if (undoes && changeBetween(s.stored, s.document) === null) expect(s.document).toBe(s.stored);
      }),
      { numRuns: 150 },
    );
  });

  it('take back what an earlier page left as one step, and then what was edited here', () => {
    let s = reduce(
      reduce(undefined, a.opened({ id: 'trips', record: null, line: null })),
      a.loaded({ detail: detailOf(start, 1) }),
    );
    const mine = note(s.document!, 'no', 'here');
    s = reduce(s, a.edited({ document: mine, merge: null }));
    s = reduce(s, a.saved({ saved: { version: 2, changedLines: [], updatedAt: '' } as never, document: mine }));
    const left = {
      key: 'k',
      base: start,
      document: note(start, 'km', 'left behind'),
      version: 1,
      save: crypto.randomUUID(),
      unheard: [],
      at: 0,
    };
    s = reduce(s, a.leftBehind({ left }));
    const notes = (): (string | undefined)[] => s.document!.lines.slice(0, 2).map((l) => l.note);
    expect(notes()).toEqual(['here', 'left behind']);
    s = reduce(s, a.undone());
    expect(notes()).toEqual(['here', undefined]);
    s = reduce(s, a.undone());
    expect(notes()).toEqual([undefined, undefined]);
    s = reduce(reduce(s, a.redone()), a.redone());
    expect(notes()).toEqual(['here', 'left behind']);
  });
});
