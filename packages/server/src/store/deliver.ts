import { copyCells } from '@versicle/core';
import { quoteIdentifier as q, type Delivery, type Rejection } from './database.ts';

/** What delivering needs of a PostgreSQL transaction, embedded or on a server. */
export interface DeliveryTransaction {
  exec(sql: string): Promise<unknown>;
  query(sql: string, params: unknown[]): Promise<{ rows: Record<string, unknown>[] }>;
  /** COPY text into a table; null where the server does not take COPY: rows go in as arrays then. */
  readonly copy: ((table: string, columns: string, text: Uint8Array) => Promise<void>) | null;
}

/** The table that says which chunks arrived, so that none arrives twice when a run is resumed. */
export const JOURNAL = `CREATE SCHEMA IF NOT EXISTS versicle;
CREATE TABLE IF NOT EXISTS versicle.delivery (source text NOT NULL DEFAULT '', run integer, chunk integer, rejected jsonb NOT NULL DEFAULT '[]', at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (source, run, chunk));
ALTER TABLE versicle.delivery ADD COLUMN IF NOT EXISTS source text NOT NULL DEFAULT '';
COMMENT ON TABLE versicle.delivery IS 'Chunks that arrived, so that none arrives twice when a run is resumed';`;

export const tableName = (name: string): string => name.split('.').map(q).join('.');

/** Puts a chunk into its table and into the journal, within a transaction that is open already. Gives the rows refused. */
export async function deliverChunk(tx: DeliveryTransaction, delivery: Delivery): Promise<Rejection[]> {
  const known = await tx.query('SELECT rejected FROM versicle.delivery WHERE source = $1 AND run = $2 AND chunk = $3', [
    delivery.source,
    delivery.run,
    delivery.chunk,
  ]);
  const [before] = known.rows;
  if (before) {
    const { rejected } = before;
    return (typeof rejected === 'string' ? JSON.parse(rejected) : rejected) as Rejection[];
  }
  if (delivery.mode === 'replace' && delivery.chunk === 1) await tx.exec(`DELETE FROM ${tableName(delivery.table)}`);
  const rejections = delivery.rows === 0 ? [] : await write(tx, delivery);
  await tx.query('INSERT INTO versicle.delivery (source, run, chunk, rejected) VALUES ($1, $2, $3, $4)', [
    delivery.source,
    delivery.run,
    delivery.chunk,
    JSON.stringify(rejections),
  ]);
  return rejections;
}

/** The whole chunk at once; when the database refuses it, halves of it, down to the rows that are at fault. */
async function write(tx: DeliveryTransaction, delivery: Delivery): Promise<Rejection[]> {
  const whole = await attempt(tx, delivery, delivery.copy);
  if (whole === null) return [];
  const lines = new TextDecoder().decode(delivery.copy).split('\n').slice(0, delivery.rows);
  const rejections: Rejection[] = [];
  const pending: [from: number, to: number][] =
    lines.length > 1
      ? [
          [0, lines.length >> 1],
          [lines.length >> 1, lines.length],
        ]
      : [];
  if (lines.length === 1) rejections.push({ index: 0, line: lines[0]!, ...whole });
  while (pending.length > 0) {
    const [from, to] = pending.shift()!;
    const failed = await attempt(tx, delivery, new TextEncoder().encode(`${lines.slice(from, to).join('\n')}\n`));
    if (failed === null) continue;
    if (to - from === 1) rejections.push({ index: from, line: lines[from]!, ...failed });
    else {
      const middle = (from + to) >> 1;
      pending.unshift([from, middle], [middle, to]);
    }
  }
  return rejections;
}

/** Classes of SQLSTATE (PostgreSQL, appendix A): data, integrity, a view's check, and what triggers raise. */
const ROW_FAULTS: ReadonlySet<string> = new Set(['22', '23', '44', 'P0']);

