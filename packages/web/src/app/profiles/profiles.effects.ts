import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { filter, map } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { request } from '../shared/request';
import { profilesActions as a, profilesFeature } from './profiles.feature';

const actFailed = (problem: string): ReturnType<typeof a.actFailed> => a.actFailed({ problem });

export const load = request(a.opened, 'getKnowledge', 'newest', {
  call: ({ id, dataset }) => ({ params: { id }, query: { dataset } }),
  done: (knowledge) => a.loaded({ knowledge }),
  failed: (problem) => a.failed({ problem }),
});

export const ask = request(a.ask, 'askProfile', 'in turn', {
  call: ({ id, dataset, rowLimit }) => ({ params: { id }, body: { dataset, rowLimit } }),
  done: (_, { id, dataset }) => a.opened({ id, dataset }),
  failed: actFailed,
});

/** A check counts from the next profile on, which is asked for at once. */
export const addCheck = request(a.addCheck, 'addCheck', 'in turn', {
  call: ({ id, dataset, rule, message }) => ({ params: { id }, body: { dataset, rule, message } }),
  done: (_, { id, dataset }) => a.ask({ id, dataset, rowLimit: null }),
  failed: actFailed,
});

export const removeCheck = request(a.removeCheck, 'removeCheck', 'in turn', {
  call: ({ check }) => ({ params: { id: check } }),
  done: (_, { id, dataset }) => a.ask({ id, dataset, rowLimit: null }),
  failed: actFailed,
});

export const lookOver = request(a.lookOver, 'markLookedOver', 'in turn', {
  call: ({ id, dataset, note }) => ({ params: { id }, body: { dataset, note } }),
  done: (_, { id, dataset }) => a.opened({ id, dataset }),
  failed: actFailed,
});

/** Also one whose first answer is on its way: that answer may be older than what was just told. */
export const keepUp = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(frameActions.told, frameActions.connected),
      concatLatestFrom(() => store.select(profilesFeature.selectOf)),
      filter(
        ([action, of]) =>
          of !== null &&
          (action.type !== frameActions.told.type ||
            (action.event.type === 'profile' && action.event.system === of.id && action.event.dataset === of.dataset)),
      ),
      map(([, of]) => a.opened(of!)),
    ),
  { functional: true },
);
