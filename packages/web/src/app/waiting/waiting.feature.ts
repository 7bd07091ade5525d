import type { ChangedWaiting, ChangeWaiting, WaitingForSystem, WaitingQuery, WaitingRecord } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { failed, fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

/** What is asked for, as it stands in the address. */
export type Asked = Omit<WaitingQuery, 'after' | 'limit'>;

export const waitingActions = createActionGroup({
  source: 'Waiting',
  events: {
    opened: props<{ system: string; asked: Asked }>(),
    /** Something was sent, or came. */
    moved: emptyProps(),
    'waiting loaded': props<{ waiting: WaitingForSystem }>(),
    'waiting failed': props<{ problem: string }>(),
    'records loaded': props<{ records: WaitingRecord[]; more: boolean }>(),
    'records failed': props<{ problem: string }>(),
    'more asked': emptyProps(),
    'more loaded': props<{ records: WaitingRecord[]; more: boolean }>(),
    change: props<{ change: ChangeWaiting }>(),
    changed: props<{ act: ChangeWaiting['act']; changed: ChangedWaiting }>(),
    'change failed': props<{ problem: string }>(),
    left: emptyProps(),
  },
});

export interface WaitingState {
  /** The system whose page is open. */
  readonly system: string | null;
  readonly asked: Asked;
  readonly waiting: Loadable<WaitingForSystem>;
  readonly records: Loadable<WaitingRecord[]>;
  readonly more: boolean;
  readonly busy: boolean;
  readonly problem: string | null;
}
export const initialWaiting: WaitingState = {
  system: null,
  asked: {},
  waiting: idle(),
  records: idle(),
  more: false,
  busy: false,
  problem: null,
};
export const PAGE = 200;

export const waitingFeature = createFeature({
  name: 'outbox',
  reducer: createReducer(
    initialWaiting,
    on(waitingActions.opened, (s, { system, asked }): WaitingState => ({
      ...s,
      system,
      asked,
      waiting: system === s.system ? loading(s.waiting) : idle(),
      records: loading(system === s.system ? s.records : idle()),
    })),
    ...fetched<WaitingState, 'waiting'>('waiting', {
      came: waitingActions.waitingLoaded,
      failed: waitingActions.waitingFailed,
    }),
    on(waitingActions.recordsLoaded, (s, { records, more }): WaitingState => ({
      ...s,
      records: loaded(records),
      more,
    })),
    on(waitingActions.recordsFailed, (s, { problem }): WaitingState => ({ ...s, records: failed(problem, s.records) })),
    on(waitingActions.moreLoaded, (s, { records, more }): WaitingState => ({
      ...s,
      records: loaded([...(s.records.value ?? []), ...records]),
      more,
    })),
    on(waitingActions.change, (s): WaitingState => ({ ...s, busy: true, problem: null })),
    on(waitingActions.changed, (s): WaitingState => ({ ...s, busy: false })),
    on(waitingActions.changeFailed, (s, { problem }): WaitingState => ({ ...s, busy: false, problem })),
    on(waitingActions.left, (): WaitingState => initialWaiting),
  ),
});
