import { Fault } from '@versicle/core';
import type { Database, Session } from '@versicle/postgres';
import { createHash } from 'node:crypto';
import {
  changesOf,
  pageOf,
  readingOf,
  sequencesOf,
  storedTables,
  sumOf,
  summing,
  type Ask,
  type StoredTable,
  type TableSum,
} from './content.ts';

/**
 * A store as lines of JSON: the head; for each table its name and columns, its rows as lists of texts, and its sum; the
 * sequences; and the end, with a hash of all lines before it, so that what was cut off is told.
 */
export interface BackupHead {
  readonly versicle: 'store';
  readonly form: 1;
  readonly at: string;
  readonly changes: readonly number[];
  readonly tables: readonly string[];
}
export type BackupLine =
  | BackupHead
  | { readonly table: string; readonly columns: readonly string[] }
  | readonly (string | null)[]
  | ({ readonly ends: string } & TableSum)
  | { readonly sequences: readonly { readonly name: string; readonly value: string }[] }
  | { readonly end: string };

/** Tables as they all are at one instant: by cursors with their names. */
interface Instant {
  readonly ask: Ask;
  readonly tables: readonly (StoredTable & { readonly cursor: string; readonly sum: TableSum })[];
  readonly changes: readonly number[];
  readonly sequences: readonly { readonly name: string; readonly value: string }[];
}
const cursorOf = (place: number): string => `backup_${place}`;

/** Of a session whose transaction sees one instant. */
export async function instantOfSession(session: Session): Promise<Instant> {
  await session.exec('SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY');
  const ask: Ask = async (sql, params) => (await session.query(sql, params)).rows as never;
  const tables = [];
  for (const [place, table] of (await storedTables(ask)).entries()) {
    tables.push({ ...table, cursor: cursorOf(place), sum: await sumOf(ask, table) });
    await session.exec(`DECLARE ${cursorOf(place)} NO SCROLL CURSOR FOR ${readingOf(table)}`);
  }
  return { ask, tables, changes: await changesOf(ask), sequences: await sequencesOf(ask) };
}
/** Of an embedded database that others go on working with: it keeps aside what it holds now. */
export async function instantOfEmbedded(db: Database): Promise<Instant> {
  const ask: Ask = (sql, params) => db.query(sql, params);
  const tables = await storedTables(ask);
  const found = await db.transaction([
    ...tables.map((t, place) => ({ sql: `DECLARE ${cursorOf(place)} NO SCROLL CURSOR WITH HOLD FOR ${readingOf(t)}` })),
    ...tables.map((t) => ({ sql: summing(t) })),
  ]);
  const sums = found.slice(tables.length).map(([row]) => row as unknown as TableSum);
  return {
    ask,
    tables: tables.map((t, place) => ({ ...t, cursor: cursorOf(place), sum: sums[place]! })),
    changes: await changesOf(ask),
    sequences: await sequencesOf(ask),
  };
}

/** The lines of a backup. The cursors are closed as they are read. */
export async function* backupLines({ ask, tables, changes, sequences }: Instant): AsyncGenerator<string> {
  const hash = createHash('sha256');
  const line = (content: BackupLine): string => {
    // To whoever reads lines these two end one as well.
    const text = `${JSON.stringify(content).replace(/[\u2028\u2029]/g, (c) => (c === '\u2028' ? '\\u2028' : '\\u2029'))}\n`;
    hash.update(text);
    return text;
  };
  const at = new Date().toISOString();
  yield line({ versicle: 'store', form: 1, at, changes, tables: tables.map((t) => t.name) });
  for (const table of tables) {
    const { name, columns, cursor, sum } = table;
    yield line({ table: name, columns });
    const page = await pageOf(ask, table);
    let rows = 0;
    for (;;) {
      const found = await ask(`FETCH FORWARD ${page} FROM ${cursor}`);
      for (const row of found) yield line(columns.map((_, i) => (row[`c${i}`] as string | null) ?? null));
      rows += found.length;
      if (found.length < page) break;
    }
    await ask(`CLOSE ${cursor}`);
    if (rows !== sum.rows) throw new Error(`${name} has ${sum.rows} rows, of which ${rows} could be read.`);
    yield line({ ends: name, ...sum });
  }
  yield line({ sequences });
  yield `${JSON.stringify({ end: hash.digest('hex') } satisfies BackupLine)}\n`;
}
/** Closes what a backup that was given up left open. */
export async function dropInstant(db: Database, tables: number): Promise<void> {
  for (let place = 0; place < tables; place++) await db.exec(`CLOSE ${cursorOf(place)}`).catch(() => undefined);
}

/** What went wrong with a file that should be a backup. */
export const noBackup = (why: string): Fault =>
  new Fault('input', `This is no backup of a store that can be restored: ${why}. Nothing was written.`);
