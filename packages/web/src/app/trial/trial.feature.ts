import type { TrialState } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { fetched, idle, loading, type Loadable } from '../shared/loadable';

export const trialActions = createActionGroup({
  source: 'Trial',
  events: {
    opened: props<{ mapping: string }>(),
    loaded: props<{ trial: TrialState }>(),
    failed: props<{ problem: string }>(),
    start: props<{ rowLimit: number | null }>(),
    cancel: emptyProps(),
    /** Another thing that was asked for could not be done. */
    refused: props<{ problem: string; faults: readonly { path: string; message: string }[] }>(),
  },
});

interface State {
  readonly mapping: string;
  readonly trial: Loadable<TrialState>;
  readonly refused: { readonly problem: string; readonly faults: readonly { path: string; message: string }[] } | null;
}
const initial: State = { mapping: '', trial: idle(), refused: null };

export const trialFeature = createFeature({
  name: 'trial',
  reducer: createReducer(
    initial,
    on(trialActions.opened, (s, { mapping }): State => ({
      mapping,
      trial: s.mapping === mapping ? loading(s.trial) : idle(),
      refused: s.mapping === mapping ? s.refused : null,
    })),
    ...fetched<State, 'trial'>('trial', { came: trialActions.loaded, failed: trialActions.failed }),
    on(trialActions.start, (s): State => ({ ...s, refused: null })),
    on(trialActions.refused, (s, { problem, faults }): State => ({ ...s, refused: { problem, faults } })),
  ),
});
