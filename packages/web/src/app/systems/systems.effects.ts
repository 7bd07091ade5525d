import { DOCUMENT, inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { map, tap } from 'rxjs';
import { request } from '../shared/request';
import { systemsActions as a, systemsFeature } from './systems.feature';

export const load = request(a.opened, 'listSystems', 'newest', {
  done: (systems) => a.loaded({ systems }),
  failed: (problem) => a.failed({ problem }),
});

/** They don't change while the application runs: asked for once. */
export const loadKinds = request(a.opened, 'listKinds', 'newest', {
  from: systemsFeature.selectKinds,
  call: (_, kinds) => (kinds.length === 0 ? {} : null),
  done: (kinds) => a.kindsLoaded({ kinds }),
  failed: (problem) => a.failed({ problem }),
});

export const create = request(a.create, 'createSystem', 'once', {
  call: ({ system: body }) => ({ body }),
  done: (system) => a.created({ system }),
  failed: (problem) => a.createFailed({ problem }),
});

export const showCreated = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.created),
      tap(({ system }) => void router.navigate(['/systems', system.id])),
    ),
  { functional: true, dispatch: false },
);

export const change = request(a.change, 'changeSystem', 'in turn', {
  call: ({ id, changed }) => ({ params: { id }, body: changed }),
  done: (system) => a.changed({ system }),
  failed: (problem) => a.actFailed({ problem }),
});

export const scheduleLook = request(a.scheduleLook, 'setLookSchedule', 'in turn', {
  call: ({ id, schedule }) => ({ params: { id }, body: { schedule } }),
  done: (system) => a.changed({ system }),
  failed: (problem) => a.actFailed({ problem }),
});

export const lookAtChanged = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.changed),
      map(({ system }) => a.datasetsOpened({ id: system.id })),
    ),
  { functional: true },
);

export const signIn = request(a.signIn, 'beginSignIn', 'once', {
  call: ({ id, origin }) => ({ params: { id }, body: { origin } }),
  done: ({ url }) => a.signInBegun({ url }),
  failed: (problem) => a.actFailed({ problem }),
});

export const goAndAgree = createEffect(
  (actions = inject(Actions), document = inject(DOCUMENT)) =>
    actions.pipe(
      ofType(a.signInBegun),
      tap(({ url }) => document.location.assign(url)),
    ),
  { functional: true, dispatch: false },
);

export const settle = request(a.settle, 'settleDataset', 'in turn', {
  call: ({ id, dataset, setting }) => ({ params: { id }, body: { dataset, setting } }),
  done: (detail, { id }) => a.settled({ id, detail }),
  failed: (problem) => a.settleFailed({ problem }),
});

export const learn = request(a.learn, 'learnDataset', 'newest', {
  call: ({ id, dataset }) => ({ params: { id }, body: { dataset } }),
  done: (learned, { id }) => a.learned({ id, learned }),
  failed: (problem) => a.settleFailed({ problem }),
  // Who leaves the dataset waits for it no longer.
  until: (actions) => actions.pipe(ofType(a.datasetLeft, a.settle, a.unsettle)),
});

export const unsettle = request(a.unsettle, 'unsettleDataset', 'in turn', {
  call: ({ id, dataset }) => ({ params: { id }, query: { dataset } }),
  done: (_, { id, dataset }) => a.unsettled({ id, dataset }),
  failed: (problem) => a.settleFailed({ problem }),
});

export const test = request(a.test, 'testSystem', 'each', {
  call: ({ id }) => ({ params: { id } }),
  done: () => a.opened(),
  failed: (problem) => a.actFailed({ problem }),
});

/** A tested system may hold other datasets now. */
export const lookAgain = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.test),
      map(({ id }) => a.datasetsOpened({ id })),
    ),
  { functional: true },
);

export const remove = request(a.remove, 'deleteSystem', 'once', {
  call: ({ id }) => ({ params: { id } }),
  done: () => a.removed(),
  failed: (problem) => a.actFailed({ problem }),
});

export const leaveRemoved = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.removed),
      tap(() => void router.navigate(['/systems'])),
    ),
  { functional: true, dispatch: false },
);

export const loadDatasets = request(a.datasetsOpened, 'listDatasets', 'newest', {
  call: ({ id }) => ({ params: { id } }),
  done: (datasets) => a.datasetsLoaded({ datasets }),
  failed: (problem) => a.datasetsFailed({ problem }),
});

export const loadStructure = request([a.datasetOpened, a.structureAsked], 'getDataset', 'newest', {
  call: ({ id, name }) => ({ params: { id }, query: { dataset: name } }),
  done: (detail) => a.structureLoaded({ detail }),
  failed: (problem) => a.structureFailed({ problem }),
  // A choice that is made meanwhile is answered with what holds then; this answer would be older.
  until: (actions) => actions.pipe(ofType(a.settle, a.unsettle, a.learn)),
});

export const loadRows = request([a.datasetOpened, a.rowsAsked], 'getRows', 'newest', {
  call: ({ id, name, filter, sort, limit }) => ({ params: { id }, query: { dataset: name, filter, sort, limit } }),
  done: (rows) => a.rowsLoaded({ rows }),
  failed: (problem) => a.rowsFailed({ problem }),
});
