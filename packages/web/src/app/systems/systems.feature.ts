import type {
  ChangedSystem,
  Dataset,
  DatasetDetail,
  DatasetSetting,
  Kind,
  LearnedStructure,
  LookSchedule,
  NewSystem,
  Rows,
  System,
} from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { failed, fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const systemsActions = createActionGroup({
  source: 'Systems',
  events: {
    opened: emptyProps(),
    loaded: props<{ systems: System[] }>(),
    failed: props<{ problem: string }>(),
    'kinds loaded': props<{ kinds: Kind[] }>(),
    create: props<{ system: NewSystem }>(),
    /** `madeSecret`: a webhook's secret, which is shown this once. */
    created: props<{ system: System & { madeSecret?: string | undefined } }>(),
    'create failed': props<{ problem: string }>(),
    change: props<{ id: string; changed: ChangedSystem }>(),
    changed: props<{ system: System }>(),
    'schedule look': props<{ id: string; schedule: LookSchedule | null }>(),
    /** `origin`: where the other side leads back to. */
    'sign in': props<{ id: string; origin: string }>(),
    'sign in begun': props<{ url: string }>(),
    test: props<{ id: string }>(),
    remove: props<{ id: string }>(),
    removed: emptyProps(),
    'act failed': props<{ problem: string }>(),
    'datasets opened': props<{ id: string }>(),
    'datasets loaded': props<{ datasets: Dataset[] }>(),
    'datasets failed': props<{ problem: string }>(),
    'dataset opened': props<{ id: string; name: string; filter: string; sort: string; limit: number }>(),
    /** Only the rows, anew: the structure is known already. */
    'rows asked': props<{ id: string; name: string; filter: string; sort: string; limit: number }>(),
    settle: props<{ id: string; dataset: string; setting: DatasetSetting }>(),
    unsettle: props<{ id: string; dataset: string }>(),
    settled: props<{ id: string; detail: DatasetDetail }>(),
    unsettled: props<{ id: string; dataset: string }>(),
    /** From all of its records, not from the first ones. */
    learn: props<{ id: string; dataset: string }>(),
    learned: props<{ id: string; learned: LearnedStructure }>(),
    /** The page shows another one, or is left: what goes on with it is not waited for. */
    'dataset left': emptyProps(),
    'settle failed': props<{ problem: string }>(),
    /** Only the structure, anew. */
    'structure asked': props<{ id: string; name: string }>(),
    'structure loaded': props<{ detail: DatasetDetail }>(),
    'structure failed': props<{ problem: string }>(),
    'rows loaded': props<{ rows: Rows }>(),
    'rows failed': props<{ problem: string }>(),
  },
});

/** How a dataset is being settled; `learned`: what was learned of it last. */
export interface Settling {
  readonly busy: false | 'reading' | 'learning';
  readonly problem: string | null;
  readonly learned: Omit<LearnedStructure, 'detail'> | null;
}
const SETTLED: Settling = { busy: false, problem: null, learned: null };
interface SystemsState {
  readonly systems: Loadable<System[]>;
  /** The kinds of system that there are; empty until they are known. */
  readonly kinds: readonly Kind[];
  readonly datasets: Loadable<Dataset[]>;
  readonly structure: Loadable<DatasetDetail>;
  readonly rows: Loadable<Rows>;
  /** Which dataset structure and rows belong to. */
  readonly shown: string;
  readonly testing: string | null;
  readonly problem: string | null;
  /** What is wrong with the last choice of how a dataset is read; the choice before still holds. */
  readonly settling: Settling;
  readonly madeSecret: { readonly id: string; readonly secret: string } | null;
}
const initial: SystemsState = {
  systems: idle(),
  kinds: [],
  datasets: idle(),
  structure: idle(),
  rows: idle(),
  shown: '',
  testing: null,
  problem: null,
  settling: SETTLED,
  madeSecret: null,
};

export const systemsFeature = createFeature({
  name: 'systems',
  reducer: createReducer(
    initial,
    on(systemsActions.opened, (s): SystemsState => ({ ...s, systems: loading(s.systems), problem: null })),
    on(systemsActions.loaded, (s, { systems }): SystemsState => ({ ...s, systems: loaded(systems), testing: null })),
    on(systemsActions.kindsLoaded, (s, { kinds }): SystemsState => ({ ...s, kinds })),
    on(systemsActions.failed, (s, { problem }): SystemsState => ({
      ...s,
      systems: failed(problem, s.systems),
      testing: null,
    })),
    on(
      systemsActions.create,
      systemsActions.remove,
      systemsActions.change,
      systemsActions.scheduleLook,
      (s): SystemsState => ({
        ...s,
        problem: null,
      }),
    ),
    on(systemsActions.createFailed, systemsActions.actFailed, (s, { problem }): SystemsState => ({
      ...s,
      problem,
      testing: null,
    })),
    on(systemsActions.created, (s, { system }): SystemsState => ({
      ...s,
      madeSecret: system.madeSecret === undefined ? null : { id: system.id, secret: system.madeSecret },
    })),
    on(systemsActions.changed, (s, { system }): SystemsState => ({
      ...s,
      systems: loaded((s.systems.value ?? []).map((one) => (one.id === system.id ? system : one))),
    })),
    on(systemsActions.settle, systemsActions.unsettle, (s): SystemsState => ({
      ...s,
      settling: { ...SETTLED, busy: 'reading' },
    })),
    on(systemsActions.settled, (s, { detail }): SystemsState => ({
      ...s,
      structure: loaded(detail),
      settling: SETTLED,
    })),
    on(systemsActions.learn, (s): SystemsState => ({ ...s, settling: { ...SETTLED, busy: 'learning' } })),
    on(systemsActions.learned, (s, { learned: { detail, ...learned } }): SystemsState => ({
      ...s,
      structure: loaded(detail),
      settling: { ...SETTLED, learned },
    })),
    on(systemsActions.unsettled, systemsActions.datasetLeft, (s): SystemsState => ({ ...s, settling: SETTLED })),
    on(systemsActions.settleFailed, (s, { problem }): SystemsState => ({ ...s, settling: { ...SETTLED, problem } })),
    on(systemsActions.test, (s, { id }): SystemsState => ({ ...s, testing: id, problem: null })),
    on(systemsActions.datasetsOpened, (s): SystemsState => ({ ...s, datasets: idle() })),
    ...fetched<SystemsState, 'datasets'>('datasets', {
      came: systemsActions.datasetsLoaded,
      failed: systemsActions.datasetsFailed,
    }),
    on(systemsActions.datasetOpened, (s, { id, name }): SystemsState => {
      const shown = `${id}/${name}`;
      return s.shown === shown
        ? { ...s, rows: loading(s.rows) }
        : { ...s, shown, structure: idle(), rows: idle(), settling: SETTLED };
    }),
    ...fetched<SystemsState, 'rows'>('rows', {
      asked: systemsActions.rowsAsked,
      came: systemsActions.rowsLoaded,
      failed: systemsActions.rowsFailed,
    }),
    on(systemsActions.structureLoaded, (s, { detail }): SystemsState => ({ ...s, structure: loaded(detail) })),
    on(systemsActions.structureFailed, (s, { problem }): SystemsState => ({
      ...s,
      structure: failed(problem, s.structure),
    })),
  ),
});
