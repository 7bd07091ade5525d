import type { Plan } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { failed, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const plansActions = createActionGroup({
  source: 'Plans',
  events: {
    opened: emptyProps(),
    loaded: props<{ plans: Plan[] }>(),
    failed: props<{ problem: string }>(),
    create: props<{ name: string; mapping: string }>(),
    'create failed': props<{ problem: string }>(),
    change: props<{ id: string; removesAtMost: number }>(),
    start: props<{ id: string; rowLimit: number | null }>(),
    started: props<{ run: number }>(),
    'start failed': props<{ problem: string }>(),
  },
});

interface PlansState {
  readonly plans: Loadable<Plan[]>;
  readonly starting: string | null;
  readonly problem: string | null;
}
const initial: PlansState = { plans: idle(), starting: null, problem: null };

export const plansFeature = createFeature({
  name: 'plans',
  reducer: createReducer(
    initial,
    on(plansActions.opened, (s): PlansState => ({ ...s, plans: loading(s.plans) })),
    on(plansActions.loaded, (s, { plans }): PlansState => ({ ...s, plans: loaded(plans) })),
    on(plansActions.failed, (s, { problem }): PlansState => ({ ...s, plans: failed(problem, s.plans) })),
    on(plansActions.create, (s): PlansState => ({ ...s, problem: null })),
    on(plansActions.start, (s, { id }): PlansState => ({ ...s, starting: id, problem: null })),
    on(plansActions.started, (s): PlansState => ({ ...s, starting: null })),
    on(plansActions.startFailed, plansActions.createFailed, (s, { problem }): PlansState => ({
      ...s,
      starting: null,
      problem,
    })),
  ),
});
