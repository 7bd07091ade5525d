import { copyCells } from '@versicle/core';
import type { Delivered, Delivery, Rejection } from './database.ts';
import type { DeliveryTransaction } from './deliver.ts';
import { putRows } from './put-rows.ts';
import { quoteIdentifier as q, tableName } from './table-name.ts';

/**
 * What a run loads beside a table meets the table's own triggers and policies only when it takes the table's place, and one
 * record that they refuse would keep all others out. So where a table has any, each chunk is put into it and taken back at
 * once, and what it refuses is refused there and then.
 */
export async function putBeside(tx: DeliveryTransaction, delivery: Delivery, beside: string): Promise<Delivered> {
  const refused = (await hasItsOwnSay(tx, delivery.table)) ? await triedInPlace(tx, delivery) : [];
  if (refused.length === 0) return putRows(tx, delivery, beside);
  const out = new Set(refused.map((r) => r.index));
  const places = Array.from({ length: delivery.rows }, (_, i) => i).filter((i) => !out.has(i));
  const lines = linesOf(delivery);
  const rest = {
    ...delivery,
    rows: places.length,
    copy: new TextEncoder().encode(places.map((at) => `${lines[at]!}\n`).join('')),
    ids: delivery.ids.length === 0 ? [] : places.map((at) => delivery.ids[at]!),
  };
  const { rejections, unchanged } =
    places.length === 0 ? { rejections: [], unchanged: 0 } : await putRows(tx, rest, beside);
  const placed = rejections.map((r): Rejection => ({ ...r, index: places[r.index]! }));
  return { rejections: [...refused, ...placed].sort((a, b) => a.index - b.index), unchanged };
}

async function hasItsOwnSay(tx: DeliveryTransaction, table: string): Promise<boolean> {
  const { rows } = await tx.query(
    `SELECT row_security_active($1::regclass) OR EXISTS (
       SELECT FROM pg_trigger WHERE tgrelid = $1::regclass AND NOT tgisinternal AND tgenabled <> 'D' AND tgtype & 1 = 1 AND tgtype & 4 = 4
     ) AS say`,
    [tableName(table)],
  );
  return String(rows[0]!['say']).startsWith('t');
}

/** Integrity: the copy beside has the same constraints, and old rows that will go must not count. */
const BY_CONSTRAINT = /^23/;

async function triedInPlace(tx: DeliveryTransaction, delivery: Delivery): Promise<readonly Rejection[]> {
  const target = tableName(delivery.table);
  await tx.exec('SAVEPOINT tried');
  await withoutTheSameKeys(tx, delivery, target);
  const { rejections } = await putRows(tx, { ...delivery, mode: 'insert' }, target);
  await tx.exec('ROLLBACK TO SAVEPOINT tried; RELEASE SAVEPOINT tried');
  return rejections.filter(({ code }) => !BY_CONSTRAINT.test(code));
}

/** The rows that these take the place of would be in the way. */
async function withoutTheSameKeys(tx: DeliveryTransaction, delivery: Delivery, target: string): Promise<void> {
  const { key, columns } = delivery;
  if (key.length === 0) return;
  const rows = linesOf(delivery).map(copyCells);
  const names = key.map((_, i) => `k${i}`);
  await tx.exec('SAVEPOINT cleared');
  try {
    await tx.query(
      `DELETE FROM ${target} t USING unnest(${key.map((_, i) => `$${i + 1}::text[]`).join(', ')}) AS u(${names.join(', ')})
        WHERE ${key.map((k, i) => `t.${q(k)}::text = u.k${i}`).join(' AND ')}`,
      key.map((k) => rows.map((r) => r[columns.indexOf(k)] ?? null)),
    );
    await tx.exec('RELEASE SAVEPOINT cleared');
  } catch {
    // Others refer to them: they stay, and what then meets them is refused by a constraint, which does not count here.
    await tx.exec('ROLLBACK TO SAVEPOINT cleared; RELEASE SAVEPOINT cleared');
  }
}

const linesOf = ({ copy, rows }: Delivery): string[] => new TextDecoder().decode(copy).split('\n').slice(0, rows);
