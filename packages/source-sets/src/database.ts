import { PgliteHere, type Session } from '@versicle/postgres';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** A PostgreSQL of its own for one piece of work, gone afterwards. `template`: an empty data directory, which is quicker. */
export async function withDatabase<T>(template: string | null, work: (db: Session) => Promise<T>): Promise<T> {
  const home = mkdtempSync(join(tmpdir(), 'versicle-set-'));
  try {
    const db = await PgliteHere.open(join(home, 'data'), {
      template: template ?? undefined,
      settings: "SET work_mem = '32MB'; SET temp_buffers = '16MB'",
    });
    try {
      return await work(db.session);
    } finally {
      await db.close();
    }
  } finally {
    rmSync(home, { recursive: true, force: true });
  }
}