type Refusal = Omit<Rejection, 'index' | 'line'>;
async function attempt(tx: DeliveryTransaction, delivery: Delivery, copy: Uint8Array): Promise<Refusal | null> {
  await tx.exec('SAVEPOINT part');
  try {
    await put(tx, delivery, copy);
    // Deferred constraints would speak only at the end, when no row could be named any more.
    await tx.exec('SET CONSTRAINTS ALL IMMEDIATE; RELEASE SAVEPOINT part');
    return null;
  } catch (error) {
    const e = error as { code?: string; message: string; detail?: string; column?: string; constraint?: string };
    // Only what is wrong with rows is filed under them; a fault of the database itself ends the run and says so.
    if (!ROW_FAULTS.has((e.code ?? '').slice(0, 2))) throw error;
    await tx.exec('ROLLBACK TO SAVEPOINT part');
    return {
      code: e.code ?? '',
      message: e.detail ? `${e.message} (${e.detail})` : e.message,
      column: e.column ?? (e.constraint ? await onlyColumnOf(tx, delivery.table, e.constraint) : null),
      constraint: e.constraint ?? null,
    };
  }
}

/** The column that a constraint is about; null where it is about several, whatever it is called. */
async function onlyColumnOf(tx: DeliveryTransaction, table: string, constraint: string): Promise<string | null> {
  const { rows } = await tx.query(
    `SELECT a.attname AS name FROM pg_constraint c CROSS JOIN unnest(c.conkey) AS k(n)
       JOIN pg_attribute a ON a.attnum = k.n WHERE a.attrelid = $1::regclass AND c.conrelid = a.attrelid AND c.conname = $2`,
    [tableName(table), constraint],
  );
  return rows.length === 1 ? String(rows[0]!['name']) : null;
}

async function put(tx: DeliveryTransaction, delivery: Delivery, copy: Uint8Array): Promise<void> {
  const columns = delivery.columns.map(q).join(', ');
  const table = tableName(delivery.table);
  if (delivery.mode === 'insert' || delivery.mode === 'replace') {
    if (tx.copy) await tx.copy(table, columns, copy);
    else await insertArrays(tx, delivery, copy, '');
    return;
  }
  const others = delivery.columns.filter((c) => !delivery.key.includes(c));
  const action =
    delivery.mode === 'keep' || others.length === 0
      ? 'DO NOTHING'
      : `DO UPDATE SET ${others.map((c) => `${q(c)} = EXCLUDED.${q(c)}`).join(', ')} WHERE (${others.map((c) => `t.${q(c)}`).join(', ')}) IS DISTINCT FROM (${others.map((c) => `EXCLUDED.${q(c)}`).join(', ')})`;
  const conflict = ` ON CONFLICT (${delivery.key.map(q).join(', ')}) ${action}`;
  if (!tx.copy) return insertArrays(tx, delivery, copy, conflict);
  await tx.exec(
    `CREATE TEMPORARY TABLE IF NOT EXISTS incoming ON COMMIT DROP AS SELECT ${columns} FROM ${table} WITH NO DATA; TRUNCATE incoming`,
  );
  await tx.copy('incoming', columns, copy);
  await tx.exec(`INSERT INTO ${table} AS t (${columns}) SELECT ${columns} FROM incoming${conflict}`);
}

/** One array a column, turned into the column's own type by the database. */
async function insertArrays(
  tx: DeliveryTransaction,
  delivery: Delivery,
  copy: Uint8Array,
  conflict: string,
): Promise<void> {
  const rows = new TextDecoder().decode(copy).split('\n').slice(0, -1).map(copyCells);
  const columns = delivery.columns.map(q).join(', ');
  const table = tableName(delivery.table);
  const { rows: types } = await tx.query(
    'SELECT attname AS name, format_type(atttypid, atttypmod) AS type FROM pg_attribute WHERE attrelid = $1::regclass AND attnum > 0 AND NOT attisdropped',
    [table],
  );
  const typeOf = (column: string): string => String(types.find((t) => t['name'] === column)?.['type'] ?? 'text');
  const names = delivery.columns.map((_, i) => `c${i}`);
  await tx.query(
    `INSERT INTO ${table} AS t (${columns}) SELECT ${names.map((n, i) => `${n}::${typeOf(delivery.columns[i]!)}`).join(', ')} FROM unnest(${names.map((_, i) => `$${i + 1}::text[]`).join(', ')}) AS u(${names.join(', ')})${conflict}`,
    delivery.columns.map((_, i) => rows.map((r) => r[i] ?? null)),
  );
}
