import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { filter, map, switchMap, throttleTime } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api } from '../shared/api';
import { todayActions } from './today.feature';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(todayActions.opened),
      switchMap(() =>
        api.asAction(
          'today',
          {},
          (today) => todayActions.loaded({ today }),
          (problem) => todayActions.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/** While the page is open, what happens on the server brings it up to date. */
export const keepUp = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(frameActions.told, frameActions.connected),
      filter(() => router.url.startsWith('/today')),
      throttleTime(1500, undefined, { leading: true, trailing: true }),
      map(() => todayActions.opened()),
    ),
  { functional: true },
);
