import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { PGlite } from '@electric-sql/pglite';
import { parsers } from '../store/parsers.ts';
import type { Database, Row, Statement } from '../store/database.ts';
import { itemsDocument } from './running-server.ts';

const migrations = join(__dirname, '../store/migrations');

/** The store on a PGlite in this very thread, for tests of what speaks SQL. */
export async function directDatabase(): Promise<Database> {
  const db = await PGlite.create();
  await db.exec("SET TimeZone = 'UTC'; SET DateStyle = 'ISO'");
  for (const name of readdirSync(migrations).sort()) await db.exec(readFileSync(join(migrations, name), 'utf8'));
  return {
    query: async <T extends Row>(sql: string, params: readonly unknown[] = []) =>
      (await db.query<T>(sql, [...params], { parsers })).rows,
    exec: async (sql) => void (await db.exec(sql)),
    transaction: (statements: readonly Statement[]) =>
      db.transaction(async (tx) => {
        const all: Row[][] = [];
        for (const { sql, params } of statements)
          all.push((await tx.query<Row>(sql, [...(params ?? [])], { parsers })).rows);
        return all;
      }),
    close: () => db.close(),
  } satisfies Pick<Database, 'query' | 'exec' | 'transaction' | 'close'> as Database;
}

let made = 0;
/** A queued run of a mapping of its own that reads from one system and writes to a dataset. */
export async function storedRun(db: Database, reads: string, writes: string): Promise<number> {
  const id = `m${++made}`;
  const document = itemsDocument();
  document['source'] = { primary: { alias: 'i', dataset: `${reads}/items.csv` } };
  (document['target'] as { dataset: string }).dataset = writes;
  const text = JSON.stringify(document);
  await db.query('INSERT INTO mapping (id, draft, name) VALUES ($1, $2, $1)', [id, text]);
  await db.query(
    "INSERT INTO revision (mapping, number, document, note, published_by) VALUES ($1, 1, $2, '', 'Ines')",
    [id, text],
  );
  await db.query('INSERT INTO plan (id, name, mapping) VALUES ($1, $1, $1)', [id]);
  const [row] = await db.query<{ id: number }>(
    "INSERT INTO run (kind, plan, mapping, revision, started_by) VALUES ('full', $1, $1, 1, 'Ines') RETURNING id",
    [id],
  );
  return row!.id;
}
