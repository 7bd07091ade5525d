import { inject } from '@angular/core';
import { Actions, createEffect, type FunctionalEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { type Action, type ActionCreator, Store } from '@ngrx/store';
import { type Answer, type Call, addressOf, type RouteName } from '@versicle/contract';
import {
  catchError,
  concat,
  concatMap,
  exhaustMap,
  filter,
  first,
  map,
  mergeMap,
  type Observable,
  of,
  type OperatorFunction,
  switchMap,
  takeUntil,
} from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api, type ServerProblem } from './api';

/**
 * What becomes of an answer that is on its way when the same is asked for once more. `newest`: nobody waits for it any more
 * (reading). `in turn`: the next begins after it (saving). `once`: the next is not asked at all (starting). `each`: both come.
 */
export type Strategy = 'newest' | 'in turn' | 'once' | 'each';
type Flatten = <A>(project: (action: A) => Observable<Action>) => OperatorFunction<A, Action>;
const FLATTEN: Readonly<Record<Exclude<Strategy, 'newest'>, Flatten>> = {
  'in turn': (project) => concatMap(project),
  once: (project) => exhaustMap(project),
  each: (project) => mergeMap(project),
};
type Creator = ActionCreator<string, (...args: any[]) => Action>; // eslint-disable-line @typescript-eslint/no-explicit-any -- NgRx's own bound

interface Asks<A, N extends RouteName, S> {
  /** What the call is made of besides the action: a selector of the store. */
  readonly from?: (root: object) => S;
  /** What is asked; null asks nothing. Left out where the route takes nothing. */
  readonly call?: (action: A, state: S) => Call<N> | null;
  /** The action that the answer makes; null makes none. */
  readonly done: (answer: Answer<N>, action: A, state: S) => Action | null;
  readonly failed: (problem: string, action: A, error: ServerProblem, state: S) => Action;
  /** When this comes, the answer that is on its way is older than what holds then, and dropped. */
  readonly until?: (actions: Actions) => Observable<unknown>;
}

/**
 * An effect that asks the server: when an action comes, a route of the contract is called, and its answer or its problem
 * becomes an action. A reading (`newest`) that got no answer is asked again as soon as the server is there.
 */
export function request<C extends Creator, N extends RouteName, S = undefined>(
  when: C | readonly C[],
  route: N,
  strategy: Strategy,
  asks: Asks<ReturnType<C>, N, S>,
): FunctionalEffect<(actions?: Actions, api?: Api, store?: Store) => Observable<Action>> {
  const creators = (Array.isArray(when) ? when : [when]) as C[];
  return createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) => {
      const state = (): Observable<S> =>
        asks.from === undefined ? of(undefined as S) : store.select(asks.from as (root: object) => S);
      const connected = actions.pipe(ofType(frameActions.connected), first());
      const again = strategy === 'newest' && addressOf(route).method === 'get';
      const ask = (call: Call<N>, action: ReturnType<C>, from: S): Observable<Action> =>
        api.call(route, call).pipe(
          map((answer) => asks.done(answer, action, from)),
          filter((made) => made !== null),
          catchError((error: ServerProblem) => {
            const failed = of(asks.failed(error.message, action, error, from));
            return again && error.status === 0
              ? concat(failed, connected.pipe(switchMap(() => ask(call, action, from))))
              : failed;
          }),
        );
      type Asked = { readonly call: Call<N>; readonly action: ReturnType<C>; readonly from: S };
      const asked = (action: ReturnType<C>): Observable<Asked> =>
        of(action).pipe(
          concatLatestFrom(state),
          map(([, from]) => ({ action, from, call: asks.call === undefined ? {} : asks.call(action, from) })),
          filter((one): one is Asked => one.call !== null),
        );
      const answered = ({ call, action, from }: Asked): Observable<Action> => {
        const answer = ask(call, action, from);
        return asks.until === undefined ? answer : answer.pipe(takeUntil(asks.until(actions)));
      };
      const told = actions.pipe(
        filter((action): action is ReturnType<C> => creators.some((creator) => creator.type === action.type)),
      );
      // What asks nothing takes no answer away that is on its way.
      if (strategy === 'newest') return told.pipe(concatMap(asked), switchMap(answered));
      // One at a time, so that what is taken from the store is taken when it is this one's turn.
      return told.pipe(FLATTEN[strategy]((action: ReturnType<C>) => asked(action).pipe(switchMap(answered))));
    },
    { functional: true },
  );
}

/** The problem of a request that has no place of its own on the page. */
export const saidAloud = (text: string): Action => frameActions.say({ text, problem: true });
