import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { filter, map, switchMap, tap } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api } from '../shared/api';
import { plansActions as a } from './plans.feature';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(() =>
        api.asAction(
          'listPlans',
          {},
          (plans) => a.loaded({ plans }),
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
      switchMap(({ name, mapping }) =>
        api.asAction(
          'createPlan',
          { body: { name, mapping } },
          () => a.opened(),
          (problem) => a.createFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const start = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.start),
      switchMap(({ id, rowLimit }) =>
        api.asAction(
          'startPlan',
          { params: { id }, body: { rowLimit } },
          ({ run }) => a.started({ run }),
          (problem) => a.startFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const showRun = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.started),
      tap(({ run }) => void router.navigate(['/runs', run])),
    ),
  { functional: true, dispatch: false },
);

export const keepUp = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(frameActions.told),
      filter(({ event }) => event.type === 'run' && event.run.finishedAt !== null && router.url.startsWith('/plans')),
      map(() => a.opened()),
    ),
  { functional: true },
);

export const change = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.change),
      switchMap(({ id, removesAtMost }) =>
        api.asAction(
          'changePlan',
          { params: { id }, body: { removesAtMost } },
          () => a.opened(),
          (problem) => a.createFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);
