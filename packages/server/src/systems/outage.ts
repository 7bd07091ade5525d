/** The way to a system is broken, or it can't serve now: what became of the last call is not known, or it was not begun. */
export class Outage extends Error {}

/** An outage before anything was done: the same may simply be done again. */
export class NothingDone extends Outage {}

/** A person cancelled the run, or the server stops. */
export class Aborted extends Error {}
/** … before anything was done. */
export class AbortedBefore extends Aborted {}

/** Why a run's signal is aborted when a person cancels it: what is left over is settled, since it is not taken up again. */
export const CANCELLED = 'cancelled';

const CODES = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'EPIPE',
  'ETIMEDOUT',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'EHOSTDOWN',
  'ENETDOWN',
  'ENOTFOUND',
  'EAI_AGAIN',
]);

/** Errors of a database that may be gone when the same is tried again (PostgreSQL, appendix A: 08, 40, 53, 55P03, 57). */
export function isDatabaseOutage(error: unknown): boolean {
  const { code, message } = error as { code?: unknown; message?: unknown };
  if (typeof code === 'string' && CODES.has(code)) return true;
  if (typeof code === 'string' && /^(08|40|53|57)[0-9A-Z]{3}$|^55P03$/.test(code)) return true;
  return (
    typeof message === 'string' &&
    /connection (terminated|ended|closed)|terminating connection|client has encountered a connection error|not queryable|timeout (exceeded|expired)|server closed the connection/i.test(
      message,
    )
  );
}

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
