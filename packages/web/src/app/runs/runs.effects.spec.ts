import type { RunDetail, RunSummary } from '@versicle/contract';
import type { Router } from '@angular/router';
import type { Action, Store } from '@ngrx/store';
import { Actions } from '@ngrx/effects';
import { BehaviorSubject, Subject, type Observable } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { keepUp, keepUpList, readActed } from './runs.effects';
import { runsActions as a, runsFeature } from './runs.feature';

const run = (id: number, state: string, parent: number | null = null): RunSummary =>
  ({ id, state, parent }) as RunSummary;
const told = (r: RunSummary): Action => frameActions.told({ event: { type: 'run', run: r } });
type State = ReturnType<typeof runsFeature.reducer>;

/** The real reducer under the effect, without a page. */
function page(url: string, effect: (actions: Actions, store: Store, router: Router) => Observable<Action>): Action[] {
  const dispatched: Action[] = [];
  effect(new Actions(actions), store, { url } as Router).subscribe((action) => {
    dispatched.push(action);
    dispatch(action);
  });
  return dispatched;
}
let actions: Subject<Action>;
let states: BehaviorSubject<State>;
let store: Store;
const dispatch = (action: Action): void => {
  states.next(runsFeature.reducer(states.value, action));
  actions.next(action);
};

beforeEach(() => {
  actions = new Subject();
  states = new BehaviorSubject(runsFeature.reducer(undefined, { type: 'init' }));
  const select = (selector: (root: object) => unknown): Subject<unknown> => {
    const out = new BehaviorSubject(selector({ runs: states.value }));
    states.subscribe((s) => out.next(selector({ runs: s })));
    return out;
  };
  store = { select } as unknown as Store;
});

describe('an open run', () => {
  it('is read again when it ends while its first answer is on the way', () => {
    const dispatched = page('/runs/4', keepUp as never);
    dispatch(a.runOpened({ id: 4 }));
    dispatch(told(run(4, 'finished')));
    expect(dispatched).toEqual([a.runOpened({ id: 4 })]);
  });
  it('is read again when the connection to the server stands', () => {
    const dispatched = page('/runs/4', keepUp as never);
    dispatch(a.runOpened({ id: 4 }));
    dispatch(a.runLoaded({ run: run(4, 'running') as RunDetail }));
    dispatch(frameActions.connected());
    expect(dispatched).toHaveLength(1);
  });
  it('gives its place to another one for good, also when it moved just before', () => {
    jest.useFakeTimers();
    const dispatched = page('/runs/4', keepUp as never);
    dispatch(a.runOpened({ id: 4 }));
    dispatch(told(run(4, 'running')));
    dispatch(told(run(4, 'running')));
    dispatch(a.runOpened({ id: 5 }));
    jest.advanceTimersByTime(5000);
    jest.useRealTimers();
    expect(dispatched).toEqual([a.runOpened({ id: 4 }), a.runOpened({ id: 5 })]);
    expect(states.value.openRun).toBe(5);
  });
  it('is not opened again by what was done to it once another one is open', () => {
    const dispatched = page('/runs/5', readActed as never);
    dispatch(a.runOpened({ id: 4 }));
    dispatch(a.acted({ id: 4 }));
    dispatch(a.runOpened({ id: 5 }));
    dispatch(a.acted({ id: 4 }));
    expect(dispatched).toEqual([a.runOpened({ id: 4 })]);
  });
  it('is left alone by another run, and on another page', () => {
    const dispatched = page('/runs/4', keepUp as never);
    dispatch(a.runOpened({ id: 4 }));
    dispatch(told(run(5, 'finished')));
    expect(dispatched).toEqual([]);
    const elsewhere = page('/today', keepUp as never);
    dispatch(told(run(4, 'finished')));
    expect(elsewhere).toEqual([]);
  });
});

describe('the list of runs', () => {
  it('is asked for once more when a run moves while it is on the way', () => {
    const dispatched = page('/runs', keepUpList as never);
    dispatch(a.opened({ asked: null }));
    dispatch(told(run(4, 'finished')));
    expect(dispatched).toEqual([a.opened({ asked: null })]);
    dispatch(a.loaded({ runs: [run(4, 'finished')] }));
    dispatch(told(run(5, 'queued')));
    expect(dispatched).toHaveLength(1);
    expect(states.value.runs.value!.map((r) => r.id)).toEqual([5, 4]);
  });
  it('has no runs of steps, which stand with the run that holds them', () => {
    dispatch(a.opened({ asked: {} }));
    dispatch(a.loaded({ runs: [run(4, 'running')] }));
    dispatch(told(run(5, 'queued', 4)));
    expect(states.value.runs.value!.map((r) => r.id)).toEqual([4]);
  });
  it('is asked for once more when it is filtered, as only the server knows what belongs there', () => {
    const dispatched = page('/runs?state=running', keepUpList as never);
    dispatch(a.opened({ asked: { state: 'running' } }));
    dispatch(a.loaded({ runs: [run(4, 'running')] }));
    dispatch(told(run(5, 'running')));
    expect(states.value.runs.value!.map((r) => r.id)).toEqual([4]);
    expect(dispatched).toEqual([a.opened({ asked: null })]);
    expect(states.value.asked).toEqual({ state: 'running' });
  });
  it('goes on where a page ended, each run once', () => {
    const rows = Array.from({ length: 100 }, (_, i) => run(200 - i, 'finished'));
    dispatch(a.opened({ asked: {} }));
    dispatch(a.loaded({ runs: rows }));
    expect(states.value.more).toBe(true);
    dispatch(a.moreLoaded({ runs: [run(101, 'finished'), run(100, 'finished')] }));
    expect(states.value.runs.value!).toHaveLength(101);
    expect(states.value.more).toBe(false);
  });
});
