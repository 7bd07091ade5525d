import type { Database, Statement } from '@versicle/postgres';
import { HALF, WIDTH } from './digests.ts';

/** Whose the bytes of a place among packed digests are, in SQL. */
const KEY = `substring($2::bytea FROM i * ${WIDTH} + 1 FOR ${HALF})`;
const CONTENT = `substring($2::bytea FROM i * ${WIDTH} + ${HALF} + 1 FOR ${HALF})`;
const PLACES = `generate_series(0, length($2::bytea) / ${WIDTH} - 1) AS i`;

/** The memory of what a mapping delivers to a dataset. Null where nothing is to be remembered. */
export async function memoryOf(
  db: Database,
  mapping: string,
  target: string,
  isWanted: boolean,
): Promise<number | null> {
  const [known] = await db.query<{ id: number }>('SELECT id FROM delivery_memory WHERE mapping = $1 AND target = $2', [
    mapping,
    target,
  ]);
  // Where something is remembered, it is of every run: what another one delivers is not what was there before.
  if (known !== undefined || !isWanted) return known?.id ?? null;
  const [made] = await db.query<{ id: number }>(
    'INSERT INTO delivery_memory (mapping, target) VALUES ($1, $2) ON CONFLICT (mapping, target) DO UPDATE SET target = EXCLUDED.target RETURNING id',
    [mapping, target],
  );
  return made!.id;
}

/** The places of records that were delivered before just as they are now, ascending. */
export async function deliveredBefore(db: Database, memory: number, digests: Uint8Array): Promise<number[]> {
  const rows = await db.query<{ i: number }>(
    `SELECT i FROM ${PLACES} JOIN delivered_before d ON d.memory = $1 AND d.key = ${KEY} AND d.content = ${CONTENT} ORDER BY i`,
    [memory, digests],
  );
  return rows.map((r) => r.i);
}
const remember = (memory: number, digests: Uint8Array): Statement => ({
  sql: `INSERT INTO delivered_before (memory, key, content)
        SELECT DISTINCT ON (k) $1::integer, k, c FROM (SELECT i, ${KEY} AS k, ${CONTENT} AS c FROM ${PLACES}) AS d ORDER BY k, i DESC
        ON CONFLICT (memory, key) DO UPDATE SET content = EXCLUDED.content WHERE delivered_before.content <> EXCLUDED.content`,
  params: [memory, digests],
});
const forget = (memory: number, digests: Uint8Array): Statement => ({
  sql: `DELETE FROM delivered_before WHERE memory = $1 AND key IN (SELECT ${KEY} FROM ${PLACES})`,
  params: [memory, digests],
});
/** What arrived is remembered; of what was refused, nobody knows what the target has now. */
export function keepInMind(memory: number | null, arrived: Uint8Array, refused: Uint8Array): Statement[] {
  if (memory === null) return [];
  return [
    ...(arrived.length > 0 ? [remember(memory, arrived)] : []),
    ...(refused.length > 0 ? [forget(memory, refused)] : []),
  ];
}
/** What the target has of anything that the mapping delivered is not known any more: the next run sends all. */
export const forgetAll = (mapping: string): Statement => ({
  sql: 'DELETE FROM delivered_before WHERE memory IN (SELECT id FROM delivery_memory WHERE mapping = $1)',
  params: [mapping],
});
