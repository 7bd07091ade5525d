import { type ActionCreator, on, type ReducerTypes } from '@ngrx/store';

/** Something that comes from the server, with how far it is. While it is loaded again the last value stays. */
export interface Loadable<T> {
  readonly state: 'idle' | 'loading' | 'loaded' | 'failed';
  readonly value: T | null;
  readonly problem: string | null;
}

export function idle<T>(): Loadable<T> {
  return { state: 'idle', value: null, problem: null };
}
export function loading<T>(before: Loadable<T>): Loadable<T> {
  return { state: 'loading', value: before.value, problem: null };
}
export function loaded<T>(value: T): Loadable<T> {
  return { state: 'loaded', value, problem: null };
}
export function failed<T>(problem: string, before: Loadable<T>): Loadable<T> {
  return { state: 'failed', value: before.value, problem };
}

type Told = Readonly<Record<string, unknown>> & { readonly type: string };
/** The member of a state that a loaded action brings by the same name. */
type LoadableOf<S, K extends keyof S> = S[K] extends Loadable<infer T> ? T : never;

/**
 * What came from the server for one member of a state, and why it could not be had; `asked`: what asks for it while the last
 * value stays (left out where asking does more than that). The action `came` brings the value by the member's name.
 */
export function fetched<S extends object, K extends keyof S & string>(
  member: K,
  actions: {
    readonly asked?: ActionCreator;
    readonly came: ActionCreator<
      string,
      (props: Record<K, LoadableOf<S, K>>) => Record<K, LoadableOf<S, K>> & { type: string }
    >;
    readonly failed: ActionCreator<string, (props: { problem: string }) => { problem: string; type: string }>;
  },
): ReducerTypes<S, readonly ActionCreator[]>[] {
  const now = (s: S): Loadable<unknown> => s[member] as Loadable<unknown>;
  const set = (s: S, value: Loadable<unknown>): S => ({ ...s, [member]: value });
  const { asked, came, failed: missed } = actions;
  return [
    ...(asked === undefined ? [] : [on(asked, (s: S): S => set(s, loading(now(s))))]),
    on(came as ActionCreator, (s: S, action: unknown): S => set(s, loaded((action as Told)[member]))),
    on(missed as ActionCreator, (s: S, action: unknown): S =>
      set(s, failed((action as Told)['problem'] as string, now(s))),
    ),
  ] as unknown as ReducerTypes<S, readonly ActionCreator[]>[];
}
