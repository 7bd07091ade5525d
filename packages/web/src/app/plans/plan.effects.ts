import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { filter, map, throttleTime } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { request, saidAloud } from '../shared/request';
import { planActions as a, planFeature } from './plan.feature';

export const loadPlan = request(a.opened, 'getPlan', 'newest', {
  call: ({ id }) => ({ params: { id } }),
  done: (plan) => a.loaded({ plan }),
  failed: (problem) => a.failed({ problem }),
});

export const savePlan = request([a.edited, a.undo], 'changePlan', 'in turn', {
  from: planFeature.selectPlanState,
  call: (_, { id, draft, plan, saving }) =>
    id === null || draft === null || plan.value === null || !saving
      ? null
      : { params: { id }, body: { document: draft, version: plan.value.version } },
  done: (plan, _, state) => a.saved({ plan, sent: state.draft!, before: state.plan.value!.document }),
  failed: (problem, _action, _error, state) => a.saveFailed({ problem, sent: state.draft! }),
});

export const holdPlan = request(a.hold, 'holdPlan', 'in turn', {
  from: planFeature.selectId,
  call: ({ held }, id) => ({ params: { id: id! }, body: { held } }),
  done: (plan) => a.held({ plan }),
  failed: saidAloud,
});

export const loadVersions = request([a.versionsOpened, a.saved], 'listPlanVersions', 'newest', {
  from: planFeature.selectPlanState,
  call: (action, { id, versions }) =>
    id === null || (action.type === a.saved.type && versions.state === 'idle') ? null : { params: { id } },
  done: (versions) => a.versionsLoaded({ versions }),
  failed: (problem) => a.versionsFailed({ problem }),
});

/** What its runs make of it, and when it is next due, changes by itself. */
export const keepUpPlan = createEffect(
  (actions = inject(Actions), store = inject(Store), router = inject(Router)) =>
    actions.pipe(
      ofType(frameActions.told, frameActions.connected),
      concatLatestFrom(() => store.select(planFeature.selectId)),
      filter(
        ([action, id]) =>
          action.type !== frameActions.told.type || (action.event.type === 'run' && action.event.run.plan === id),
      ),
      throttleTime(900, undefined, { leading: true, trailing: true }),
      // Meanwhile somebody may have gone on to another plan: that one is shown.
      concatLatestFrom(() => store.select(planFeature.selectId)),
      filter(([, id]) => id !== null && router.url.startsWith('/plans/')),
      map(([, id]) => a.opened({ id: id! })),
    ),
  { functional: true },
);
