import { Fault, quoted as inQuotes } from '@versicle/core';
import { isDatabaseOutage, ServerDatabase, type ServerAddress } from '@versicle/postgres';
import { quoted } from './content.ts';

/** Bytes of a name on a server. */
const LONGEST = 63;

/**
 * A database of its own beside the store's, on the same server and of the same user; made where there is none. Throws a
 * Fault where the user may not make it, with what to do.
 */
export async function databaseBeside(store: ServerAddress, name: string): Promise<ServerAddress> {
  const database = `${store.database}_${name}`;
  if (Buffer.byteLength(database) > LONGEST)
    throw new Fault(
      'refused',
      `The database ${inQuotes(database)} would have a longer name than ${LONGEST} bytes; choose a shorter one.`,
    );
  const db = new ServerDatabase(store, { most: 1 });
  try {
    const [found] = await db.query('SELECT 1 FROM pg_database WHERE datname = $1', [database]);
    if (!found) await db.exec(`CREATE DATABASE ${quoted(database)} ENCODING 'UTF8' TEMPLATE template0`);
  } catch (error) {
    const { code, message } = error as { code?: string; message: string };
    if (isDatabaseOutage(error)) throw error;
    // Another process was quicker.
    if (code !== '42P04' && code !== '23505')
      throw code === '42501'
        ? new Fault(
            'refused',
            `The user ${inQuotes(store.user)} may not make the database ${inQuotes(database)} on ${store.host}. Let somebody make it: CREATE DATABASE ${quoted(database)} OWNER ${quoted(store.user)} ENCODING 'UTF8' TEMPLATE template0.`,
          )
        : new Fault('refused', `The database ${inQuotes(database)} could not be made on ${store.host}: ${message}`);
  } finally {
    await db.close();
  }
  return { ...store, database, label: `${store.host}:${store.port}/${database}` };
}
