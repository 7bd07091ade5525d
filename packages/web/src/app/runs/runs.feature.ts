import type { RunDetail, RunsAsked, RunSummary } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { frameActions } from '../frame/frame.feature';
import { fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const runsActions = createActionGroup({
  source: 'Runs',
  events: {
    /** `asked`: what the page's address says; left out, the same as before is asked for anew. */
    opened: props<{ asked: RunsAsked | null }>(),
    'more asked': emptyProps(),
    'more loaded': props<{ runs: RunSummary[] }>(),
    loaded: props<{ runs: RunSummary[] }>(),
    failed: props<{ problem: string }>(),
    'run opened': props<{ id: number }>(),
    'run loaded': props<{ run: RunDetail }>(),
    'run failed': props<{ problem: string }>(),
    cancel: props<{ id: number }>(),
    'take up': props<{ id: number }>(),
    pause: props<{ id: number }>(),
    resume: props<{ id: number }>(),
    'replace all': props<{ id: number }>(),
    /** The server did what was asked for with this run. */
    acted: props<{ id: number }>(),
    'act failed': props<{ problem: string }>(),
  },
});

interface RunsState {
  readonly asked: RunsAsked;
  readonly runs: Loadable<RunSummary[]>;
  /** There are more runs than these. */
  readonly more: boolean;
  readonly run: Loadable<RunDetail>;
  /** The run that a page shows or waits for. */
  readonly openRun: number | null;
  readonly problem: string | null;
}
const initial: RunsState = { asked: {}, more: false, runs: idle(), run: idle(), openRun: null, problem: null };

export const PAGE = 100;
/** What is asked for anew brings at least the rows that stood there. */
export const atOnce = (s: Pick<RunsState, 'runs'>): number =>
  Math.min(500, Math.max(PAGE, Math.ceil((s.runs.value?.length ?? 0) / PAGE) * PAGE));
/** The list as it comes, the newest first. */
export const plainly = (asked: RunsAsked): boolean => Object.values(asked).every((value) => value === undefined);

export const runsFeature = createFeature({
  name: 'runs',
  reducer: createReducer(
    initial,
    ...fetched<RunsState, 'runs'>('runs', {
      asked: runsActions.opened,
      came: runsActions.loaded,
      failed: runsActions.failed,
    }),
    on(runsActions.opened, (s, { asked }): RunsState => (asked === null ? s : { ...s, asked })),
    on(runsActions.loaded, (s, { runs }): RunsState => ({ ...s, more: runs.length === atOnce(s) })),
    on(runsActions.moreLoaded, (s, { runs }): RunsState => ({
      ...s,
      // A run that moved meanwhile may come once more.
      runs: loaded([...(s.runs.value ?? []), ...runs.filter((r) => !s.runs.value?.some((known) => known.id === r.id))]),
      more: runs.length === PAGE,
    })),
    on(runsActions.runOpened, (s, { id }): RunsState => ({
      ...s,
      openRun: id,
      run: s.run.value?.id === id ? loading(s.run) : idle(),
      problem: null,
    })),
    ...fetched<RunsState, 'run'>('run', { came: runsActions.runLoaded, failed: runsActions.runFailed }),
    on(runsActions.actFailed, (s, { problem }): RunsState => ({ ...s, problem })),
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
                  : // Whether, and where, any other belongs to what is asked for, the server knows.
                    plainly(s.asked) && run.parent === null && run.id > (runs[0]?.id ?? 0)
                    ? [run, ...runs]
                    : runs,
              },
        run: s.run.value?.id === run.id ? { ...s.run, value: { ...s.run.value, ...run } } : s.run,
      };
    }),
  ),
});
