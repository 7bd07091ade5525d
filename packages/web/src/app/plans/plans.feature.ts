import type { Plan } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { fetched, idle, type Loadable } from '../shared/loadable';

export const plansActions = createActionGroup({
  source: 'Plans',
  events: {
    opened: emptyProps(),
    loaded: props<{ plans: Plan[] }>(),
    failed: props<{ problem: string }>(),
    create: props<{ name: string; mapping: string }>(),
    /** A plan's document, from a file. */
    'read in': props<{ document: unknown }>(),
    /** `start`: it can be started at once. */
    made: props<{ plan: string; start: boolean }>(),
    left: emptyProps(),
    'act failed': props<{ problem: string }>(),
    start: props<{
      id: string;
      rowLimit: number | null;
      all: boolean;
      variables: Readonly<Record<string, string>>;
      variant: string | null;
    }>(),
    started: props<{ run: number }>(),
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
    ...fetched<PlansState, 'plans'>('plans', {
      asked: plansActions.opened,
      came: plansActions.loaded,
      failed: plansActions.failed,
    }),
    on(plansActions.left, (s): PlansState => ({ ...s, problem: null })),
    on(plansActions.create, plansActions.readIn, (s): PlansState => ({ ...s, problem: null })),
    on(plansActions.start, (s, { id }): PlansState => ({ ...s, starting: id, problem: null })),
    on(plansActions.started, (s): PlansState => ({ ...s, starting: null })),
    on(plansActions.actFailed, (s, { problem }): PlansState => ({
      ...s,
      starting: null,
      problem,
    })),
  ),
});
