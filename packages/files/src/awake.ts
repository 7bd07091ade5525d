import { stat } from 'node:fs';

/**
 * With the C library of Debian 12 (glibc before 2.41, its bug 25847), a thread that a file operation is given to is sometimes
 * not woken: the operation waits until the next one is given, and where there is none, for ever. So one is given every second,
 * as long as the process has anything to do.
 */
export function keepFileThreadsAwake(): void {
  setInterval(() => stat('/', () => undefined), 1000).unref();
}
