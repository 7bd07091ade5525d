import type { Counted, KeptFilter } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, on, props } from '@ngrx/store';
import { failed, fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const filtersActions = createActionGroup({
  source: 'Filters',
  events: {
    /** A dataset is shown. */
    opened: props<{ id: string; dataset: string }>(),
    /** How many of its records meet a condition? */
    count: props<{ id: string; dataset: string; condition: string }>(),
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
  /** The condition that was counted last, and how many of all records meet it. */
  readonly countOf: string | null;
  readonly count: Loadable<Counted>;
  readonly problem: string | null;
}
const initial: FiltersState = { of: '', kept: idle(), countOf: null, count: idle(), problem: null };

export const filtersFeature = createFeature({
  name: 'filters',
  reducer: createReducer(
    initial,
    on(filtersActions.opened, (s, { id, dataset }): FiltersState => {
      const of = `${id}/${dataset}`;
      return { of, kept: s.of === of ? s.kept : idle(), countOf: null, count: idle(), problem: null };
    }),
    on(filtersActions.count, (s, { condition }): FiltersState => ({
      ...s,
      countOf: condition,
      count: loading(idle()),
    })),
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
