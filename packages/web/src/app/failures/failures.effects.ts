import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { filter, map, mergeMap, switchMap } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api } from '../shared/api';
import { figure } from '../shared/words';
import { failuresActions as a } from './failures.feature';

export const loadCauses = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.opened),
      switchMap(({ asked }) =>
        api.asAction(
          'listCauses',
          { query: asked },
          (causes) => a.causesLoaded({ causes }),
          (problem) => a.causesFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const loadRecords = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.groupOpened),
      switchMap(({ group, asked }) =>
        api.asAction(
          'listFailures',
          {
            query: {
              ...asked,
              mapping: group.mapping,
              cause: group.cause,
              ...(group.line === null ? {} : { line: group.line }),
              filed: 'exactly' as const,
              limit: 500,
            },
          },
          (records) => a.recordsLoaded({ records }),
          (problem) => a.recordsFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const loadRecord = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.recordOpened),
      switchMap(({ id }) =>
        api.asAction(
          'getFailure',
          { params: { id } },
          (record) => a.recordLoaded({ record }),
          (problem) => a.recordFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const replay = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.replay),
      switchMap(({ replay: body }) =>
        api.asAction(
          'replay',
          { body },
          ({ run }) => a.replayStarted({ run }),
          (problem) => a.replayFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/** A small replay may have ended before its answer came. */
export const endedAlready = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.replayStarted),
      mergeMap(({ run }) =>
        api.asAction(
          'getRun',
          { params: { id: run } },
          (r) => (r.finishedAt === null ? null : a.replayEnded({ run: r })),
          (problem) => a.replayFailed({ problem }),
        ),
      ),
      filter((action) => action !== null),
      map((action) => action),
    ),
  { functional: true },
);

export const waive = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(a.waive),
      switchMap(({ waive: body }) =>
        api.asAction(
          'waive',
          { body },
          ({ records }) => a.waived({ records }),
          (text) => frameActions.say({ text, problem: true }),
        ),
      ),
    ),
  { functional: true },
);
export const sayWaived = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.waived),
      map(({ records }) =>
        frameActions.say({
          text: `${records === 1 ? 'One record was' : `${figure(records)} records were`} closed without being delivered; the reason stands in the history.`,
          problem: false,
        }),
      ),
    ),
  { functional: true },
);
