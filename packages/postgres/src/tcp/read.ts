import { Aborted } from '@versicle/core';
import type pg from 'pg';
import Cursor from 'pg-cursor';
import { databaseError } from '../database.ts';
import { isDatabaseOutage } from '../outage.ts';
import { endsWith, release, unlessGone } from './connection.ts';

const ROWS_AT_ONCE = 2000;

/** By a cursor in a read-only transaction: one snapshot, and never more than a few thousand rows in memory. */
export async function* readByCursor<T extends readonly unknown[]>(
  client: pg.PoolClient,
  sql: string,
  params: readonly unknown[],
  signal: AbortSignal | undefined,
): AsyncGenerator<T[]> {
  const ending = endsWith(client, signal);
  let cursor: Cursor<T> | null = null;
  let broken: Error | null = null;
  try {
    // Whoever works the rows off may take their time.
    await client.query(
      'BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY; SET LOCAL idle_in_transaction_session_timeout = 0',
    );
    cursor = client.query(new Cursor<T>(sql, [...params], { rowMode: 'array' }));
    for (;;) {
      const rows = await unlessGone(client, cursor.read(ROWS_AT_ONCE));
      if (rows.length === 0) break;
      yield rows;
    }
  } catch (error) {
    broken = error as Error;
    throw signal?.aborted ? new Aborted() : databaseError(error);
  } finally {
    ending.forget();
    // What is wrong with the connection would be waited for here without an end.
    if (broken !== null && isDatabaseOutage(broken)) client.release(broken);
    else {
      await unlessGone(client, cursor?.close() ?? Promise.resolve()).catch(() => undefined);
      await release(client);
    }
  }
}
