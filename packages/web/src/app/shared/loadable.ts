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
