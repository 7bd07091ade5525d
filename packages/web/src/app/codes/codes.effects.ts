import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { tap } from 'rxjs';
import { request } from '../shared/request';
import { codesActions as a, codesFeature } from './codes.feature';

const refused = (problem: string): ReturnType<typeof a.refused> => a.refused({ problem });

export const loadList = request(a.listOpened, 'listCodeTables', 'newest', {
  done: (tables) => a.listLoaded({ tables }),
  failed: (problem) => a.listFailed({ problem }),
});

export const create = request(a.create, 'createCodeTable', 'in turn', {
  call: ({ name, mapping }) => ({
    body: { name, description: '', codes: [], fromMapping: mapping, otherwise: null },
  }),
  done: (table) => a.created({ table }),
  failed: refused,
});

export const showCreated = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.created),
      tap(({ table }) => void router.navigate(['/codes', table.name])),
    ),
  { functional: true, dispatch: false },
);

export const load = request(a.opened, 'getCodeTable', 'newest', {
  call: ({ name }) => ({ params: { name } }),
  done: (table) => a.loaded({ table }),
  failed: (problem) => a.failed({ problem }),
});

/** Each save from the version that the last one gave. */
export const save = request(a.save, 'saveCodeTable', 'in turn', {
  from: codesFeature.selectTable,
  call: ({ patch }, { value }) => {
    if (value === null) return null;
    const { name, description, codes, otherwise, translation, version } = value;
    return { params: { name }, body: { description, codes, otherwise, translation, version, ...patch } };
  },
  done: (table) => a.loaded({ table }),
  failed: refused,
});

export const remove = request(a.remove, 'deleteCodeTable', 'once', {
  from: codesFeature.selectTable,
  call: (_, { value }) => ({ params: { name: value!.name } }),
  done: () => a.removed(),
  failed: refused,
});

export const leaveRemoved = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.removed),
      tap(() => void router.navigate(['/codes'])),
    ),
  { functional: true, dispatch: false },
);

export const readFile = request(a.readFile, 'readCodes', 'newest', {
  from: codesFeature.selectTable,
  call: ({ fileName, content }, { value }) => ({ body: { fileName, content, beside: value!.name } }),
  done: (read, { fileName }) => a.fileRead({ read, fileName }),
  failed: refused,
});

export const bringUp = request(a.bringUp, 'bringUpToDate', 'in turn', {
  from: codesFeature.selectTable,
  call: ({ mappings }, { value }) => ({ params: { name: value!.name }, body: { mappings } }),
  done: (table) => a.loaded({ table }),
  failed: refused,
});

export const translate = request(a.translate, 'translateCodes', 'newest', {
  from: codesFeature.selectTable,
  call: ({ codes }, { value }) => ({ params: { name: value!.name }, body: { codes } }),
  done: (answers) => a.translated({ answers }),
  failed: refused,
});
