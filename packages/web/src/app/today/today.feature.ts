import type { Today } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { failed, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const todayActions = createActionGroup({
  source: 'Today',
  events: { opened: emptyProps(), loaded: props<{ today: Today }>(), failed: props<{ problem: string }>() },
});

interface TodayState {
  readonly today: Loadable<Today>;
}
const initial: TodayState = { today: idle() };

export const todayFeature = createFeature({
  name: 'today',
  reducer: createReducer(
    initial,
    on(todayActions.opened, (s): TodayState => ({ today: loading(s.today) })),
    on(todayActions.loaded, (_s, { today }): TodayState => ({ today: loaded(today) })),
    on(todayActions.failed, (s, { problem }): TodayState => ({ today: failed(problem, s.today) })),
  ),
});
