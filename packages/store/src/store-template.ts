import { createHash } from 'node:crypto';
import { makeFromTemplate, PgliteDatabase } from '@versicle/postgres';
import { migrate, migrations } from './migrate.ts';

/** Makes a new store from a template that has its tables already, so that a first start takes no longer than any other. */
export async function makeStore(directory: string, template: string): Promise<void> {
  const tables = createHash('sha256').update(JSON.stringify(migrations)).digest('hex').slice(0, 12);
  try {
    await makeFromTemplate(directory, `${template}-store-${tables}`, async (making) => {
      const db = await PgliteDatabase.open(making, { template, trigrams: true });
      await migrate(db);
      await db.exec('CHECKPOINT');
      await db.close();
    });
  } catch (error) {
    // Where nothing can be written beside the template, the tables are made in the store itself.
    if (!['EACCES', 'EPERM', 'EROFS'].includes((error as NodeJS.ErrnoException).code ?? '')) throw error;
  }
}
