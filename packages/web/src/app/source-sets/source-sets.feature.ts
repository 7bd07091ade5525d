import type { DatasetDetail, JoinFigures, KeyProposal } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { failed, idle, loaded, loading, type Loadable } from '../shared/loadable';

export const sourceSetActions = createActionGroup({
  source: 'Source set',
  events: {
    opened: props<{ mapping: string; datasets: readonly string[] }>(),
    'datasets loaded': props<{ datasets: readonly string[] }>(),
    'datasets failed': props<{ problem: string }>(),
    /** A further dataset was chosen, to be joined or to stand below. */
    chosen: props<{ dataset: string }>(),
    'choice loaded': props<{ choice: Choice }>(),
    'choice failed': props<{ problem: string }>(),
    'choice dropped': emptyProps(),
    'members loaded': props<{ members: Readonly<Record<string, readonly string[]>> }>(),
    count: emptyProps(),
    counted: props<{ figures: readonly JoinFigures[]; key: string }>(),
    'count failed': props<{ problem: string }>(),
  },
});

/** A dataset that could come into the set, and by which fields. */
export interface Choice {
  readonly dataset: string;
  readonly detail: DatasetDetail;
  readonly keys: readonly KeyProposal[];
}
interface State {
  readonly mapping: string;
  /** All datasets that could come in, as system/dataset. */
  readonly datasets: Loadable<readonly string[]>;
  readonly chosen: string | null;
  readonly choice: Loadable<Choice>;
  /** Field names of the datasets of the set. */
  readonly members: Readonly<Record<string, readonly string[]>>;
  readonly figures: Loadable<readonly JoinFigures[]>;
  /** The source set that was counted. */
  readonly countedKey: string | null;
}
const initial: State = {
  mapping: '',
  datasets: idle(),
  chosen: null,
  choice: idle(),
  members: {},
  figures: idle(),
  countedKey: null,
};

export const sourceSetsFeature = createFeature({
  name: 'sourceSets',
  reducer: createReducer(
    initial,
    on(sourceSetActions.opened, (s, { mapping }): State => ({
      ...(s.mapping === mapping ? s : { ...initial, datasets: s.datasets }),
      mapping,
    })),
    on(sourceSetActions.datasetsLoaded, (s, { datasets }): State => ({ ...s, datasets: loaded(datasets) })),
    on(sourceSetActions.datasetsFailed, (s, { problem }): State => ({ ...s, datasets: failed(problem, s.datasets) })),
    on(sourceSetActions.chosen, (s, { dataset }): State => ({
      ...s,
      chosen: dataset,
      choice: { state: 'loading', value: null, problem: null },
    })),
    on(sourceSetActions.choiceLoaded, (s, { choice }): State => ({ ...s, choice: loaded(choice) })),
    on(sourceSetActions.choiceFailed, (s, { problem }): State => ({ ...s, choice: failed(problem, s.choice) })),
    on(sourceSetActions.choiceDropped, (s): State => ({ ...s, chosen: null, choice: idle() })),
    on(sourceSetActions.membersLoaded, (s, { members }): State => ({ ...s, members: { ...s.members, ...members } })),
    on(sourceSetActions.count, (s): State => ({ ...s, figures: loading(s.figures) })),
    on(sourceSetActions.counted, (s, { figures, key }): State => ({ ...s, figures: loaded(figures), countedKey: key })),
    on(sourceSetActions.countFailed, (s, { problem }): State => ({ ...s, figures: failed(problem, s.figures) })),
  ),
});
