import type { Database, Statement } from '@versicle/postgres';
import { fromJson } from '../../store/values.ts';
import { HALF, WIDTH } from './digests.ts';

/** Whose the bytes of a place among packed digests are, in SQL. */
const KEY = `substring($2::bytea FROM i * ${WIDTH} + 1 FOR ${HALF})`;
const CONTENT = `substring($2::bytea FROM i * ${WIDTH} + ${HALF} + 1 FOR ${HALF})`;
const PLACES = `generate_series(0, length($2::bytea) / ${WIDTH} - 1) AS i`;

/** What a mapping delivered to a dataset. */
export interface Memory {
  readonly id: number;
  /** The key's fields, where their values are remembered as well. */
  readonly keys: readonly string[] | null;
  /** The source's own key, where its values are remembered as well. */
  readonly source: readonly string[] | null;
}
/** Delivered records: their digests (digests.ts), and the values of their keys where these are remembered. */
export interface Remembered {
  readonly digests: Uint8Array;
  readonly cells: readonly string[] | null;
  /** The values of the source's own key, a list in JSON each. */
  readonly sources: readonly string[] | null;
}

/** The memory of what a mapping delivers to a dataset. Null where nothing is to be remembered. */
export async function memoryOf(
  db: Database,
  mapping: string,
  target: string,
  isWanted: boolean,
): Promise<Memory | null> {
  type Names = string[] | string | null;
  type Row = { id: number; keys: Names; source: Names };
  const names = (of: Names): string[] | null => (of === null ? null : fromJson(of));
  const [known] = await db.query<Row>(
    'SELECT id, keys, source FROM delivery_memory WHERE mapping = $1 AND target = $2',
    [mapping, target],
  );
  // Where something is remembered, it is of every run: what another one delivers is not what was there before.
  if (known !== undefined) return { id: known.id, keys: names(known.keys), source: names(known.source) };
  if (!isWanted) return null;
  const [made] = await db.query<Row>(
    'INSERT INTO delivery_memory (mapping, target) VALUES ($1, $2) ON CONFLICT (mapping, target) DO UPDATE SET target = EXCLUDED.target RETURNING id',
    [mapping, target],
  );
  return { id: made!.id, keys: null, source: null };
}
/** From now on the values of these fields are remembered, too. Gives how many records are remembered without them, and are forgotten. */
export async function rememberKeys(
  db: Database,
  { id }: Memory,
  keys: readonly string[],
  source: readonly string[] | null,
): Promise<number> {
  const [, gone] = await db.transaction([
    {
      sql: 'UPDATE delivery_memory SET keys = $2, source = $3 WHERE id = $1',
      params: [id, JSON.stringify(keys), source && JSON.stringify(source)],
    },
    {
      sql: 'WITH d AS (DELETE FROM delivered_before WHERE memory = $1 RETURNING 1) SELECT count(*)::int AS n FROM d',
      params: [id],
    },
  ]);
  return Number(gone![0]!['n']);
}

/** The places of records that were delivered before just as they are now, ascending. */
export async function deliveredBefore(db: Database, memory: number, digests: Uint8Array): Promise<number[]> {
  const rows = await db.query<{ i: number }>(
    `SELECT i FROM ${PLACES} JOIN delivered_before d ON d.memory = $1 AND d.key = ${KEY} AND d.content = ${CONTENT} ORDER BY i`,
    [memory, digests],
  );
  return rows.map((r) => r.i);
}
const remember = (memory: number, { digests, cells, sources }: Remembered): Statement => ({
  sql: `INSERT INTO delivered_before (memory, key, content, cells, source)
        SELECT DISTINCT ON (k) $1::integer, k, c, v.cells, s.source FROM (SELECT i, ${KEY} AS k, ${CONTENT} AS c FROM ${PLACES}) AS d
          LEFT JOIN ROWS FROM (json_array_elements($3::json)) WITH ORDINALITY AS v(cells, n) ON v.n = d.i + 1
          LEFT JOIN unnest($4::text[]) WITH ORDINALITY AS s(source, n) ON s.n = d.i + 1
         ORDER BY k, i DESC
        ON CONFLICT (memory, key) DO UPDATE SET content = EXCLUDED.content, cells = EXCLUDED.cells, source = EXCLUDED.source
         WHERE delivered_before.content <> EXCLUDED.content OR delivered_before.cells::text IS DISTINCT FROM EXCLUDED.cells::text
            OR delivered_before.source IS DISTINCT FROM EXCLUDED.source`,
  params: [memory, digests, `[${(cells ?? []).join(',')}]`, sources ?? []],
});
/** What the target has of some records is not known any more; that it has them is, where their keys are remembered. */
const forget = ({ id, keys }: Memory, digests: Uint8Array): Statement => ({
  sql: `${keys === null ? 'DELETE FROM delivered_before' : "UPDATE delivered_before SET content = ''"} WHERE memory = $1 AND key IN (SELECT ${KEY} FROM ${PLACES})`,
  params: [id, digests],
});
/** What arrived is remembered; of what was refused, nobody knows what the target has now. */
export function keepInMind(memory: Memory | null, arrived: Remembered, refused: Uint8Array): Statement[] {
  if (memory === null) return [];
  return [
    ...(arrived.digests.length > 0 ? [remember(memory.id, arrived)] : []),
    ...(refused.length > 0 ? [forget(memory, refused)] : []),
  ];
}
/**
 * What the target has of anything that the mapping delivered is not known any more: the next run sends all. Which records it
 * has had stays known where their keys are remembered.
 */
export const forgetAll = (mapping: string): Statement => ({
  sql: `WITH memory AS (SELECT id, keys IS NOT NULL AS names FROM delivery_memory WHERE mapping = $1),
        emptied AS (UPDATE delivered_before SET content = '' WHERE memory IN (SELECT id FROM memory WHERE names) AND content <> '')
        DELETE FROM delivered_before WHERE memory IN (SELECT id FROM memory WHERE NOT names)`,
  params: [mapping],
});
