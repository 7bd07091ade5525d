import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { filter, map, throttleTime } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { request } from '../shared/request';
import { todayActions } from './today.feature';

export const load = request(todayActions.opened, 'today', 'newest', {
  done: (today) => todayActions.loaded({ today }),
  failed: (problem) => todayActions.failed({ problem }),
});

export const seen = request(todayActions.seen, 'notificationSeen', 'in turn', {
  call: ({ id }) => ({ params: { id } }),
  done: () => todayActions.opened(),
  failed: (problem) => todayActions.failed({ problem }),
});
export const sendAgain = request(todayActions.sendAgain, 'sendAgain', 'in turn', {
  call: ({ id }) => ({ params: { id } }),
  done: () => todayActions.opened(),
  failed: (problem) => todayActions.failed({ problem }),
});

export const fieldsSeen = request(todayActions.fieldsSeen, 'newFieldsSeen', 'in turn', {
  call: ({ mapping }) => ({ params: { id: mapping } }),
  done: () => todayActions.opened(),
  failed: (problem) => todayActions.failed({ problem }),
});

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
