import { randomUUID } from 'node:crypto';

/** What this process is known by: to the store, and to databases that it writes into. */
export const THIS_PROCESS = randomUUID();
/** What the sessions of a process are called on the servers that it writes to. */
export const sessionsOf = (process: string): string => `Versicle ${process}`;
