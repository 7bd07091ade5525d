import type { SampleRow } from '@versicle/contract';
import { exampleValues } from '@versicle/core';
import { createReducer, createSelector, on } from '@ngrx/store';
import { failed, idle, loaded, loading, type Loadable } from '../../shared/loadable';
import { sheetActions, type Samples, type SampleSet } from '../sheet.actions';
import type { DraftState } from './draft';

/** The records on which the lines are tried. */
export interface SamplesState {
  readonly samples: Loadable<Samples>;
  readonly sampleSet: SampleSet;
  /** Source records of failed records, once they were asked for. */
  readonly failedSamples: Loadable<readonly SampleRow[]>;
  /** Index within the set. */
  readonly sample: number;
  readonly record: number | null;
}
export const initialSamples: SamplesState = {
  samples: idle(),
  sampleSet: 'source',
  failedSamples: idle(),
  sample: 0,
  record: null,
};
/** Examples stand in the document. */
type WithDocument = SamplesState & Pick<DraftState, 'document'>;

export const sampleRows = createSelector(
  (s: WithDocument) => s.samples,
  (s: WithDocument) => s.sampleSet,
  (s: WithDocument) => s.failedSamples,
  (s: WithDocument) => s.document?.examples,
  (s: WithDocument) => s.document?.source.primary.alias ?? '',
  (samples, set, failedSamples, examples, primary): readonly SampleRow[] => {
    if (set === 'failed') return failedSamples.value ?? [];
    if (set === 'source') return samples.value?.rows ?? [];
    const fields = samples.value?.fields ?? [];
    return (examples ?? []).map((example, i) => ({
      row: i + 1,
      file: example.file ?? null,
      values: [...exampleValues(example, fields, primary)],
      problem: null,
    }));
  },
);

export const samplesReducer = createReducer<WithDocument>(
  { ...initialSamples, document: null },
  on(sheetActions.samplesLoaded, (s, { samples }): WithDocument => ({ ...s, samples: loaded(samples), sample: 0 })),
  on(sheetActions.samplesOutdated, (s): WithDocument => ({ ...s, samples: loading(s.samples) })),
  on(sheetActions.samplesFailed, (s, { problem }): WithDocument => ({ ...s, samples: failed(problem, s.samples) })),
  on(sheetActions.sampleChosen, (s, { index }): WithDocument => {
    const count = sampleRows(s).length;
    return count === 0 ? s : { ...s, sample: Math.min(count - 1, Math.max(0, index)) };
  }),
  on(sheetActions.sampleSetChosen, (s, { from, index }): WithDocument => ({
    ...s,
    sampleSet: from,
    sample: index,
    failedSamples: from === 'failed' ? loading(s.failedSamples) : s.failedSamples,
  })),
  on(sheetActions.failedSamplesLoaded, (s, { rows }): WithDocument => ({ ...s, failedSamples: loaded(rows) })),
  on(sheetActions.failedSamplesFailed, (s, { problem }): WithDocument => ({
    ...s,
    failedSamples: failed(problem, s.failedSamples),
  })),
  on(sheetActions.recordGiven, (s, { fields, record: given }): WithDocument => {
    const { value } = s.samples;
    if (value === null) return s;
    const values = value.fields.map((f) => given.values[fields.indexOf(f)] ?? null);
    const record = { ...given, values };
    const same = (r: SampleRow): boolean => r.row === record.row && r.file === record.file;
    const rows = [record, ...value.rows.filter((r) => !same(r))];
    return { ...s, samples: loaded({ ...value, rows, failed: null }), sampleSet: 'source', sample: 0 };
  }),
);
