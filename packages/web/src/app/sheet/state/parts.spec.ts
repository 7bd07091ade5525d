import type { MappingDetail, SampleRow } from '@versicle/contract';
import { parseDocument, type MappingDocument } from '@versicle/core';
import { sheetActions as a, type Samples } from '../sheet.actions';
import { sheetFeature, type SheetState } from '../sheet.feature';
import { sampleRows } from './samples';

const document = parseDocument({
  versicle: 1,
  name: 'Trips',
  source: { primary: { alias: 't', dataset: 'files/trips.csv' } },
  target: { dataset: 'store/trip', key: ['no'], fields: [{ name: 'no', type: 'text' }] },
  lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 't.no' }],
  examples: [
    { id: 'e1', source: { 't.no': '7' }, expect: { outcome: 'written' } },
    { id: 'e2', source: { 't.no': '8' }, expect: { outcome: 'written' } },
  ],
});
const detail = { id: 'trips', document, version: 3, revision: 1, changedLines: ['l1'], failures: [] } as unknown as MappingDetail; // prettier-ignore
const row = (n: number, no: string): SampleRow => ({ row: n, file: 'trips.csv', values: [no], problem: null });
const samples: Samples = {
  fields: ['no'],
  rows: [row(1, '1'), row(2, '2'), row(3, '3')],
  marks: null as never,
  keyMaps: new Map() as never,
  variables: {},
  composed: null,
  key: 'k',
  failed: null,
};
const reduce = (state: SheetState | undefined, ...actions: Parameters<typeof sheetFeature.reducer>[1][]): SheetState =>
  actions.reduce((s, action) => sheetFeature.reducer(s, action), state as SheetState);
const opened = (): SheetState =>
  reduce(
    undefined,
    a.opened({ id: 'trips', record: 9, line: 'l1' }),
    a.loaded({ detail }),
    a.samplesLoaded({ samples }),
  );

