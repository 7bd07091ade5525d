import type { Database, Statement } from '@versicle/postgres';
import { fromJson } from '../../store/values.ts';
import { KnownRecords } from './known-records.ts';

/** What a mapping delivered to a dataset. */
export interface Memory {
  readonly id: number;
  /** The key's fields, where their values are remembered as well. */
  readonly keys: readonly string[] | null;
  /** The source's own key, where its values are remembered as well. */
  readonly source: readonly string[] | null;
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
  const { count } = await KnownRecords.load(db, id, null);
  await db.transaction([
    {
      sql: 'UPDATE delivery_memory SET keys = $2, source = $3 WHERE id = $1',
      params: [id, JSON.stringify(keys), source && JSON.stringify(source)],
    },
    { sql: 'DELETE FROM delivered_part WHERE memory = $1', params: [id] },
  ]);
  return count;
}

/**
 * What the target has of anything that the mapping delivered is not known any more: the next run sends all. Which records it
 * has had stays known where their keys are remembered.
 */
export const forgetAll = (mapping: string): Statement => ({
  sql: `WITH memory AS (SELECT id, keys IS NOT NULL AS names FROM delivery_memory WHERE mapping = $1),
        doubted AS (UPDATE delivered_part SET unsure = true WHERE memory IN (SELECT id FROM memory WHERE names) AND NOT unsure)
        DELETE FROM delivered_part WHERE memory IN (SELECT id FROM memory WHERE NOT names)`,
  params: [mapping],
});
