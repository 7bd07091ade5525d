import type { HighestValue, WatermarkType } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';

/** Whose watermark it is: of a step, with the variables that it has as the plan says them. */
export interface WatermarkOf {
  readonly plan: string;
  readonly step: string;
  readonly scope: string;
  readonly mapping: string;
  readonly revision: number;
  readonly field: string;
}

/** Up to where earlier runs have come; null where nothing is known of just this mapping, revision and field. */
export async function knownWatermark(db: Database, of: WatermarkOf): Promise<HighestValue | null> {
  const [row] = await db.query<{ value: string; type: WatermarkType }>(
    'SELECT value, type FROM watermark WHERE plan = $1 AND step = $2 AND scope = $3 AND mapping = $4 AND revision = $5 AND field = $6',
    [of.plan, of.step, of.scope, of.mapping, of.revision, of.field],
  );
  return row ?? null;
}
/** A run has passed a value. */
export const passed = (run: number, { value, type }: HighestValue): Statement => ({
  sql: `UPDATE run SET highest_type = $3,
               highest = CASE WHEN highest IS NULL OR CAST($2::text AS ${type}) > CAST(highest AS ${type}) THEN $2::text ELSE highest END WHERE id = $1`,
  params: [run, value, type],
});
/**
 * A run has read all that there was: the next one goes on from its highest value, but never from later than it began. A moment
 * that lies ahead would hide whatever comes until then.
 */
export async function keepWatermark(db: Database, run: number, of: WatermarkOf): Promise<Statement[]> {
  const [row] = await db.query<{ type: WatermarkType | null }>('SELECT highest_type AS type FROM run WHERE id = $1', [
    run,
  ]);
  const type = row!.type;
  if (type === null) return [];
  return [
    {
      sql: `INSERT INTO watermark AS w (plan, step, scope, mapping, revision, field, value, type, run)
            SELECT $2, $3, $4, $5, $6, $7, ${CAPPED[type] ?? 'highest'}, $8, id FROM run WHERE id = $1
            ON CONFLICT (plan, step, scope) DO UPDATE SET mapping = EXCLUDED.mapping, revision = EXCLUDED.revision, field = EXCLUDED.field,
              type = EXCLUDED.type, run = EXCLUDED.run, value = CASE
                WHEN (w.mapping, w.revision, w.field, w.type) IS DISTINCT FROM (EXCLUDED.mapping, EXCLUDED.revision, EXCLUDED.field, EXCLUDED.type) THEN EXCLUDED.value
                WHEN CAST(w.value AS ${type}) > CAST(EXCLUDED.value AS ${type}) THEN w.value
                ELSE EXCLUDED.value END`,
      params: [run, of.plan, of.step, of.scope, of.mapping, of.revision, of.field, type],
    },
  ];
}
const CAPPED: Partial<Record<WatermarkType, string>> = {
  date: "LEAST(CAST(highest AS date), CAST(started_at AT TIME ZONE 'UTC' AS date))::text",
  timestamp: "LEAST(CAST(highest AS timestamp), started_at AT TIME ZONE 'UTC')::text",
  timestamptz: 'LEAST(CAST(highest AS timestamptz), started_at)::text',
};