describe('the parts of the sheet’s state', () => {
  it('begin anew with each sheet, and end with it', () => {
    const s = reduce(opened(), a.suggestionsAsked(), a.publishAsked(), a.trying(), a.sampleChosen({ index: 2 }));
    expect([s.record, s.open, s.suggestions?.state, s.publishing?.busy, s.trouble?.isProblem, s.sample]).toEqual([9, 'l1', 'loading', false, false, 2]); // prettier-ignore
    const next = reduce(s, a.opened({ id: 'bikes', record: null, line: null }));
    expect([next.id, next.document, next.suggestions, next.publishing, next.trouble, next.sample, next.detail.state]).toEqual(['bikes', null, null, null, null, 0, 'loading']); // prettier-ignore
    const left = reduce(s, a.left());
    expect([left.id, left.samples.state, left.past]).toEqual(['', 'idle', []]);
  });
  it('are left as they are, the whole state with them, by what is none of theirs', () => {
    const s = opened();
    expect(reduce(s, { type: 'something else' } as never)).toBe(s);
    expect(reduce(s, a.samplesLoaded({ samples })).past).toBe(s.past);
  });

  it('samples: are those of the source, of failed records or of the examples; the next one ends at the last', () => {
    const s = opened();
    const at = (state: SheetState) => sampleRows(state)[state.sample]?.values[0];
    expect(at(reduce(s, a.sampleChosen({ index: 9 })))).toBe('3');
    const examples = reduce(s, a.sampleSetChosen({ from: 'examples', index: 1 }));
    expect([sampleRows(examples).length, at(examples)]).toEqual([2, '8']);
    const asked = reduce(s, a.sampleSetChosen({ from: 'failed', index: 0 }));
    expect([asked.failedSamples.state, sampleRows(asked)]).toEqual(['loading', []]);
    expect(reduce(asked, a.sampleChosen({ index: 1 })).sample).toBe(0);
    expect(at(reduce(asked, a.failedSamplesLoaded({ rows: [row(17, 'bad')] })))).toBe('bad');
    expect(reduce(asked, a.failedSamplesFailed({ problem: 'away' })).failedSamples.problem).toBe('away');
  });
  it('samples: one that is given stands first, by the names of its fields, and once', () => {
    const given = { row: 2, file: 'trips.csv', values: ['x', '2b'], problem: null };
    const s = reduce(opened(), a.sampleSetChosen({ from: 'examples', index: 1 }), a.recordGiven({ fields: ['other', 'no'], record: given })); // prettier-ignore
    expect([s.sampleSet, s.sample]).toEqual(['source', 0]);
    expect(sampleRows(s).map((r) => r.values[0])).toEqual(['2b', '1', '3']);
    const none = reduce(undefined, a.opened({ id: 'trips', record: null, line: null }));
    expect(reduce(none, a.recordGiven({ fields: ['no'], record: given })).samples).toBe(none.samples);
  });
  it('samples: the last ones stay while others are on their way, or can’t be had', () => {
    const late = reduce(opened(), a.samplesOutdated());
    expect([late.samples.state, sampleRows(late).length]).toEqual(['loading', 3]);
    const failed = reduce(late, a.samplesFailed({ problem: 'The file is gone.' }));
    expect([failed.samples.state, failed.samples.problem, sampleRows(failed).length]).toEqual(['failed', 'The file is gone.', 3]); // prettier-ignore
  });

  it('trial: old results go with a fault, and are said to be late meanwhile', () => {
    const answer = { results: [] } as never;
    const tried = reduce(opened(), a.tried({ answer }));
    expect([tried.trial, tried.trouble]).toEqual([answer, null]);
    const late = reduce(tried, a.trying());
    expect([late.trial, late.trouble?.isProblem]).toEqual([answer, false]);
    const broken = reduce(late, a.tryFailed({ problem: 'The worker ended.' }));
    expect([broken.trial, broken.trouble]).toEqual([null, { words: 'The worker ended.', isProblem: true }]);
  });

  it('publishing: goes from the question to the revision, which the mapping has then', () => {
    const asked = reduce(
      opened(),
      a.publishAsked(),
      a.differenceLoaded({ difference: { lines: [], other: [] } as never }),
    );
    expect(asked.publishing).toMatchObject({ difference: { state: 'loaded' }, busy: false, done: null });
    const under = reduce(asked, a.publish({ note: '' }));
    expect(under.publishing).toMatchObject({ busy: true });
    const refused = reduce(under, a.publishFailed({ problem: 'no', faults: [{ path: 'lines[0]', message: 'm' }] }));
    expect(refused.publishing).toMatchObject({
      busy: false,
      problem: 'no',
      faults: [{ path: 'lines[0]', message: 'm' }],
    });
    expect(reduce(refused, a.publish({ note: '' })).publishing).toMatchObject({ problem: null, faults: [] });
    const revision = { number: 2, publishedAt: 'now', publishedBy: 'Ines' } as never;
    const done = reduce(under, a.published({ revision }));
    expect([done.changedLines, done.detail.value?.revision, done.publishing?.done]).toEqual([[], 2, revision]);
    // What stands here is another document from the next edit on.
    const edited: MappingDocument = { ...done.document!, name: 'Others' };
    expect(reduce(done, a.edited({ document: edited, merge: null })).publishing).toBeNull();
    expect(reduce(asked, a.edited({ document: edited, merge: null })).publishing).toBe(asked.publishing);
    expect(reduce(asked, a.publishGivenUp()).publishing).toBeNull();
    // Given up meanwhile, it stays so.
    expect(reduce(under, a.publishGivenUp(), a.publishFailed({ problem: 'late', faults: [] })).publishing).toBeNull();
  });

  it('suggestions: are shown while somebody asks for them, whenever they come', () => {
    const asked = reduce(opened(), a.suggestionsAsked());
    const come = reduce(asked, a.suggestionsLoaded({ suggestions: [] }));
    expect([asked.suggestions?.state, come.suggestions?.value]).toEqual(['loading', []]);
    expect(reduce(asked, a.suggestionsFailed({ problem: 'away' })).suggestions?.problem).toBe('away');
    const closed = reduce(asked, a.suggestionsClosed());
    expect(reduce(closed, a.suggestionsLoaded({ suggestions: [] })).suggestions).toBeNull();
    expect(reduce(closed, a.suggestionsFailed({ problem: 'away' })).suggestions).toBeNull();
  });

  it('an opened line ends the step of undo that was being written', () => {
    const write = (name: string): MappingDocument => ({ ...opened().document!, name });
    const s = reduce(opened(), a.edited({ document: write('A'), merge: 'name' }));
    const on = reduce(s, a.edited({ document: write('B'), merge: 'name' }));
    const apart = reduce(s, a.lineOpened({ line: null }), a.edited({ document: write('B'), merge: 'name' }));
    expect([on.past.length, apart.past.length, apart.open]).toEqual([1, 2, null]);
  });
});
