import { Aborted } from '@versicle/core';

/** The way to a system is broken, or it can't serve now: what became of the last call is not known, or it was not begun. */
export class Outage extends Error {}

/** An outage before anything was done: the same may simply be done again. */
export class NothingDone extends Outage {}

/** Nothing was done, since the target's window has closed: that is no outage, and it goes on when the next one opens. */
export class WindowClosed extends NothingDone {
  constructor() {
    super('The window of the target has closed.');
  }
}

/** Why a run's signal is aborted when a person cancels it: what is left over is settled, since it is not taken up again. */
export const CANCELLED = 'cancelled';

/** What is said of a record that a cancelled run did not send, and of one whose answer never came. */
export const UNSENT = 'The run was cancelled before it was sent.';
export const UNCLEAR =
  'It was sent, and no answer came: it is not clear whether the target has it. Look there before you send it again.';

/** Rejects as soon as the signal says so; what goes on behind it is nobody's concern any more. */
export function unlessAborted<T>(work: Promise<T>, signal: AbortSignal): Promise<T> {
  if (signal.aborted) {
    work.catch(() => undefined);
    return Promise.reject(new Aborted());
  }
  return new Promise<T>((resolve, reject) => {
    const stop = (): void => reject(new Aborted());
    signal.addEventListener('abort', stop, { once: true });
    work.then(resolve, reject).finally(() => signal.removeEventListener('abort', stop));
  });
}

/** Waits, or rejects when the signal says so. */
export function pause(ms: number, signal: AbortSignal): Promise<void> {
  if (signal.aborted) return Promise.reject(new Aborted());
  return new Promise((resolve, reject) => {
    const stop = (): void => {
      clearTimeout(timer);
      reject(new Aborted());
    };
    const timer = setTimeout(() => {
      signal.removeEventListener('abort', stop);
      resolve();
    }, ms);
    signal.addEventListener('abort', stop, { once: true });
  });
}
