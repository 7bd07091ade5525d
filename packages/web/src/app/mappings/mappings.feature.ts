import type { Difference, LineOfAll, MappingSummary, Revision } from '@versicle/contract';
import type { MappingDocument } from '@versicle/core';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { fetched, idle, type Loadable } from '../shared/loadable';

export const mappingsActions = createActionGroup({
  source: 'Mappings',
  events: {
    opened: emptyProps(),
    loaded: props<{ mappings: MappingSummary[] }>(),
    failed: props<{ problem: string }>(),
    /** The page that makes one: what was said of another is over. */
    'new opened': emptyProps(),
    create: props<{ document: MappingDocument }>(),
    created: props<{ id: string }>(),
    'create failed': props<{ problem: string }>(),
    'revisions opened': props<{ id: string }>(),
    'revisions loaded': props<{ revisions: Revision[] }>(),
    'revisions failed': props<{ problem: string }>(),
    compare: props<{ id: string; from: string; to: string }>(),
    compared: props<{ difference: Difference }>(),
    'compare failed': props<{ problem: string }>(),
    'lines opened': emptyProps(),
    'lines loaded': props<{ lines: LineOfAll[] }>(),
    'lines failed': props<{ problem: string }>(),
    restore: props<{ id: string; number: number }>(),
    restored: props<{ id: string; number: number }>(),
  },
});

interface MappingsState {
  readonly mappings: Loadable<MappingSummary[]>;
  readonly revisions: Loadable<Revision[]>;
  readonly difference: Loadable<Difference>;
  readonly lines: Loadable<LineOfAll[]>;
  readonly creating: boolean;
  readonly problem: string | null;
}
const initial: MappingsState = {
  mappings: idle(),
  revisions: idle(),
  difference: idle(),
  lines: idle(),
  creating: false,
  problem: null,
};

export const mappingsFeature = createFeature({
  name: 'mappings',
  reducer: createReducer(
    initial,
    ...fetched<MappingsState, 'mappings'>('mappings', {
      asked: mappingsActions.opened,
      came: mappingsActions.loaded,
      failed: mappingsActions.failed,
    }),
    on(mappingsActions.newOpened, (s): MappingsState => ({ ...s, problem: null })),
    on(mappingsActions.create, (s): MappingsState => ({ ...s, creating: true, problem: null })),
    on(mappingsActions.created, (s): MappingsState => ({ ...s, creating: false })),
    on(mappingsActions.createFailed, (s, { problem }): MappingsState => ({ ...s, creating: false, problem })),
    on(mappingsActions.revisionsOpened, (s): MappingsState => ({ ...s, revisions: idle(), difference: idle() })),
    ...fetched<MappingsState, 'revisions'>('revisions', {
      came: mappingsActions.revisionsLoaded,
      failed: mappingsActions.revisionsFailed,
    }),
    ...fetched<MappingsState, 'lines'>('lines', {
      asked: mappingsActions.linesOpened,
      came: mappingsActions.linesLoaded,
      failed: mappingsActions.linesFailed,
    }),
    ...fetched<MappingsState, 'difference'>('difference', {
      asked: mappingsActions.compare,
      came: mappingsActions.compared,
      failed: mappingsActions.compareFailed,
    }),
  ),
});
