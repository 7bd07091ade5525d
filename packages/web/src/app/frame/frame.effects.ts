import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { EMPTY, filter, map, mergeMap, of, switchMap, timer } from 'rxjs';
import { request, saidAloud } from '../shared/request';
import { ServerEvents } from '../shared/server-events';
import { frameActions } from './frame.feature';

export const loadSession = request(frameActions.started, 'session', 'newest', {
  done: (session) => frameActions.sessionLoaded({ session }),
  failed: saidAloud,
});

export const loadWaiting = request([frameActions.started, frameActions.connected], 'waiting', 'newest', {
  done: (waiting) => frameActions.waitingLoaded({ waiting }),
  failed: saidAloud,
  // What is told meanwhile is newer than the answer.
  until: (actions) =>
    actions.pipe(
      ofType(frameActions.told),
      filter(({ event }) => event.type === 'waiting'),
    ),
});

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
