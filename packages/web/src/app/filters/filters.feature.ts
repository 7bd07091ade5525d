import type { Counted, KeptFilter } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, on, props } from '@ngrx/store';
import { failed, fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const filtersActions = createActionGroup({
  source: 'Filters',
  events: {
    /** A dataset is shown, with the rows that meet a condition; the empty one is met by all. */
    opened: props<{ id: string; dataset: string; condition: string }>(),
    loaded: props<{ kept: KeptFilter[] }>(),
    failed: props<{ problem: string }>(),
    counted: props<{ count: Counted }>(),
    'count failed': props<{ problem: string }>(),
    keep: props<{ id: string; dataset: string; name: string; condition: string }>(),
    forget: props<{ id: string; dataset: string; filter: number }>(),
    forgotten: props<{ filter: number }>(),
    'act failed': props<{ problem: string }>(),
  },
});

interface FiltersState {
  readonly of: string;
  readonly kept: Loadable<KeptFilter[]>;
  /** How many of all records meet the condition shown; idle where there is none. */
  readonly count: Loadable<Counted>;
  readonly problem: string | null;
}
const initial: FiltersState = { of: '', kept: idle(), count: idle(), problem: null };

export const filtersFeature = createFeature({
  name: 'filters',
  reducer: createReducer(
    initial,
    on(filtersActions.opened, (s, { id, dataset, condition }): FiltersState => {
      const of = `${id}/${dataset}`;
      return {
        of,
        kept: s.of === of ? s.kept : idle(),
        count: condition === '' ? idle() : loading(idle()),
        problem: null,
      };
    }),
    ...fetched<FiltersState, 'kept'>('kept', { came: filtersActions.loaded, failed: filtersActions.failed }),
    on(filtersActions.counted, (s, { count }): FiltersState => ({ ...s, count: loaded(count) })),
    // Why a condition can't be used stands where its rows would be.
    on(filtersActions.countFailed, (s, { problem }): FiltersState => ({ ...s, count: failed(problem, idle()) })),
    on(filtersActions.keep, filtersActions.forget, (s): FiltersState => ({ ...s, problem: null })),
    on(filtersActions.forgotten, (s, { filter }): FiltersState => ({
      ...s,
      kept: loaded((s.kept.value ?? []).filter((k) => k.id !== filter)),
    })),
    on(filtersActions.actFailed, (s, { problem }): FiltersState => ({ ...s, problem })),
  ),
});
