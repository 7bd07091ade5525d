import type { FoundField, Imported, StructureVersion } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, on, props } from '@ngrx/store';
import { failed, fetched, idle, loaded, loading, type Loadable } from '../shared/loadable';
import { figure, firstOf } from '../shared/words';

export const structuresActions = createActionGroup({
  source: 'Structures',
  events: {
    opened: props<{ id: string; dataset: string }>(),
    loaded: props<{ versions: StructureVersion[] }>(),
    failed: props<{ problem: string }>(),
    /** `content`: base64. */
    import: props<{ id: string; dataset: string | null; fileName: string; content: string }>(),
    imported: props<{ id: string; imported: Imported }>(),
    'import failed': props<{ problem: string }>(),
    catalogue: props<{ id: string; profile: boolean }>(),
    catalogued: props<{ id: string; sentence: string }>(),
    find: props<{ text: string }>(),
    'find now': props<{ text: string }>(),
    found: props<{ fields: FoundField[] }>(),
    'find failed': props<{ problem: string }>(),
  },
});

interface StructuresState {
  readonly versions: Loadable<StructureVersion[]>;
  readonly importing: { readonly busy: boolean; readonly problem: string | null; readonly done: string | null };
  readonly found: Loadable<FoundField[]>;
}
/** “12 fields, of them new to it: phone, email and 3 more”. */
function fieldsTold({ fields, added }: Imported['datasets'][number]): string {
  const told = `${figure(fields)} ${fields === 1 ? 'field' : 'fields'}`;
  if (added.length === 0) return told;
  return $localize`${told}, of them new to it: ${firstOf(added, 6)}`;
}
const quiet = { busy: false, problem: null, done: null };
const initial: StructuresState = { versions: idle(), importing: quiet, found: idle() };

export const structuresFeature = createFeature({
  name: 'structures',
  reducer: createReducer(
    initial,
    on(structuresActions.opened, (s): StructuresState => ({ ...s, versions: idle() })),
    ...fetched<StructuresState, 'versions'>('versions', {
      came: structuresActions.loaded,
      failed: structuresActions.failed,
    }),
    on(structuresActions.import, structuresActions.catalogue, (s): StructuresState => ({
      ...s,
      importing: { ...quiet, busy: true },
    })),
    on(structuresActions.imported, (s, { imported }): StructuresState => {
      const list = imported.datasets.map((d) => `${d.name} (${fieldsTold(d)})`).join(', ');
      return { ...s, importing: { ...quiet, done: $localize`Brought in from ${imported.what}\: ${list}.` } };
    }),
    on(structuresActions.catalogued, (s, { sentence }): StructuresState => ({
      ...s,
      importing: { ...quiet, done: sentence },
    })),
    on(structuresActions.importFailed, (s, { problem }): StructuresState => ({
      ...s,
      importing: { ...quiet, problem },
    })),
    on(structuresActions.find, (s): StructuresState => ({ ...s, found: loading(s.found) })),
    on(structuresActions.found, (s, { fields }): StructuresState => ({ ...s, found: loaded(fields) })),
    on(structuresActions.findFailed, (s, { problem }): StructuresState => ({ ...s, found: failed(problem, s.found) })),
  ),
});
