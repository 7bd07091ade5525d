import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import type { PlanDocument } from '@versicle/core';
import { filter, map, tap } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { request } from '../shared/request';
import { plansActions as a } from './plans.feature';

export const load = request([a.opened, a.made], 'listPlans', 'newest', {
  done: (plans) => a.loaded({ plans }),
  failed: (problem) => a.failed({ problem }),
});

export const create = request(a.create, 'createPlan', 'once', {
  call: ({ name, mapping }) => ({ body: { name, mapping } }),
  done: (plan) => a.made({ plan: plan.id, start: plan.mappings.every((m) => m.revision !== null) }),
  failed: (problem) => a.actFailed({ problem }),
});

export const readIn = request(a.readIn, 'createPlan', 'in turn', {
  // What is wrong with it the server says, by its place.
  call: ({ document }) => ({ body: { document: document as PlanDocument } }),
  done: (plan) => a.made({ plan: plan.id, start: false }),
  failed: (problem) => a.actFailed({ problem }),
});

export const showPlan = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(a.made),
      tap(({ plan, start }) => void router.navigate(['/plans', plan], start ? { queryParams: { start: 'yes' } } : {})),
    ),
  { functional: true, dispatch: false },
);

export const start = request(a.start, 'startPlan', 'once', {
  call: ({ id, rowLimit, all, variables, variant }) => ({
    params: { id },
    body: { rowLimit, all, variables, ...(variant === null ? {} : { variant }) },
  }),
  done: ({ run }) => a.started({ run }),
  failed: (problem) => a.actFailed({ problem }),
});

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
