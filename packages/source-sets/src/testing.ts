import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { PGlite } from '@electric-sql/pglite';
import {
  compileMapping,
  composedNames,
  documentSql,
  isComposed,
  MappingRun,
  outputText,
  placeReader,
  quoteName,
  rowTyper,
  sourceFieldsFor,
  sourceNamesOf,
  timestampOfMillis,
  Unreadable,
  type MappingDocument,
  type SourceField,
  type Value,
} from '@versicle/core';
import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import {
  composeRecords,
  joinFigures,
  type Composed,
  type JoinFigures,
  type MemberRecords,
  type SetHome,
} from './index.ts';

/** Files and composed records for the tests of this package. */

const directory = mkdtempSync(join(tmpdir(), 'versicle-compose-'));
afterAll(() => rmSync(directory, { recursive: true, force: true }));

/** The template is made by whichever server started first; without it, an empty database is made each time. */
const HERE: SetHome = { kind: 'here', template: join(__dirname, '../../../.cache/template') };
const OPTIONS = { rowLimit: null, startedAt: '2026-11-26T08:00:00Z' };
/** Null where Debian's PostgreSQL server is not installed. */
let server: PostgresServer | null = null;
beforeAll(async () => void (server = postgresPrograms() === null ? null : await PostgresServer.start()));
afterAll(() => server?.stop());
const onServer = ({ port }: PostgresServer): SetHome => ({
  kind: 'server',
  sessions: 'Versicle composing',
  address: {
    host: '127.0.0.1',
    port,
    database: 'postgres',
    user: 'ledger',
    password: PostgresServer.password,
    ssl: false,
    label: 'the ledger',
  },
});

let files = 0;
export function csv(names: string[], rows: readonly (readonly (string | null)[])[]): MemberRecords {
  const path = join(directory, `f${++files}.csv`);
  writeFileSync(path, [names, ...rows].map((r) => r.map((v) => v ?? '').join(';')).join('\n') + '\n');
  return {
    files: [{ path, name: `f${files}.csv` }],
    format: {
      kind: 'delimited',
      encoding: 'utf-8',
      delimiter: ';',
      quote: '"',
      newline: '\n',
      skipLines: 0,
      header: true,
      emptyIsNull: true,
    },
    names,
  };
}
export async function compose(
  doc: MappingDocument,
  members: readonly MemberRecords[],
): Promise<Composed & { records: Record<string, string | null>[] }> {
  const here = composeIn(HERE, doc, members);
  if (server === null) return here;
  // Both homes say the same, also where they refuse.
  const [one, other] = await Promise.allSettled([here, composeIn(onServer(server), doc, members)]);
  const told = (result: PromiseSettledResult<unknown>): unknown =>
    result.status === 'fulfilled' ? result.value : (result.reason as Error).message;
  expect(told(other)).toEqual(told(one));
  return here;
}
async function composeIn(
  home: SetHome,
  doc: MappingDocument,
  members: readonly MemberRecords[],
): Promise<Composed & { records: Record<string, string | null>[] }> {
  const path = join(directory, `out${++files}.jsonl`);
  const composed = await composeRecords(doc, members, path, { ...OPTIONS, home });
  const lines = readFileSync(path, 'utf8').split('\n').filter(Boolean);
  return { ...composed, records: lines.map((l) => JSON.parse(l)) };
}
/** What each join finds, in both homes. */
export async function figuresOf(doc: MappingDocument, members: readonly MemberRecords[]): Promise<JoinFigures[]> {
  const here = await joinFigures(doc, members, { ...OPTIONS, home: HERE });
  if (server !== null) expect(await joinFigures(doc, members, { ...OPTIONS, home: onServer(server) })).toEqual(here);
  return here;
}

type Rows = readonly (readonly (string | null)[])[];
export interface Table {
  readonly alias: string;
  readonly dataset: string;
  readonly names: string[];
  readonly rows: Rows;
}
/** When the runs of these tests start. */
export const NOW = Date.UTC(2026, 10, 26);

/** The records that a document writes over these tables: as its SELECT says, and as a run would. */
export async function bothWays(
  db: PGlite,
  document: MappingDocument,
  tables: readonly Table[],
): Promise<{ theirs: (string | null)[][]; ours: (string | null)[][] }> {
  const own = new Map(
    tables.filter((t, i) => tables.findIndex((o) => o.alias === t.alias) === i).map((t) => [t.alias, t.names]),
  );
  const names = isComposed(document) ? composedNames(document, own) : tables[0]!.names;
  const fields = sourceFieldsFor(document, names);
  return { theirs: await selected(db, document, tables, fields), ours: await written(document, tables, fields) };
}

/** What our own evaluator writes. */
async function written(
  document: MappingDocument,
  tables: readonly Table[],
  fields: SourceField[],
): Promise<(string | null)[][]> {
  const mapping = compileMapping(document, fields);
  const run = new MappingRun(mapping, { startedAt: timestampOfMillis(NOW), fileName: 'rows.csv' });
  const typed = rowTyper(fields);
  const out: (string | null)[][] = [];
  const apply = (row: readonly (string | null)[], number: number): void => {
    const values = typed === null ? row : typed(row);
    if (values instanceof Unreadable) return;
    const outcome = run.apply(values, number);
    if (outcome.kind === 'written')
      out.push(mapping.columns.map((c, i) => outputText(outcome.values[i] as Value, c.type.value)));
  };
  if (!isComposed(document)) tables[0]!.rows.forEach((row, i) => apply(row, i + 1));
  else {
    const composed = await compose(
      document,
      tables.map((t) => csv(t.names, t.rows)),
    );
    const names = sourceNamesOf(composed.fields);
    const place = placeReader(names)!;
    for (const record of composed.records) {
      const { row, number } = place(names.map((n) => record[n] ?? null));
      apply(row as (string | null)[], number!);
    }
  }
  return out;
}

/** The statement's rows as text, over tables that hold the same rows. */
async function selected(
  db: PGlite,
  document: MappingDocument,
  tables: readonly Table[],
  fields: SourceField[],
): Promise<(string | null)[][]> {
  for (const { dataset, names, rows } of tables) {
    await db.exec(
      `DROP TABLE IF EXISTS ${quoteName(dataset)}; CREATE TABLE ${quoteName(dataset)} (${names.map((n) => `${quoteName(n)} text COLLATE "C"`).join(', ')})`,
    );
    for (const row of rows)
      await db.query(`INSERT INTO ${quoteName(dataset)} VALUES (${row.map((_, i) => `$${i + 1}`).join(', ')})`, [
        ...row,
      ]);
  }
  const below = new Map(tables.map((t) => [t.dataset, t.names]));
  const { sql, parameters } = documentSql(document, fields, below);
  const values = parameters.map((p) => (p.name === 'run_started_at' ? new Date(NOW).toISOString() : 'rows.csv'));
  const { columns } = compileMapping(document, fields);
  const text = `SELECT ${columns.map((c) => `CAST(${quoteName(c.name)} AS text)`).join(', ')} FROM (${sql}) q`;
  return (await db.query<(string | null)[]>(text, values, { rowMode: 'array' })).rows;
}
