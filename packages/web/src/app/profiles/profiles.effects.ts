import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { concatMap, filter, map, switchMap } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api } from '../shared/api';
import { profilesActions as a, profilesFeature } from './profiles.feature';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(({ id, dataset }) =>
        api.asAction(
          'getKnowledge',
          { params: { id }, query: { dataset } },
          (knowledge) => a.loaded({ knowledge }),
          (problem) => a.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const ask = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.ask),
      switchMap(({ id, dataset, rowLimit }) =>
        api.asAction(
          'askProfile',
          { params: { id }, body: { dataset, rowLimit } },
          () => a.opened({ id, dataset }),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/** A check counts from the next profile on, which is asked for at once. */
export const addCheck = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.addCheck),
      concatMap(({ id, dataset, rule, message }) =>
        api.asAction(
          'addCheck',
          { params: { id }, body: { dataset, rule, message } },
          () => a.ask({ id, dataset, rowLimit: null }),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const removeCheck = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.removeCheck),
      concatMap(({ id, dataset, check }) =>
        api.asAction(
          'removeCheck',
          { params: { id: check } },
          () => a.ask({ id, dataset, rowLimit: null }),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const lookOver = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.lookOver),
      concatMap(({ id, dataset, note }) =>
        api.asAction(
          'markLookedOver',
          { params: { id }, body: { dataset, note } },
          () => a.opened({ id, dataset }),
          (problem) => a.actFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

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
