import { randomUUID } from 'node:crypto';
import type { Database } from '@versicle/postgres';

/** Seconds after which work that was not heard of is taken for given up, and milliseconds between looks for its turn. */
const LONGEST = 60;
const LOOK = 150;

/** Does something that only one at a time may do in all processes on the store; the others wait for their turn. */
export async function alone<T>(db: Database, name: string, work: () => Promise<T>): Promise<T> {
  const me = randomUUID();
  for (;;) {
    const rows = await db.query(
      `INSERT INTO duty AS d (name, holder, until) VALUES ($1, $2, clock_timestamp() + make_interval(secs => ${LONGEST}))
       ON CONFLICT (name) DO UPDATE SET holder = EXCLUDED.holder, until = EXCLUDED.until WHERE d.until < clock_timestamp() RETURNING name`,
      [name, me],
    );
    if (rows.length > 0) break;
    await new Promise((resolve) => setTimeout(resolve, LOOK));
  }
  try {
    return await work();
  } finally {
    // Where the store does not answer, it runs out by itself; what was done is done all the same.
    await db.query('DELETE FROM duty WHERE name = $1 AND holder = $2', [name, me]).catch(() => undefined);
  }
}
