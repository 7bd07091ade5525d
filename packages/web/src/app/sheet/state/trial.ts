import { createReducer, on } from '@ngrx/store';
import { sheetActions } from '../sheet.actions';
import type { TrialAnswer } from '../trial-messages';

/** What the lines make of the sample records. */
export interface TrialState {
  readonly trial: TrialAnswer | null;
  /** What is to be said of the results: that they are late, or why there are none. */
  readonly trouble: { readonly words: string; readonly isProblem: boolean } | null;
}
export const initialTrial: TrialState = { trial: null, trouble: null };

export const trialReducer = createReducer<TrialState>(
  initialTrial,
  on(sheetActions.trying, (s): TrialState => ({
    ...s,
    trouble: { words: $localize`The results follow …`, isProblem: false },
  })),
  on(sheetActions.tried, (s, { answer }): TrialState => ({ ...s, trial: answer, trouble: null })),
  // Old results beside a newer document would be taken for its own.
  on(sheetActions.tryFailed, (s, { problem }): TrialState => ({
    ...s,
    trial: null,
    trouble: { words: problem, isProblem: true },
  })),
);
