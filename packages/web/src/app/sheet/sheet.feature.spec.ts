import { parseDocument, writeCell, type MappingDocument } from '@versicle/core';
import type { MappingDetail } from '@versicle/contract';
import { sheetActions as a } from './sheet.actions';
import { sheetFeature, type SheetState } from './sheet.feature';

const document = parseDocument({
  versicle: 1,
  name: 'Trips',
  source: { primary: { alias: 't', dataset: 'x/y' } },
  target: {
    dataset: 'a/b',
    fields: [
      { name: 'no', type: 'text' },
      { name: 'km', type: 'numeric' },
    ],
  },
  lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 't.no' }],
});
const detail: MappingDetail = {
  id: 'trips',
  document,
  version: 3,
  revision: 1,
  publishedAt: null,
  publishedBy: null,
  changedLines: [],
  failures: [{ line: 'l1', open: 4 }],
  openFailures: 4,
  plan: null,
  updatedAt: '',
};
const reduce = (state: SheetState | undefined, ...actions: Parameters<typeof sheetFeature.reducer>[1][]): SheetState =>
  actions.reduce((s, action) => sheetFeature.reducer(s, action), state as SheetState);
const opened = (): SheetState =>
  reduce(undefined, a.opened({ id: 'trips', record: null, line: null }), a.loaded({ detail }));
const write = (doc: MappingDocument, text: string): MappingDocument =>
  writeCell(doc, 'l1', 'how', text) as MappingDocument;

describe('the sheet’s state', () => {
  it('gives every field a line, without counting that as an edit', () => {
    const s = opened();
    expect(s.document!.lines.map((l) => l.target)).toEqual(['no', 'km']);
    expect([s.saving, s.past.length]).toEqual(['saved', 0]);
  });
  it('undoes and redoes, and takes edits of one thing as one step', () => {
    const s = opened();
    const first = write(s.document!, 'upper(t.no)');
    const second = write(first, 'upper(t.no) || 1');
    const edited = reduce(
      s,
      a.edited({ document: first, merge: 'l1 rule' }),
      a.edited({ document: second, merge: 'l1 rule' }),
    );
    expect([edited.past.length, edited.saving]).toEqual([1, 'waiting']);
    const undone = reduce(edited, a.undone());
    expect(undone.document).toBe(s.document);
    expect(reduce(undone, a.redone()).document).toEqual(second);
    expect(reduce(undone, a.undone())).toEqual(undone);
    const other = write(s.document!, 'lower(t.no)');
    expect(reduce(undone, a.edited({ document: other, merge: null })).future).toEqual([]);
  });
  it('stays unsaved when it was edited while it was being saved, and stops saving on a clash', () => {
    const s = opened();
    const first = write(s.document!, 'upper(t.no)');
    const second = write(first, 'lower(t.no)');
    const saved = { version: 4, changedLines: ['l1'], updatedAt: '' };
    const state = reduce(
      s,
      a.edited({ document: first, merge: null }),
      a.edited({ document: second, merge: null }),
      a.saved({ saved, document: first }),
    );
    expect([state.saving, state.version]).toEqual(['waiting', 4]);
    expect(reduce(state, a.saved({ saved: { ...saved, version: 5 }, document: second })).saving).toBe('saved');
    const clash = reduce(
      state,
      a.saveFailed({ problem: 'changed', conflict: true }),
      a.edited({ document: first, merge: null }),
    );
    expect(clash.saving).toBe('conflict');
  });
  it('steps the sample within its bounds', () => {
    const rows = [1, 2, 3].map((row) => ({ row, file: null, values: [String(row)], problem: null }));
    const s = reduce(
      opened(),
      a.samplesLoaded({
        samples: {
          fields: ['no'],
          rows,
          failed: null,
          marks: null,
          composed: null,
          key: '',
          keyMaps: new Map(),
          variables: {},
        },
      }),
    );
    expect([-1, 1, 9].map((index) => reduce(s, a.sampleChosen({ index })).sample)).toEqual([0, 1, 2]);
  });
  it('shows rows with their failures and what changed', () => {
    const state = { ...opened(), changedLines: ['l1'] };
    const [row] = sheetFeature.selectRows.projector(state.document, null, state.detail, state.changedLines);
    expect(row).toMatchObject({
      number: 1,
      source: 't.no',
      kind: 'straight',
      failures: 4,
      changed: true,
      cells: { how: 'straight', source: 't.no' },
    });
  });

  it('brings back what an earlier page left: beside what others saved, or it asks; until then nothing newer is overwritten', () => {
    const base = opened().document!;
    const left = { key: 'k', base, document: write(base, 'upper(t.no)'), version: 3, save: '', unheard: [], at: 0 };
    const back = reduce(opened(), a.leftBehind({ left }));
    expect([back.saving, back.bringing, back.document!.lines[0]!.rule]).toEqual(['waiting', 'k', 'upper(t.no)']);
    const theirs = { ...detail, version: 9, document: write(document, 't.km') };
    const asks = reduce(opened(), a.loaded({ detail: theirs }), a.leftBehind({ left }));
    expect(asks.clash!.clashes.map((c) => c.what)).toEqual(['no']);
    expect([asks.saving, asks.version]).toEqual(['conflict', 3]);
    const kept = reduce(asks, a.clashSettled({ mine: [] }));
    expect([kept.saving, kept.version, kept.document!.lines[0]!.rule]).toEqual(['saved', 9, 't.km']);
    expect(reduce(kept, a.leftSettled()).bringing).toBeNull();
  });

  it('saves once more when an older save is refused after both sides were brought together', () => {
    const theirs = { ...detail, version: 4, document: write(document, 't.km') };
    const mine = reduce(opened(), a.edited({ document: write(opened().document!, 'upper(t.no)'), merge: null }));
    const asked = reduce(mine, a.othersLoaded({ detail: theirs, arrived: null }));
    expect(asked.clash!.clashes.map((c) => c.what)).toEqual(['no']);
    const settled = reduce(asked, a.clashSettled({ mine: ['no'] }));
    expect([settled.saving, settled.version]).toEqual(['waiting', 4]);
    const late = reduce(
      settled,
      a.saveFailed({ problem: 'changed', conflict: true }),
      a.othersLoaded({ detail: theirs, arrived: null }),
    );
    expect(late.saving).toBe('waiting');
    expect(late.document!.lines[0]!.rule).toBe('upper(t.no)');
  });
});
