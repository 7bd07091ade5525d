import type { Knowledge } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, on, props } from '@ngrx/store';
import { fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

interface Of {
  readonly id: string;
  readonly dataset: string;
}
export const profilesActions = createActionGroup({
  source: 'Profiles',
  events: {
    opened: props<Of>(),
    loaded: props<{ knowledge: Knowledge }>(),
    failed: props<{ problem: string }>(),
    ask: props<Of & { rowLimit: number | null }>(),
    'add check': props<Of & { rule: string; message: string }>(),
    'remove check': props<Of & { check: number }>(),
    'look over': props<Of & { note: string }>(),
    'act failed': props<{ problem: string }>(),
  },
});

interface ProfilesState {
  readonly of: Of | null;
  readonly knowledge: Loadable<Knowledge>;
  readonly problem: string | null;
}
const initial: ProfilesState = { of: null, knowledge: idle(), problem: null };

export const profilesFeature = createFeature({
  name: 'profiles',
  reducer: createReducer(
    initial,
    on(profilesActions.opened, (s, { id, dataset }): ProfilesState => ({
      of: { id, dataset },
      knowledge: s.of?.id === id && s.of.dataset === dataset ? loading(s.knowledge) : idle(),
      problem: null,
    })),
    ...fetched<ProfilesState, 'knowledge'>('knowledge', {
      came: profilesActions.loaded,
      failed: profilesActions.failed,
    }),
    on(profilesActions.ask, (s): ProfilesState => ({
      ...s,
      problem: null,
      knowledge: s.knowledge.value ? loaded({ ...s.knowledge.value, state: 'running' }) : s.knowledge,
    })),
    on(profilesActions.addCheck, profilesActions.removeCheck, profilesActions.lookOver, (s): ProfilesState => ({
      ...s,
      problem: null,
    })),
    on(profilesActions.actFailed, (s, { problem }): ProfilesState => ({ ...s, problem })),
  ),
});
