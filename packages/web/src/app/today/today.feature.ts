import type { Today } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, props } from '@ngrx/store';
import { fetched, idle, type Loadable } from '../shared/loadable';

export const todayActions = createActionGroup({
  source: 'Today',
  events: {
    opened: emptyProps(),
    loaded: props<{ today: Today }>(),
    failed: props<{ problem: string }>(),
    /** Of a message. */
    seen: props<{ id: number }>(),
    'send again': props<{ id: number }>(),
    /** Of new fields of a mapping's source. */
    'fields seen': props<{ mapping: string }>(),
  },
});

interface TodayState {
  readonly today: Loadable<Today>;
}
const initial: TodayState = { today: idle() };

export const todayFeature = createFeature({
  name: 'today',
  reducer: createReducer(
    initial,
    ...fetched<TodayState, 'today'>('today', {
      asked: todayActions.opened,
      came: todayActions.loaded,
      failed: todayActions.failed,
    }),
  ),
});
