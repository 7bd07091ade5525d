import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { concatMap, filter, map, switchMap, tap } from 'rxjs';
import { Api } from '../shared/api';
import { codesActions as a, codesFeature } from './codes.feature';

export const loadList = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.listOpened),
      switchMap(() =>
        api.asAction(
          'listCodeTables',
          {},
          (tables) => a.listLoaded({ tables }),
          (problem) => a.listFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const create = createEffect(
  (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
    actions.pipe(
      ofType(a.create),
      concatMap(({ name, mapping }) =>
        api.asAction(
          'createCodeTable',
          { body: { name, description: '', codes: [], fromMapping: mapping, otherwise: null } },
          (table) => a.loaded({ table }),
          (problem) => a.refused({ problem }),
        ),
      ),
      tap((action) => {
        if (action.type === a.loaded.type) void router.navigate(['/codes', action.table.name]);
      }),
    ),
  { functional: true },
);

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(({ name }) =>
        api.asAction(
          'getCodeTable',
          { params: { name } },
          (table) => a.loaded({ table }),
          (problem) => a.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/** One save after the other, each from the version that the last one gave. */
export const save = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.save),
      concatMap(({ patch }) => [{ patch }]),
      concatLatestFrom(() => store.select(codesFeature.selectTable)),
      filter(([, table]) => table.value !== null),
      concatMap(([{ patch }, { value }]) => {
        const { name, description, codes, otherwise, translation, version } = value!;
        return api.asAction(
          'saveCodeTable',
          { params: { name }, body: { description, codes, otherwise, translation, version, ...patch } },
          (table) => a.loaded({ table }),
          (problem) => a.refused({ problem }),
        );
      }),
    ),
  { functional: true },
);

export const remove = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api), router = inject(Router)) =>
    actions.pipe(
      ofType(a.remove),
      concatLatestFrom(() => store.select(codesFeature.selectTable)),
      switchMap(([, { value }]) =>
        api.asAction(
          'deleteCodeTable',
          { params: { name: value!.name } },
          () => a.removed(),
          (problem) => a.refused({ problem }),
        ),
      ),
      tap((action) => {
        if (action.type === a.removed.type) void router.navigate(['/codes']);
      }),
    ),
  { functional: true },
);

export const readFile = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.readFile),
      concatLatestFrom(() => store.select(codesFeature.selectTable)),
      switchMap(([{ fileName, content }, { value }]) =>
        api.asAction(
          'readCodes',
          { params: { name: value!.name }, body: { fileName, content } },
          (read) => a.fileRead({ read, fileName }),
          (problem) => a.refused({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const bringUp = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.bringUp),
      concatLatestFrom(() => store.select(codesFeature.selectTable)),
      concatMap(([{ mappings }, { value }]) =>
        api.asAction(
          'bringUpToDate',
          { params: { name: value!.name }, body: { mappings } },
          (table) => a.loaded({ table }),
          (problem) => a.refused({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const translate = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.translate),
      concatLatestFrom(() => store.select(codesFeature.selectTable).pipe(map((t) => t.value))),
      switchMap(([{ codes }, value]) =>
        api.asAction(
          'translateCodes',
          { params: { name: value!.name }, body: { codes } },
          (answers) => a.translated({ answers }),
          (problem) => a.refused({ problem }),
        ),
      ),
    ),
  { functional: true },
);
