import { DOCUMENT, inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { filter, map, switchMap, takeUntil, tap } from 'rxjs';
import { Api } from '../shared/api';
import { systemsActions as a, systemsFeature } from './systems.feature';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(() =>
        api.asAction(
          'listSystems',
          {},
          (systems) => a.loaded({ systems }),
          (problem) => a.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/** They don't change while the application runs: asked for once. */
export const loadKinds = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(a.opened),
      concatLatestFrom(() => store.select(systemsFeature.selectKinds)),
      filter(([, kinds]) => kinds.length === 0),
      switchMap(() =>
        api.asAction(
          'listKinds',
          {},
          (kinds) => a.kindsLoaded({ kinds }),
          (problem) => a.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const create = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.create),
      switchMap(({ system: body }) =>
        api.asAction(
          'createSystem',
          { body },
          (system) => a.created({ system }),
          (problem) => a.createFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const showCreated = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.created),
      tap(({ system }) => void router.navigate(['/systems', system.id])),
    ),
  { functional: true, dispatch: false },
);

export const change = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.change),
      switchMap(({ id, changed }) =>
        api.asAction(
          'changeSystem',
          { params: { id }, body: changed },
          (system) => a.changed({ system }),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const scheduleLook = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.scheduleLook),
      switchMap(({ id, schedule }) =>
        api.asAction(
          'setLookSchedule',
          { params: { id }, body: { schedule } },
          (system) => a.changed({ system }),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const lookAtChanged = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.changed),
      map(({ system }) => a.datasetsOpened({ id: system.id })),
    ),
  { functional: true },
);

export const signIn = createEffect(
  (actions = inject(Actions), api = inject(Api), document = inject(DOCUMENT)) =>
    actions.pipe(
      ofType(a.signIn),
      switchMap(({ id }) =>
        api.asAction(
          'beginSignIn',
          { params: { id }, body: { origin: document.location.origin } },
          ({ url }) => a.signInBegun({ url }),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const goAndAgree = createEffect(
  (actions = inject(Actions), document = inject(DOCUMENT)) =>
    actions.pipe(
      ofType(a.signInBegun),
      tap(({ url }) => document.location.assign(url)),
    ),
  { functional: true, dispatch: false },
);

export const settle = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.settle),
      switchMap(({ id, dataset, setting }) =>
        api.asAction(
          'settleDataset',
          { params: { id }, body: { dataset, setting } },
          (detail) => a.settled({ id, detail }),
          (problem) => a.settleFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const unsettle = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.unsettle),
      switchMap(({ id, dataset }) =>
        api.asAction(
          'unsettleDataset',
          { params: { id }, query: { dataset } },
          () => a.unsettled({ id, dataset }),
          (problem) => a.settleFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const test = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.test),
      switchMap(({ id }) =>
        api.asAction(
          'testSystem',
          { params: { id } },
          () => a.opened(),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/** A tested system may hold other datasets now. */
export const lookAgain = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.test),
      map(({ id }) => a.datasetsOpened({ id })),
    ),
  { functional: true },
);

export const remove = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.remove),
      switchMap(({ id }) =>
        api.asAction(
          'deleteSystem',
          { params: { id } },
          () => a.removed(),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const leaveRemoved = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.removed),
      tap(() => void router.navigate(['/systems'])),
    ),
  { functional: true, dispatch: false },
);

export const loadDatasets = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.datasetsOpened),
      switchMap(({ id }) =>
        api.asAction(
          'listDatasets',
          { params: { id } },
          (datasets) => a.datasetsLoaded({ datasets }),
          (problem) => a.datasetsFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const loadStructure = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.datasetOpened, a.structureAsked),
      switchMap(({ id, name }) =>
        api
          .asAction(
            'getDataset',
            { params: { id }, query: { dataset: name } },
            (detail) => a.structureLoaded({ detail }),
            (problem) => a.structureFailed({ problem }),
          )
          // A choice that is made meanwhile is answered with what holds then; this answer would be older.
          .pipe(takeUntil(actions.pipe(ofType(a.settle, a.unsettle)))),
      ),
    ),
  { functional: true },
);

export const loadRows = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.datasetOpened, a.rowsAsked),
      switchMap(({ id, name, filter, sort, limit }) =>
        api.asAction(
          'getRows',
          { params: { id }, query: { dataset: name, filter, sort, limit } },
          (rows) => a.rowsLoaded({ rows }),
          (problem) => a.rowsFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);
