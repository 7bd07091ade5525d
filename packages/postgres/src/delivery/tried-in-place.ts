import { contentOf, copyLines, chunkEncodings, quoteName as q, type Delivered, type Rejection } from '@versicle/core';
import { tableName } from '../names.ts';
import type { Session } from '../session.ts';
import { putRows, type PartRows } from './put-rows.ts';

/**
 * What a run loads beside a table meets the table's own triggers and policies only when it takes the table's place, and one
 * record that they refuse would keep all others out. So where a table has any, each chunk is put into it and taken back at
 * once, and what it refuses is refused there and then.
 */
export async function putBeside(tx: Session, chunk: PartRows, beside: string): Promise<Delivered> {
  const { part } = chunk;
  const refused = (await hasItsOwnSay(tx, part.dataset)) ? await triedInPlace(tx, chunk) : [];
  if (refused.length === 0) return putRows(tx, chunk, beside);
  const out = new Set(refused.map((r) => r.index));
  const places = Array.from({ length: part.rows }, (_, i) => i).filter((i) => !out.has(i));
  if (places.length === 0) return { rejections: refused, unchanged: 0 };
  const lines = copyLines(contentOf(part.content, 'copy'));
  const of = new TextEncoder().encode(places.map((at) => `${lines[at]!}\n`).join(''));
  const rest = { ...part, rows: places.length, content: { encoding: 'copy', of } as const };
  const { rejections, unchanged } = await putRows(tx, { ...chunk, part: rest }, beside);
  const placed = rejections.map((r): Rejection => ({ ...r, index: places[r.index]! }));
  return { rejections: [...refused, ...placed].sort((a, b) => a.index - b.index), unchanged };
}

async function hasItsOwnSay(tx: Session, table: string): Promise<boolean> {
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

async function triedInPlace(tx: Session, chunk: PartRows): Promise<readonly Rejection[]> {
  const target = tableName(chunk.part.dataset);
  await tx.exec('SAVEPOINT tried');
  await withoutTheSameKeys(tx, chunk, target);
  const { rejections } = await putRows(tx, { ...chunk, mode: 'insert' }, target);
  await tx.exec('ROLLBACK TO SAVEPOINT tried; RELEASE SAVEPOINT tried');
  return rejections.filter(({ code }) => !BY_CONSTRAINT.test(code));
}

/** The rows that these take the place of would be in the way. */
async function withoutTheSameKeys(tx: Session, { part }: PartRows, target: string): Promise<void> {
  const { key } = part;
  if (key.length === 0) return;
  const columns = part.columns.map((c) => c.name);
  const rows = chunkEncodings.copy.cells(contentOf(part.content, 'copy'));
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
