import { createFeature, createReducer, createSelector, on, type Action } from '@ngrx/store';
import type { PresentPerson } from '@versicle/contract';
import { loading } from '../shared/loadable';
import { rowsOf } from './rows';
import { sheetActions } from './sheet.actions';
import { draftReducer, initialDraft, type DraftState } from './state/draft';
import { initialPublishing, publishingReducer, type PublishingState } from './state/publishing';
import { initialSamples, sampleRows, samplesReducer, type SamplesState } from './state/samples';
import { initialSuggestions, suggestionsReducer, type SuggestionsState } from './state/suggestions';
import { initialTrial, trialReducer, type TrialState } from './state/trial';

/** The sheet that is open. */
export interface SheetState extends DraftState, SamplesState, TrialState, PublishingState, SuggestionsState {
  /** The line that is open. */
  readonly open: string | null;
  /** Pages that have this sheet open. */
  readonly people: readonly PresentPerson[];
}
const initial: SheetState = {
  ...initialDraft,
  ...initialSamples,
  ...initialTrial,
  ...initialPublishing,
  ...initialSuggestions,
  open: null,
  people: [],
};
const openReducer = createReducer<SheetState>(
  initial,
  on(sheetActions.opened, (_s, { id, record, line }): SheetState => ({
    ...initial,
    id,
    record,
    open: line,
    detail: loading(initial.detail),
  })),
  on(sheetActions.left, (): SheetState => initial),
  on(sheetActions.lineOpened, (s, { line }): SheetState => ({ ...s, open: line })),
  on(sheetActions.peopleTold, (s, { people }): SheetState => ({ ...s, people })),
);

/** They hear of everything one after the other, and each changes what is its own. */
const PARTS: readonly ((state: SheetState, action: Action) => Partial<SheetState>)[] = [
  draftReducer,
  samplesReducer,
  trialReducer,
  publishingReducer,
  suggestionsReducer,
];
function reducer(before: SheetState | undefined, action: Action): SheetState {
  return PARTS.reduce(
    (s, part) => {
      const changed = part(s, action);
      return changed === s ? s : { ...s, ...changed };
    },
    openReducer(before, action),
  );
}

export const sheetFeature = createFeature({
  name: 'sheet',
  reducer,
  extraSelectors: ({ selectDocument, selectTrial, selectDetail, selectChangedLines, selectSheetState }) => ({
    selectRows: createSelector(
      selectDocument,
      selectTrial,
      selectDetail,
      selectChangedLines,
      (document, trial, detail, changed) =>
        document === null ? [] : rowsOf(document, trial, detail.value?.failures ?? [], changed),
    ),
    selectSampleRows: createSelector(selectSheetState, sampleRows),
    selectSampleRow: createSelector(selectSheetState, (s) => sampleRows(s)[s.sample] ?? null),
  }),
});
