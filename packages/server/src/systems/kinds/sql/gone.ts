import { quoteName } from '@versicle/core';
import { DatabaseError, isDatabaseOutage, tableName, type Database } from '@versicle/postgres';
import type { GoneRecords } from '../kind.ts';
import { amongKeys, keyLists } from './keys.ts';
import { typeIn, type SqlTables } from './tables.ts';

/**
 * Deletes records by their keys, or sets fields of them. One that is not there any more is no fault, so that it may be done
 * again. Gives why some stay, by their places: all others are done.
 */
export async function tellTableGone(
  db: Pick<Database, 'transaction'>,
  tables: SqlTables,
  table: string,
  gone: GoneRecords,
  signal: AbortSignal,
): Promise<ReadonlyMap<number, string>> {
  const columns = await tables.known(table);
  const typeOf = typeIn(columns);
  const { key, mark } = gone;
  const set = Object.entries(mark ?? {});
  const of = `WHERE ${amongKeys(key, typeOf)}`;
  const to = set.map(([name], i) => `${quoteName(name)} = CAST($${key.length + i + 1} AS ${typeOf(name)})`).join(', ');
  const sql = mark === null ? `DELETE FROM ${tableName(table)} ${of}` : `UPDATE ${tableName(table)} SET ${to} ${of}`;
  const stays = new Map<number, string>();
  const tell = async (places: readonly number[]): Promise<void> => {
    const params = [
      ...keyLists(
        key,
        places.map((place) => gone.rows[place]!),
      ),
      ...set.map(([, value]) => value),
    ];
    try {
      await db.transaction([{ sql, params }], signal);
    } catch (error) {
      if (!(error instanceof DatabaseError) || isDatabaseOutage(error)) throw error;
      // One that others refer to keeps none of the rest from going.
      if (places.length === 1) return void stays.set(places[0]!, error.message);
      const half = places.length >> 1;
      await tell(places.slice(0, half));
      await tell(places.slice(half));
    }
  };
  await tell(gone.rows.map((_, place) => place));
  return stays;
}
