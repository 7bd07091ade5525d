import type { RunDetail, RunSummary } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { failed, fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const compareActions = createActionGroup({
  source: 'Compare',
  events: {
    'run asked': props<{ id: number }>(),
    'run loaded': props<{ run: RunDetail }>(),
    'run failed': props<{ id: number; problem: string }>(),
    /** Runs of the same plan, the newest first. */
    'others asked': props<{ plan: string }>(),
    'others loaded': props<{ others: RunSummary[] }>(),
    'others failed': props<{ problem: string }>(),
    left: emptyProps(),
  },
});

export interface CompareState {
  readonly runs: Readonly<Record<number, Loadable<RunDetail>>>;
  readonly others: Loadable<RunSummary[]>;
}
export const initialCompare: CompareState = { runs: {}, others: idle() };
const of = (s: CompareState, id: number): Loadable<RunDetail> => s.runs[id] ?? idle();
const withRun = (s: CompareState, id: number, run: Loadable<RunDetail>): CompareState => ({
  ...s,
  runs: { ...s.runs, [id]: run },
});

export const compareFeature = createFeature({
  name: 'compare',
  reducer: createReducer(
    initialCompare,
    on(compareActions.runAsked, (s, { id }): CompareState => withRun(s, id, loading(of(s, id)))),
    on(compareActions.runLoaded, (s, { run }): CompareState => withRun(s, run.id, loaded(run))),
    on(compareActions.runFailed, (s, { id, problem }): CompareState => withRun(s, id, failed(problem, of(s, id)))),
    ...fetched<CompareState, 'others'>('others', {
      asked: compareActions.othersAsked,
      came: compareActions.othersLoaded,
      failed: compareActions.othersFailed,
    }),
    on(compareActions.left, (): CompareState => initialCompare),
  ),
});
