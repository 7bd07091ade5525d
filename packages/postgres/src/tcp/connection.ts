import type pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import type { Row, Session } from '../session.ts';

const gone = new WeakMap<pg.ClientBase, Promise<never>>();
/** Rejects when the connection breaks; also one that breaks between two queries is heard of so. */
export function goneOf(client: pg.ClientBase): Promise<never> {
  const known = gone.get(client);
  if (known) return known;
  const promise = new Promise<never>((_, reject) => {
    client.on('error', reject);
    client.on('end', () => reject(new Error('Connection terminated unexpectedly')));
  });
  promise.catch(() => undefined);
  gone.set(client, promise);
  return promise;
}
/** Cursors and COPY ask a connection that broke meanwhile without an end; here they end with the reason. */
export function unlessGone<T>(client: pg.ClientBase, work: Promise<T>): Promise<T> {
  return Promise.race([work, goneOf(client)]);
}

/** Drops the connection itself when the signal says so, since a statement under way would be waited for. */
export function endsWith(client: pg.ClientBase, signal: AbortSignal | undefined): { readonly forget: () => void } {
  const stop = (): void =>
    (client as unknown as { connection: { stream: { destroy(): void } } }).connection.stream.destroy();
  signal?.addEventListener('abort', stop, { once: true });
  return { forget: () => signal?.removeEventListener('abort', stop) };
}

/** Ends what only read, and gives the connection back. */
export async function release(client: pg.PoolClient): Promise<void> {
  await client.query('ROLLBACK').then(
    () => client.release(),
    (error: Error) => client.release(error),
  );
}

export function sessionOf(client: pg.PoolClient, takesCopy: boolean): Session {
  return {
    exec: (sql) => client.query(sql),
    query: async <T extends Row>(sql: string, params: readonly unknown[] = []) => {
      const { rows, rowCount } = await client.query(sql, [...params]);
      return { rows: rows as T[], count: rowCount ?? 0 };
    },
    arrays: async <T extends readonly unknown[]>(sql: string, params: readonly unknown[] = []) =>
      (await client.query({ text: sql, values: [...params], rowMode: 'array' })).rows as unknown as T[],
    copy: takesCopy ? (table, columns, text) => unlessGone(client, copyInto(client, table, columns, text)) : null,
  };
}

function copyInto(client: pg.PoolClient, table: string, columns: string | null, text: Uint8Array): Promise<number> {
  return new Promise((resolve, reject) => {
    const stream = client.query(copyFrom(`COPY ${table}${columns === null ? '' : ` (${columns})`} FROM STDIN`));
    stream.on('error', reject);
    stream.on('finish', () => resolve((stream as unknown as { rowCount: number }).rowCount));
    stream.end(Buffer.from(text.buffer, text.byteOffset, text.byteLength));
  });
}
