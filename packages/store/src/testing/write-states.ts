import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync, cpSync, writeFileSync, mkdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { PgliteHere, ServerDatabase, type Database, type Row } from '@versicle/postgres';
import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import { quoted, storedTables } from '../content.ts';
import { migrate, NEWEST } from '../migrate.ts';

/**
 * `npm run store-states -- data/demo/versicle/store`: writes down what a store looks like after each change that has no dump
 * yet, with content of the store that is named, as far as the tables of then take it. Run it before a change is added; what
 * has been written is never written anew, so that the tests bring up the stores of then and not those of today's migrations.
 */
const from = process.argv[2];
const bin = postgresPrograms();
if (from === undefined || bin === null)
  throw new Error('Name a store (not in use), and install PostgreSQL: its pg_dump is needed.');
const states = join(__dirname, 'states');
mkdirSync(states, { recursive: true });
const done = new Set(readdirSync(states).map((name) => Number(name.slice(0, 3))));

/** Rows of a table at the most, and characters of a row. */
const [ROWS, LONGEST] = [25, 4000];
const copy = mkdtempSync(join(tmpdir(), 'versicle-states-'));
cpSync(from, join(copy, 'store'), { recursive: true });
const source = await PgliteHere.open(join(copy, 'store'), { trigrams: true });
await migrate(source);
const content = new Map<string, Row[]>();
for (const { name, key } of await storedTables((sql, params) => source.query(sql, params))) {
  const order = key.length === 0 ? '' : ` ORDER BY ${key.map(quoted).join(', ')}`;
  const rows = await source.query<{ row: string; size: number }>(
    `SELECT to_jsonb(t) AS row, length(to_jsonb(t)::text) AS size FROM ${quoted(name)} t${order} LIMIT ${ROWS}`,
  );
  content.set(
    name,
    rows.filter((r) => r.size < LONGEST).map((r) => JSON.parse(r.row) as Row),
  );
}
await source.close();

const server = await PostgresServer.start();
for (let change = 1; change <= NEWEST; change++) {
  if (done.has(change)) continue;
  const name = `state_${change}`;
  await server.query(`CREATE DATABASE ${name} TEMPLATE template0 ENCODING 'UTF8'`);
  const at = {
    host: '127.0.0.1',
    port: server.port,
    database: name,
    user: 'ledger',
    password: PostgresServer.password,
  };
  const db = new ServerDatabase({ ...at, ssl: false, label: name }, { trigrams: true });
  await db.exec('CREATE EXTENSION IF NOT EXISTS pg_trgm');
  await migrate(db, change);
  const rows = await fill(db);
  await db.close();
  const dump = execFileSync(join(bin, 'pg_dump'), ['-h', '127.0.0.1', '-p', String(server.port), '-U', 'ledger', '--inserts', '--rows-per-insert=100', '--no-owner', '--no-comments', '--no-privileges', name], { env: { ...process.env, PGPASSWORD: PostgresServer.password }, maxBuffer: 1 << 28 }); // prettier-ignore
  const file = join(states, `${String(change).padStart(3, '0')}.sql.gz`);
  writeFileSync(file, gzipSync(dump, { level: 9 }));
  process.stdout.write(`${file}: ${rows} rows\n`);
}
await server.stop();
rmSync(copy, { recursive: true });

/** Puts in whatever the tables of then take: what refers to another row comes after that. Gives how many rows. */
async function fill(db: Database): Promise<number> {
  const ask = <T extends Row>(sql: string, params?: readonly unknown[]): Promise<T[]> => db.query<T>(sql, params);
  const tables = (await storedTables(ask)).filter((t) => content.has(t.name));
  const waiting = new Map(tables.map((t) => [t, [...content.get(t.name)!]]));
  let taken = 0;
  for (let before = -1; before !== taken;) {
    before = taken;
    for (const [table, rows] of waiting) {
      const left: Row[] = [];
      for (const row of rows) {
        const columns = table.columns
          .filter((c) => c in row)
          .map(quoted)
          .join(', ');
        const sql = `INSERT INTO ${quoted(table.name)} (${columns}) SELECT ${columns} FROM json_populate_record(NULL::${quoted(table.name)}, $1)`;
        await db.query(sql, [JSON.stringify(row)]).then(
          () => taken++,
          // What it refers to may come yet; what the tables of then don't take, they never take.
          (error: { code?: string }) => void (error.code === '23503' && left.push(row)),
        );
      }
      waiting.set(table, left);
    }
  }
  // Numbers go on behind what is there.
  for (const { table, column } of await ask<{ table: string; column: string }>(
    "SELECT table_name::text AS table, column_name::text AS column FROM information_schema.columns WHERE table_schema = current_schema() AND column_default LIKE 'nextval(%'",
  ))
    await db.query(`SELECT setval(pg_get_serial_sequence('${table}', '${column}'), GREATEST(1, (SELECT max(${quoted(column)}) FROM ${quoted(table)})))`); // prettier-ignore
  return taken;
}
