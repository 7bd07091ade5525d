import type { PlanDetail, RunSummary } from '@versicle/contract';
import type { Router } from '@angular/router';
import { Actions } from '@ngrx/effects';
import type { Action, Store } from '@ngrx/store';
import { BehaviorSubject, map, Subject, type Observable } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { keepUpPlan } from './plan.effects';
import { initialPlan, planActions as a, planFeature, type PlanState } from './plan.feature';

const told = (plan: string): Action =>
  frameActions.told({ event: { type: 'run', run: { id: 1, plan } as RunSummary } });

describe('the page of a plan', () => {
  let actions: Subject<Action>;
  let states: BehaviorSubject<PlanState>;
  let dispatched: Action[];
  const dispatch = (action: Action): void => {
    states.next(planFeature.reducer(states.value, action));
    actions.next(action);
  };
  beforeEach(() => {
    jest.useFakeTimers();
    actions = new Subject();
    states = new BehaviorSubject(initialPlan);
    dispatched = [];
    const select = (selector: (root: object) => unknown): Observable<unknown> =>
      states.pipe(map((plan) => selector({ plan })));
    const effect = keepUpPlan as unknown as (a: Actions, s: Store, r: Router) => Observable<Action>;
    effect(new Actions(actions), { select } as unknown as Store, { url: '/plans/p' } as Router).subscribe((action) => {
      dispatched.push(action);
      dispatch(action);
    });
  });
  afterEach(() => jest.useRealTimers());

  it('is read again when one of its runs moves, and is left alone by others', () => {
    dispatch(a.opened({ id: 'p' }));
    dispatch(told('q'));
    expect(dispatched).toEqual([]);
    dispatch(told('p'));
    expect(dispatched).toEqual([a.opened({ id: 'p' })]);
  });
  it('gives its place to another plan for good, also when a run of it moved just before', () => {
    dispatch(a.opened({ id: 'p' }));
    dispatch(told('p'));
    dispatch(told('p'));
    dispatch(a.opened({ id: 'q' }));
    dispatch(a.loaded({ plan: { id: 'q', version: 1 } as PlanDetail }));
    jest.advanceTimersByTime(5000);
    expect(states.value.id).toBe('q');
    expect(dispatched.at(-1)).toEqual(a.opened({ id: 'q' }));
  });
});
