import type { CodesRead, CodeTable, CodeTableSummary, Translated } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { failed, fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';

export type CodeTablePatch = Partial<Pick<CodeTable, 'description' | 'codes' | 'otherwise' | 'translation'>>;

export const codesActions = createActionGroup({
  source: 'Codes',
  events: {
    'list opened': emptyProps(),
    'list loaded': props<{ tables: CodeTableSummary[] }>(),
    'list failed': props<{ problem: string }>(),
    /** `mapping`: whose own table is kept as one for all. */
    create: props<{ name: string; mapping: string | null }>(),
    created: props<{ table: CodeTable }>(),
    opened: props<{ name: string }>(),
    loaded: props<{ table: CodeTable }>(),
    failed: props<{ problem: string }>(),
    save: props<{ patch: CodeTablePatch }>(),
    remove: emptyProps(),
    removed: emptyProps(),
    'read file': props<{ fileName: string; content: string }>(),
    'file read': props<{ read: CodesRead; fileName: string }>(),
    'file dropped': emptyProps(),
    'bring up': props<{ mappings: string[] }>(),
    translate: props<{ codes: string[] }>(),
    translated: props<{ answers: Translated }>(),
    refused: props<{ problem: string }>(),
  },
});

interface State {
  readonly tables: Loadable<CodeTableSummary[]>;
  readonly table: Loadable<CodeTable>;
  /** A file that was read, while it is looked at. */
  readonly file: { readonly name: string; readonly read: CodesRead } | null;
  readonly answers: Translated;
  /** What could not be done. */
  readonly refused: string | null;
}
const initial: State = { tables: idle(), table: idle(), file: null, answers: [], refused: null };

export const codesFeature = createFeature({
  name: 'codes',
  reducer: createReducer(
    initial,
    ...fetched<State, 'tables'>('tables', {
      asked: codesActions.listOpened,
      came: codesActions.listLoaded,
      failed: codesActions.listFailed,
    }),
    on(codesActions.listOpened, (s): State => ({ ...s, refused: null })),
    on(codesActions.opened, (s, { name }): State => ({
      ...s,
      table: s.table.value?.name === name ? loading(s.table) : { state: 'loading', value: null, problem: null },
      file: null,
      answers: s.table.value?.name === name ? s.answers : [],
      refused: null,
    })),
    on(codesActions.loaded, codesActions.created, (s, { table }): State => ({
      ...s,
      table: loaded(table),
      refused: null,
    })),
    on(codesActions.failed, (s, { problem }): State => ({ ...s, table: failed(problem, s.table) })),
    on(codesActions.fileRead, (s, { read, fileName }): State => ({
      ...s,
      file: { name: fileName, read },
      refused: null,
    })),
    on(codesActions.fileDropped, codesActions.save, (s): State => ({ ...s, file: null })),
    on(codesActions.translated, (s, { answers }): State => ({ ...s, answers, refused: null })),
    on(codesActions.refused, (s, { problem }): State => ({ ...s, refused: problem })),
  ),
});
