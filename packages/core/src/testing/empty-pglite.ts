import { PGlite } from '@electric-sql/pglite';
import { cpSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const template = join(__dirname, '../../../../.cache/template');

/** An empty PostgreSQL (PGlite) of one's own. A copy of the servers' template, where there is one: to make one takes seconds. */
export async function emptyPglite(): Promise<PGlite> {
  if (!existsSync(join(template, 'PG_VERSION'))) return PGlite.create();
  const home = mkdtempSync(join(tmpdir(), 'versicle-pglite-'));
  cpSync(template, home, { recursive: true });
  const db = await PGlite.create(home);
  const close = db.close.bind(db);
  return Object.assign(db, {
    close: async () => {
      await close();
      rmSync(home, { recursive: true, force: true });
    },
  });
}
