import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { PGlite } from '@electric-sql/pglite';
import { parsers } from '../store/parsers.ts';
import type { Database, Row, Statement } from '../store/database.ts';

const migrations = join(__dirname, '../store/migrations');

/** The store on a PGlite in this very thread, for tests of what speaks SQL. */
export async function directDatabase(): Promise<Pick<Database, 'query' | 'exec' | 'transaction' | 'close'>> {
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
  };
}
