import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { map, tap } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { request, saidAloud } from '../shared/request';
import { mappingsActions as a } from './mappings.feature';

export const load = request(a.opened, 'listMappings', 'newest', {
  done: (mappings) => a.loaded({ mappings }),
  failed: (problem) => a.failed({ problem }),
});

export const create = request(a.create, 'createMapping', 'once', {
  call: ({ document }) => ({ body: { document } }),
  done: ({ id }) => a.created({ id }),
  failed: (problem) => a.createFailed({ problem }),
});

export const showCreated = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.created),
      tap(({ id }) => void router.navigate(['/mappings', id])),
    ),
  { functional: true, dispatch: false },
);

export const loadRevisions = request(a.revisionsOpened, 'listRevisions', 'newest', {
  call: ({ id }) => ({ params: { id } }),
  done: (revisions) => a.revisionsLoaded({ revisions }),
  failed: (problem) => a.revisionsFailed({ problem }),
});

export const loadLines = request(a.linesOpened, 'listLines', 'newest', {
  done: (lines) => a.linesLoaded({ lines }),
  failed: (problem) => a.linesFailed({ problem }),
});

export const restore = request(a.restore, 'restoreRevision', 'once', {
  call: ({ id, number }) => ({ params: { id, number } }),
  done: (_, { id, number }) => a.restored({ id, number }),
  failed: saidAloud,
});

export const showRestored = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.restored),
      map(({ id, number }) => {
        void router.navigate(['/mappings', id]);
        return frameActions.say({
          text: $localize`The draft says again what revision ${number} says.`,
          problem: false,
        });
      }),
    ),
  { functional: true },
);

export const compare = request(a.compare, 'difference', 'newest', {
  call: ({ id, from, to }) => ({ params: { id }, query: { from, to } }),
  done: (difference) => a.compared({ difference }),
  failed: (problem) => a.compareFailed({ problem }),
});
