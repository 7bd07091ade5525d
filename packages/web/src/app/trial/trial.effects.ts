import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { filter, map, switchMap, withLatestFrom } from 'rxjs';
import { Api } from '../shared/api';
import { ServerEvents } from '../shared/server-events';
import { trialActions as a, trialFeature } from './trial.feature';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(({ mapping }) =>
        api.asAction(
          'getTrial',
          { params: { id: mapping } },
          (trial) => a.loaded({ trial }),
          (problem) => a.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const start = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.start),
      concatLatestFrom(() => store.select(trialFeature.selectMapping)),
      switchMap(([{ rowLimit }, id]) =>
        api.asAction(
          'startTrial',
          { params: { id }, body: { rowLimit } },
          (trial) => a.loaded({ trial }),
          (problem, { faults }) => a.refused({ problem, faults }),
        ),
      ),
    ),
  { functional: true },
);

export const cancel = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.cancel),
      concatLatestFrom(() => store.select(trialFeature.selectMapping)),
      switchMap(([, id]) =>
        api.asAction(
          'cancelTrial',
          { params: { id } },
          (trial) => a.loaded({ trial }),
          (problem) => a.refused({ problem, faults: [] }),
        ),
      ),
    ),
  { functional: true },
);

/** While it goes on the server tells; what was told while nobody listened is asked for. */
export const follow = createEffect(
  (store = inject(Store), events = inject(ServerEvents)) =>
    events.stream.pipe(
      withLatestFrom(store.select(trialFeature.selectMapping)),
      filter(
        ([event, mapping]) =>
          mapping !== '' && (event.type === 'connected' || (event.type === 'trial' && event.mapping === mapping)),
      ),
      map(([, mapping]) => a.opened({ mapping })),
    ),
  { functional: true },
);
