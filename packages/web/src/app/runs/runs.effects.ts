import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { filter, map, throttleTime } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { request } from '../shared/request';
import { atOnce, PAGE, plainly, runsActions as a, runsFeature } from './runs.feature';

export const load = request(a.opened, 'listRuns', 'newest', {
  from: runsFeature.selectRunsState,
  call: (_, s) => ({ query: { ...s.asked, limit: atOnce(s) } }),
  done: (runs) => a.loaded({ runs }),
  failed: (problem) => a.failed({ problem }),
});

export const loadMore = request(a.moreAsked, 'listRuns', 'once', {
  from: runsFeature.selectRunsState,
  // While another list is on its way, the rows that are shown are not those that these would follow.
  call: (_, { asked, runs }) =>
    runs.state === 'loaded' ? { query: { ...asked, after: runs.value!.at(-1)!.id, limit: PAGE } } : null,
  done: (runs) => a.moreLoaded({ runs }),
  failed: (problem) => a.failed({ problem }),
  // Another list is asked for: these would not belong to it.
  until: (actions) => actions.pipe(ofType(a.opened)),
});

export const loadRun = request(a.runOpened, 'getRun', 'newest', {
  call: ({ id }) => ({ params: { id } }),
  done: (run) => a.runLoaded({ run }),
  failed: (problem) => a.runFailed({ problem }),
});

export const cancel = request(a.cancel, 'cancelRun', 'each', {
  call: ({ id }) => ({ params: { id } }),
  done: (_, { id }) => a.acted({ id }),
  failed: (problem) => a.actFailed({ problem }),
});

export const takeUp = request(a.takeUp, 'takeUpRun', 'once', {
  call: ({ id }) => ({ params: { id } }),
  done: (_, { id }) => a.acted({ id }),
  failed: (problem) => a.actFailed({ problem }),
});

export const pause = request(a.pause, 'pauseRun', 'once', {
  call: ({ id }) => ({ params: { id } }),
  done: (_, { id }) => a.acted({ id }),
  failed: (problem) => a.actFailed({ problem }),
});

export const resume = request(a.resume, 'resumeRun', 'once', {
  call: ({ id }) => ({ params: { id } }),
  done: (_, { id }) => a.acted({ id }),
  failed: (problem) => a.actFailed({ problem }),
});

export const replaceAll = request(a.replaceAll, 'replaceAll', 'once', {
  call: ({ id }) => ({ params: { id } }),
  done: (_, { id }) => a.acted({ id }),
  failed: (problem) => a.actFailed({ problem }),
});

/** What was done to a run shows at once, where it is still the one that is open. */
export const readActed = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(a.acted),
      concatLatestFrom(() => store.select(runsFeature.selectOpenRun)),
      filter(([{ id }, openRun]) => id === openRun),
      map(([{ id }]) => a.runOpened({ id })),
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
      concatLatestFrom(() => store.select(runsFeature.selectRunsState)),
      filter(
        ([action, { openRun, run }]) =>
          action.type !== frameActions.told.type ||
          (action.event.type === 'run' &&
            // Runs of steps may lie deeper than those that the page knows yet.
            (action.event.run.id === openRun || (action.event.run.parent !== null && run.value?.mapping === null))),
      ),
      throttleTime(900, undefined, { leading: true, trailing: true }),
      // Meanwhile somebody may have gone on to another run: that one is shown.
      concatLatestFrom(() => store.select(runsFeature.selectOpenRun)),
      filter(([, openRun]) => openRun !== null && router.url.startsWith('/runs/')),
      map(([, openRun]) => a.runOpened({ id: openRun! })),
    ),
  { functional: true },
);

/**
 * A list that is on its way when a run moves may be older than what was told: it is asked for once more. So is one that is
 * filtered or sorted: only the server knows whether, and where, the run belongs there now.
 */
export const keepUpList = createEffect(
  (actions = inject(Actions), store = inject(Store), router = inject(Router)) =>
    actions.pipe(
      ofType(frameActions.told),
      concatLatestFrom(() => store.select(runsFeature.selectRunsState)),
      filter(
        ([{ event }, { runs, asked }]) =>
          event.type === 'run' && (runs.state === 'loading' || (!plainly(asked) && /^\/runs(\?|$)/.test(router.url))),
      ),
      throttleTime(900, undefined, { leading: true, trailing: true }),
      map(() => a.opened({ asked: null })),
    ),
  { functional: true },
);
