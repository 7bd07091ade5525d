import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { filter, map, throttleTime } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { request } from '../shared/request';
import { changedWords } from './waiting-words';
import { PAGE, waitingActions as a, waitingFeature, type WaitingState } from './waiting.feature';

/** Milliseconds after which a page that is open looks again while records are sent. */
const LOOK_EVERY = 1500;

export const load = request([a.opened, a.moved, a.changed, a.changeFailed], 'getWaiting', 'newest', {
  from: waitingFeature.selectOutboxState,
  call: (_, { system }) => (system === null ? null : { params: { id: system } }),
  done: (waiting) => a.waitingLoaded({ waiting }),
  failed: (problem) => a.waitingFailed({ problem }),
});

/** As many as are shown already: what was scrolled to stays. */
const shown = ({ records }: WaitingState): number => Math.min(500, Math.max(PAGE, records.value?.length ?? 0));
export const loadRecords = request([a.opened, a.moved, a.changed, a.changeFailed], 'listWaiting', 'newest', {
  from: waitingFeature.selectOutboxState,
  call: (_, s) => (s.system === null ? null : { params: { id: s.system }, query: { ...s.asked, limit: shown(s) } }),
  done: ({ records, more }) => a.recordsLoaded({ records, more }),
  failed: (problem) => a.recordsFailed({ problem }),
});

export const loadMore = request(a.moreAsked, 'listWaiting', 'once', {
  from: waitingFeature.selectOutboxState,
  // While another list is on its way, the rows that are shown are not those that these would follow.
  call: (_, { system, asked, records }) =>
    system !== null && records.state === 'loaded'
      ? { params: { id: system }, query: { ...asked, after: records.value!.at(-1)!.place, limit: PAGE } }
      : null,
  done: ({ records, more }) => a.moreLoaded({ records, more }),
  failed: (problem) => a.recordsFailed({ problem }),
  until: (actions) => actions.pipe(ofType(a.opened, a.recordsLoaded)),
});

export const change = request(a.change, 'changeWaiting', 'in turn', {
  from: waitingFeature.selectOutboxState,
  call: ({ change: body }, { system }) => (system === null ? null : { params: { id: system }, body }),
  done: (changed, { change: { act } }) => a.changed({ act, changed }),
  failed: (problem) => a.changeFailed({ problem }),
});

export const sayChanged = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(a.changed),
      map(({ act, changed }) => frameActions.say({ text: changedWords(act, changed), problem: false })),
    ),
  { functional: true },
);

/** While records are sent, what is shown goes along. */
export const follow = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(frameActions.told),
      filter(({ event }) => event.type === 'run'),
      throttleTime(LOOK_EVERY, undefined, { leading: true, trailing: true }),
      map(() => a.moved()),
    ),
  { functional: true },
);
