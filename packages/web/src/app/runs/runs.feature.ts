import type { RunDetail, RunSummary } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { frameActions } from '../frame/frame.feature';
import { failed, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const runsActions = createActionGroup({
  source: 'Runs',
  events: {
    opened: emptyProps(),
    loaded: props<{ runs: RunSummary[] }>(),
    failed: props<{ problem: string }>(),
    'run opened': props<{ id: number }>(),
    'run loaded': props<{ run: RunDetail }>(),
    'run failed': props<{ problem: string }>(),
    cancel: props<{ id: number }>(),
    'take up': props<{ id: number }>(),
    'replace all': props<{ id: number }>(),
    cancelled: emptyProps(),
    'cancel failed': props<{ problem: string }>(),
  },
});

interface RunsState {
  readonly runs: Loadable<RunSummary[]>;
  readonly run: Loadable<RunDetail>;
  /** The run that a page shows or waits for. */
  readonly openRun: number | null;
  readonly problem: string | null;
}
const initial: RunsState = { runs: idle(), run: idle(), openRun: null, problem: null };

export const runsFeature = createFeature({
  name: 'runs',
  reducer: createReducer(
    initial,
    on(runsActions.opened, (s): RunsState => ({ ...s, runs: loading(s.runs) })),
    on(runsActions.loaded, (s, { runs }): RunsState => ({ ...s, runs: loaded(runs) })),
    on(runsActions.failed, (s, { problem }): RunsState => ({ ...s, runs: failed(problem, s.runs) })),
    on(runsActions.runOpened, (s, { id }): RunsState => ({
      ...s,
      openRun: id,
      run: s.run.value?.id === id ? loading(s.run) : idle(),
      problem: null,
    })),
    on(runsActions.runLoaded, (s, { run }): RunsState => ({ ...s, run: loaded(run) })),
    on(runsActions.runFailed, (s, { problem }): RunsState => ({ ...s, run: failed(problem, s.run) })),
    on(runsActions.cancelFailed, (s, { problem }): RunsState => ({ ...s, problem })),
    // Counters move as the server tells; log, samples and causes follow with the next load of the run.
    on(frameActions.told, (s, { event }): RunsState => {
      if (event.type !== 'run') return s;
      const { run } = event;
      const runs = s.runs.value;
      return {
        ...s,
        runs:
          runs === null
            ? s.runs
            : {
                ...s.runs,
                value: runs.some((r) => r.id === run.id)
                  ? runs.map((r) => (r.id === run.id ? run : r))
                  : [run, ...runs],
              },
        run: s.run.value?.id === run.id ? { ...s.run, value: { ...s.run.value, ...run } } : s.run,
      };
    }),
  ),
});
