import { parentPort, workerData } from 'node:worker_threads';
import type { Database, DatabaseError } from '../database.ts';
import type { Answer, Call } from './pglite.ts';
import { PgliteHere, type PgliteOptions } from './pglite-here.ts';

/** Owns one PGlite. Requests are served in the order of arrival, each as a whole. */

const { directory, options } = workerData as { directory: string; options: PgliteOptions };
const port = parentPort!;
async function serve(db: Database, { id, method, args }: Call): Promise<Answer> {
  try {
    return { id, value: await (db[method] as (...args: unknown[]) => Promise<unknown>).apply(db, [...args]) };
  } catch (error) {
    const { message, code, detail } = error as Partial<DatabaseError> & Error;
    return { id, error: { message, code: code ?? null, detail: detail ?? null } };
  }
}
async function run(): Promise<void> {
  const db: Database = await PgliteHere.open(directory, options);
  let last = Promise.resolve();
  port.on('message', (call: Call) => {
    last = last.then(async () => {
      port.postMessage(await serve(db, call));
      if (call.method === 'close') port.close();
    });
  });
  port.postMessage({ id: 0, value: null } satisfies Answer);
}
// What goes wrong before it is open ends the thread with its error, of which whoever started it hears.
void run();
