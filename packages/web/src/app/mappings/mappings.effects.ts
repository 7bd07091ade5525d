import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { map, switchMap, tap } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api } from '../shared/api';
import { mappingsActions as a } from './mappings.feature';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(() =>
        api.asAction(
          'listMappings',
          {},
          (mappings) => a.loaded({ mappings }),
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
      switchMap(({ document }) =>
        api.asAction(
          'createMapping',
          { body: { document } },
          ({ id }) => a.created({ id }),
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
      tap(({ id }) => void router.navigate(['/mappings', id])),
    ),
  { functional: true, dispatch: false },
);

export const loadRevisions = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.revisionsOpened),
      switchMap(({ id }) =>
        api.asAction(
          'listRevisions',
          { params: { id } },
          (revisions) => a.revisionsLoaded({ revisions }),
          (problem) => a.revisionsFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const loadLines = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.linesOpened),
      switchMap(() =>
        api.asAction(
          'listLines',
          {},
          (lines) => a.linesLoaded({ lines }),
          (problem) => a.linesFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const restore = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.restore),
      switchMap(({ id, number }) =>
        api.asAction(
          'restoreRevision',
          { params: { id, number } },
          () => a.restored({ id, number }),
          (problem) => frameActions.say({ text: problem, problem: true }),
        ),
      ),
    ),
  { functional: true },
);

export const showRestored = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.restored),
      map(({ id, number }) => {
        void router.navigate(['/mappings', id]);
        return frameActions.say({ text: `The draft says again what revision ${number} says.`, problem: false });
      }),
    ),
  { functional: true },
);

export const compare = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.compare),
      switchMap(({ id, from, to }) =>
        api.asAction(
          'difference',
          { params: { id }, query: { from, to } },
          (difference) => a.compared({ difference }),
          (problem) => a.compareFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);
