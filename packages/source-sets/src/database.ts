import { cpSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { PGlite } from '@electric-sql/pglite';

/** A PostgreSQL of its own for one piece of work, gone afterwards. `template`: an empty data directory, which is quicker. */
export async function withDatabase<T>(template: string | null, work: (db: PGlite) => Promise<T>): Promise<T> {
  const home = mkdtempSync(join(tmpdir(), 'versicle-set-'));
  const directory = join(home, 'data');
  try {
    if (template !== null && existsSync(join(template, 'PG_VERSION'))) cpSync(template, directory, { recursive: true });
    const db = await PGlite.create(directory);
    try {
      await db.exec(
        "SET TimeZone = 'UTC'; SET DateStyle = 'ISO'; SET IntervalStyle = 'postgres'; SET work_mem = '32MB'; SET temp_buffers = '16MB'",
      );
      return await work(db);
    } finally {
      await db.close();
    }
  } finally {
    rmSync(home, { recursive: true, force: true });
  }
}
