import { inject } from '@angular/core';
import { createEffect } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { filter, map, withLatestFrom } from 'rxjs';
import { request } from '../shared/request';
import { ServerEvents } from '../shared/server-events';
import { trialActions as a, trialFeature } from './trial.feature';

export const load = request(a.opened, 'getTrial', 'newest', {
  call: ({ mapping }) => ({ params: { id: mapping } }),
  done: (trial) => a.loaded({ trial }),
  failed: (problem) => a.failed({ problem }),
});

export const start = request(a.start, 'startTrial', 'once', {
  from: trialFeature.selectMapping,
  call: ({ rowLimit }, id) => ({ params: { id }, body: { rowLimit } }),
  done: (trial) => a.loaded({ trial }),
  failed: (problem, _, { faults }) => a.refused({ problem, faults }),
});

export const cancel = request(a.cancel, 'cancelTrial', 'once', {
  from: trialFeature.selectMapping,
  call: (_, id) => ({ params: { id } }),
  done: (trial) => a.loaded({ trial }),
  failed: (problem) => a.refused({ problem, faults: [] }),
});

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
