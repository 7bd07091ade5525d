import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { EMPTY, filter, map, mergeMap, of, switchMap, takeUntil, timer } from 'rxjs';
import { Api } from '../shared/api';
import { ServerEvents } from '../shared/server-events';
import { frameActions } from './frame.feature';

export const loadSession = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(frameActions.started),
      switchMap(() =>
        api.asAction(
          'session',
          {},
          (session) => frameActions.sessionLoaded({ session }),
          (text) => frameActions.say({ text, problem: true }),
        ),
      ),
    ),
  { functional: true },
);

export const loadWaiting = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(frameActions.started, frameActions.connected),
      switchMap(() =>
        api
          .asAction(
            'waiting',
            {},
            (waiting) => frameActions.waitingLoaded({ waiting }),
            (text) => frameActions.say({ text, problem: true }),
          )
          .pipe(
            // What is told meanwhile is newer than the answer.
            takeUntil(
              actions.pipe(
                ofType(frameActions.told),
                filter(({ event }) => event.type === 'waiting'),
              ),
            ),
          ),
      ),
    ),
  { functional: true },
);

export const listen = createEffect(
  (actions = inject(Actions), events = inject(ServerEvents)) =>
    actions.pipe(
      ofType(frameActions.started),
      switchMap(() => events.stream),
      mergeMap((event) => of(event.type === 'connected' ? frameActions.connected() : frameActions.told({ event }))),
    ),
  { functional: true },
);

export const quietDown = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(frameActions.say),
      switchMap(({ problem }) => (problem ? EMPTY : timer(6000).pipe(map(() => frameActions.unsay())))),
    ),
  { functional: true },
);
