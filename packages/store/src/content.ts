import type { Row } from '@versicle/postgres';

/** A table of the store. */
export interface StoredTable {
  readonly name: string;
  readonly columns: readonly string[];
  /** In whose order its rows are read, so that what refers to an earlier one comes after it. */
  readonly key: readonly string[];
}
/** What there is in a table: its rows, and a sum over all of them, whatever their order. */
export interface TableSum {
  readonly rows: number;
  readonly sum: string;
}
export type Ask = <T extends Row>(sql: string, params?: readonly unknown[]) => Promise<T[]>;

/** Of the program and of processes that run, not of what people did with it. */
const OF_THE_PROGRAM = ['migration', 'worker', 'duty', 'trial', 'sign_in', 'embedded_database'];

/** All tables that hold what people and runs left, by name. */
export async function storedTables(ask: Ask): Promise<StoredTable[]> {
  const rows = await ask<{ name: string; columns: string[]; key: string[] | null }>(
    `SELECT c.relname AS name, array_agg(a.attname::text ORDER BY a.attnum) AS columns,
            (SELECT array_agg(k.attname::text ORDER BY array_position(i.indkey::int2[], k.attnum)) FROM pg_index i
               JOIN pg_attribute k ON k.attrelid = i.indrelid AND k.attnum = ANY (i.indkey) WHERE i.indrelid = c.oid AND i.indisprimary) AS key
       FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = ''
      WHERE c.relkind = 'r' AND c.relnamespace = current_schema()::regnamespace AND c.relname <> ALL ($1::text[])
      GROUP BY c.oid, c.relname ORDER BY c.relname`,
    [OF_THE_PROGRAM],
  );
  return rows.map(({ name, columns, key }) => ({ name, columns, key: key ?? [] }));
}
/** The numbers of the changes that made the tables (migrate.ts), ascending. */
export async function changesOf(ask: Ask): Promise<number[]> {
  const rows = await ask<{ number: number }>('SELECT number FROM migration ORDER BY number');
  return rows.map((r) => r.number);
}
/** Where each sequence has come to. */
export async function sequencesOf(ask: Ask): Promise<{ name: string; value: string }[]> {
  return ask(
    'SELECT sequencename::text AS name, last_value::text AS value FROM pg_sequences WHERE schemaname = current_schema() AND last_value IS NOT NULL ORDER BY 1',
  );
}

export const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;
/** Every row with each column as the text that PostgreSQL writes. */
export const readingOf = ({ name, columns, key }: StoredTable): string =>
  `SELECT ${columns.map((c, i) => `${quoted(c)}::text AS "c${i}"`).join(', ')} FROM ${quoted(name)}${key.length === 0 ? '' : ` ORDER BY ${key.map(quoted).join(', ')}`}`;
export const summing = ({ name, columns }: StoredTable): string =>
  `SELECT count(*)::int AS rows, COALESCE(sum(('x' || substr(md5(ROW(${columns.map((c) => `${quoted(c)}::text`).join(', ')})::text), 1, 15))::bit(60)::bigint), 0)::text AS sum FROM ${quoted(name)}`;
export async function sumOf(ask: Ask, table: StoredTable): Promise<TableSum> {
  const [found] = await ask<{ rows: number; sum: string }>(summing(table));
  return found!;
}

/** Bytes that are read at a time, about. */
const AT_A_TIME = 8 * 1024 * 1024;
/** How many rows of a table are read at a time: some hold whole documents, or the hashes of a chunk. */
export async function pageOf(ask: Ask, { name }: StoredTable): Promise<number> {
  const [found] = await ask<{ most: number | null }>(
    `SELECT max(pg_column_size(t.*))::int AS most FROM ${quoted(name)} t`,
  );
  return Math.max(1, Math.min(2000, Math.floor(AT_A_TIME / (found?.most ?? 1))));
}
