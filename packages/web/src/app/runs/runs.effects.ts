import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { filter, map, switchMap, throttleTime } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api } from '../shared/api';
import { runsActions as a, runsFeature } from './runs.feature';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(() =>
        api.asAction(
          'listRuns',
          { query: { limit: 300 } },
          (runs) => a.loaded({ runs }),
          (problem) => a.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const loadRun = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.runOpened),
      switchMap(({ id }) =>
        api.asAction(
          'getRun',
          { params: { id } },
          (run) => a.runLoaded({ run }),
          (problem) => a.runFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const cancel = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.cancel),
      switchMap(({ id }) =>
        api.asAction(
          'cancelRun',
          { params: { id } },
          () => a.cancelled(),
          (problem) => a.cancelFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const takeUp = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.takeUp),
      switchMap(({ id }) =>
        api.asAction(
          'takeUpRun',
          { params: { id } },
          () => a.runOpened({ id }),
          (problem) => a.cancelFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const replaceAll = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.replaceAll),
      switchMap(({ id }) =>
        api.asAction(
          'replaceAll',
          { params: { id } },
          () => a.runOpened({ id }),
          (problem) => a.cancelFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/**
 * An open run is read again while it moves, at most about once a second; also one whose first answer is still on its way,
 * as that answer may be older than what was just told.
 */
export const keepUp = createEffect(
  (actions = inject(Actions), store = inject(Store), router = inject(Router)) =>
    actions.pipe(
      ofType(frameActions.told, frameActions.connected),
      concatLatestFrom(() => store.select(runsFeature.selectOpenRun)),
      filter(
        ([action, open]) =>
          open !== null &&
          router.url.startsWith('/runs/') &&
          (action.type !== frameActions.told.type || (action.event.type === 'run' && action.event.run.id === open)),
      ),
      throttleTime(900, undefined, { leading: true, trailing: true }),
      map(([, open]) => a.runOpened({ id: open! })),
    ),
  { functional: true },
);

/** A list that is on its way when a run moves may be older than what was told: it is asked for once more. */
export const keepUpList = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(frameActions.told),
      concatLatestFrom(() => store.select(runsFeature.selectRuns)),
      filter(([{ event }, runs]) => event.type === 'run' && runs.state === 'loading'),
      throttleTime(900, undefined, { leading: true, trailing: true }),
      map(() => a.opened()),
    ),
  { functional: true },
);
