import type { CauseGroup, FailedRecord, FailedRecordDetail, Replay, RunSummary, Waive } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { frameActions } from '../frame/frame.feature';
import { failed, fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

/** What is asked for, as it stands in the address. */
export interface Asked {
  readonly state: FailedRecord['state'] | 'any';
  readonly mapping?: string | undefined;
  readonly run?: number | undefined;
  readonly search?: string | undefined;
}
/** One group of the left side. */
export type GroupKey = Pick<CauseGroup, 'mapping' | 'line' | 'cause'>;

export const failuresActions = createActionGroup({
  source: 'Failures',
  events: {
    opened: props<{ asked: Asked }>(),
    'causes loaded': props<{ causes: CauseGroup[] }>(),
    'causes failed': props<{ problem: string }>(),
    'group opened': props<{ group: GroupKey; asked: Asked }>(),
    'records loaded': props<{ records: FailedRecord[] }>(),
    'more asked': emptyProps(),
    'more loaded': props<{ records: FailedRecord[] }>(),
    'records failed': props<{ problem: string }>(),
    'record opened': props<{ id: number }>(),
    'record loaded': props<{ record: FailedRecordDetail }>(),
    'record failed': props<{ problem: string }>(),
    replay: props<{ replay: Replay; count: number }>(),
    waive: props<{ waive: Waive; count: number }>(),
    waived: props<{ records: number }>(),
    'replay started': props<{ run: number }>(),
    'replay failed': props<{ problem: string }>(),
    'replay ended': props<{ run: RunSummary }>(),
    left: emptyProps(),
  },
});

/** A replay that was started on this page; its outcome stays until the page is left. */
export interface ReplayState {
  readonly count: number;
  readonly run: number | null;
  readonly outcome: RunSummary | null;
  readonly problem: string | null;
}

interface FailuresState {
  readonly causes: Loadable<CauseGroup[]>;
  /** The group that is open, and what was asked for with it. */
  readonly open: { readonly group: GroupKey; readonly asked: Asked } | null;
  readonly records: Loadable<FailedRecord[]>;
  /** The group has more records than these. */
  readonly more: boolean;
  readonly record: Loadable<FailedRecordDetail>;
  readonly replay: ReplayState | null;
}
const initial: FailuresState = {
  causes: idle(),
  open: null,
  more: false,
  records: idle(),
  record: idle(),
  replay: null,
};

export const PAGE = 200;

export const failuresFeature = createFeature({
  name: 'failures',
  reducer: createReducer(
    initial,
    on(failuresActions.opened, (s): FailuresState => ({ ...s, causes: loading(s.causes) })),
    on(failuresActions.causesLoaded, (s, { causes }): FailuresState => ({
      ...s,
      causes: loaded(causes),
      ...(causes.length === 0 ? { records: idle<FailedRecord[]>() } : {}),
    })),
    on(failuresActions.causesFailed, (s, { problem }): FailuresState => ({ ...s, causes: failed(problem, s.causes) })),
    ...fetched<FailuresState, 'records'>('records', {
      asked: failuresActions.groupOpened,
      came: failuresActions.recordsLoaded,
      failed: failuresActions.recordsFailed,
    }),
    on(failuresActions.groupOpened, (s, { group, asked }): FailuresState => ({ ...s, open: { group, asked } })),
    on(failuresActions.recordsLoaded, (s, { records }): FailuresState => ({ ...s, more: records.length === PAGE })),
    on(failuresActions.moreLoaded, (s, { records }): FailuresState => ({
      ...s,
      records: loaded([...(s.records.value ?? []), ...records]),
      more: records.length === PAGE,
    })),
    on(failuresActions.recordOpened, (s, { id }): FailuresState => ({
      ...s,
      record: s.record.value?.id === id ? loading(s.record) : idle(),
    })),
    ...fetched<FailuresState, 'record'>('record', {
      came: failuresActions.recordLoaded,
      failed: failuresActions.recordFailed,
    }),
    on(failuresActions.replay, (s, { count }): FailuresState => ({
      ...s,
      replay: { count, run: null, outcome: null, problem: null },
    })),
    on(failuresActions.replayStarted, (s, { run }): FailuresState => ({
      ...s,
      replay: s.replay && { ...s.replay, run },
    })),
    on(failuresActions.replayFailed, (s, { problem }): FailuresState => ({
      ...s,
      replay: s.replay && { ...s.replay, problem },
    })),
    on(failuresActions.replayEnded, (s, { run }): FailuresState => ({
      ...s,
      replay: s.replay && { ...s.replay, outcome: run },
    })),
    on(frameActions.told, (s, { event }): FailuresState =>
      event.type === 'run' && s.replay?.run === event.run.id && event.run.finishedAt !== null
        ? { ...s, replay: { ...s.replay, outcome: event.run } }
        : s,
    ),
    on(failuresActions.left, (s): FailuresState => ({ ...s, replay: null, record: idle(), records: idle() })),
  ),
});
