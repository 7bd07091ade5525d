import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import type { Call } from '@versicle/contract';
import { map } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { request, saidAloud } from '../shared/request';
import { figure } from '../shared/words';
import { failuresActions as a, type Asked, failuresFeature, type GroupKey, PAGE } from './failures.feature';

export const loadCauses = request(a.opened, 'listCauses', 'newest', {
  call: ({ asked }) => ({ query: asked }),
  done: (causes) => a.causesLoaded({ causes }),
  failed: (problem) => a.causesFailed({ problem }),
});

const recordsOf = ({ group, asked }: { group: GroupKey; asked: Asked }): Call<'listFailures'>['query'] => ({
  ...asked,
  mapping: group.mapping,
  cause: group.cause,
  ...(group.line === null ? {} : { line: group.line }),
  filed: 'exactly' as const,
  limit: PAGE,
});

export const loadRecords = request(a.groupOpened, 'listFailures', 'newest', {
  call: (open) => ({ query: recordsOf(open) }),
  done: (records) => a.recordsLoaded({ records }),
  failed: (problem) => a.recordsFailed({ problem }),
});

export const loadMoreRecords = request(a.moreAsked, 'listFailures', 'once', {
  from: failuresFeature.selectFailuresState,
  // While another group is on its way, the rows that are shown are not those that these would follow.
  call: (_, { open, records }) =>
    records.state === 'loaded' ? { query: { ...recordsOf(open!), after: records.value!.at(-1)!.id } } : null,
  done: (records) => a.moreLoaded({ records }),
  failed: (problem) => a.recordsFailed({ problem }),
  until: (actions) => actions.pipe(ofType(a.groupOpened)),
});

export const loadRecord = request(a.recordOpened, 'getFailure', 'newest', {
  call: ({ id }) => ({ params: { id } }),
  done: (record) => a.recordLoaded({ record }),
  failed: (problem) => a.recordFailed({ problem }),
});

export const replay = request(a.replay, 'replay', 'once', {
  call: ({ replay: body }) => ({ body }),
  done: ({ run }) => a.replayStarted({ run }),
  failed: (problem) => a.replayFailed({ problem }),
});

/** A small replay may have ended before its answer came. */
export const endedAlready = request(a.replayStarted, 'getRun', 'each', {
  call: ({ run }) => ({ params: { id: run } }),
  done: (run) => (run.finishedAt === null ? null : a.replayEnded({ run })),
  failed: (problem) => a.replayFailed({ problem }),
});

export const waive = request(a.waive, 'waive', 'in turn', {
  call: ({ waive: body }) => ({ body }),
  done: ({ records }) => a.waived({ records }),
  failed: saidAloud,
});

export const sayWaived = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.waived),
      map(({ records }) =>
        frameActions.say({
          text: $localize`${records === 1 ? $localize`One record was` : $localize`${figure(records)} records were`} closed without being delivered; the reason stands in the history.`,
          problem: false,
        }),
      ),
    ),
  { functional: true },
);
