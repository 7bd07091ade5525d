import type { Volume, VolumeRow } from '@versicle/contract';
import type { Database, Statement } from '@versicle/postgres';

/** Days and months that are looked at. */
const DAYS = 31;
const MONTHS = 12;

const SUMS = ['runs', 'read', 'delivered', 'failed', 'bytes_read', 'bytes_sent', 'requests'] as const;
/** What each run that moves something moved, by the day (of UTC) on which it began. */
const MOVED = `SELECT (COALESCE(r.started_at, r.created_at) AT TIME ZONE 'UTC')::date AS day, r.plan,
    CASE WHEN r.kind = 'full' THEN COALESCE(split_part(v.document::jsonb #>> '{source,primary,dataset}', '/', 1), '') ELSE '' END AS source,
    COALESCE(split_part(v.document::jsonb #>> '{target,dataset}', '/', 1), r.carries ->> 'system', '') AS target,
    1 AS runs, r.read, r.delivered, r.failed, COALESCE(r.bytes_done, 0) AS bytes_read, r.bytes_sent,
    r.requests + CASE WHEN r.kind = 'request' AND r.started_at IS NOT NULL THEN 1 ELSE 0 END AS requests
  FROM run r LEFT JOIN revision v ON v.mapping = r.mapping AND v.number = r.revision WHERE r.kind IN ('full', 'replay', 'sql', 'request')`;
const summed = (of: string): string => SUMS.map((name) => `sum(${of}.${name})::bigint AS ${name}`).join(', ');

/** Records, bytes and requests by time, plan and systems: those of runs that are kept, and of those that are not any more. */
export async function volumeOf(
  db: Database,
  { by, plan, system }: { by: 'day' | 'month'; plan?: string | undefined; system?: string | undefined },
): Promise<Volume> {
  const now = new Date();
  const [year, month, day] = [now.getUTCFullYear(), now.getUTCMonth(), now.getUTCDate()];
  const first = by === 'day' ? Date.UTC(year, month, day - DAYS + 1) : Date.UTC(year, month - MONTHS + 1, 1);
  const from = new Date(first).toISOString().slice(0, 10);
  const rows = await db.query<Record<(typeof SUMS)[number] | 'time' | 'plan' | 'source' | 'target', string> & Names>(
    `WITH moved AS (
       SELECT day, plan, source, target, ${SUMS.join(', ')} FROM volume UNION ALL SELECT m.* FROM (${MOVED}) m
     )
     SELECT to_char(m.day, $2) AS time, m.plan, m.source, m.target, ${summed('m')},
            max(p.name) AS plan_name, max(s.name) AS source_name, max(t.name) AS target_name
       FROM moved m LEFT JOIN plan p ON p.id = m.plan LEFT JOIN system s ON s.id = m.source LEFT JOIN system t ON t.id = m.target
      WHERE m.day >= $1::date AND ($3::text IS NULL OR m.plan = $3) AND ($4::text IS NULL OR m.source = $4 OR m.target = $4)
      GROUP BY 1, 2, 3, 4 ORDER BY 1 DESC, sum(m.delivered) DESC, 2, 3, 4`,
    [from, by === 'day' ? 'YYYY-MM-DD' : 'YYYY-MM', plan ?? null, system ?? null],
  );
  return {
    from: by === 'day' ? from : from.slice(0, 7),
    rows: rows.map((row): VolumeRow => ({
      time: row.time,
      plan: row.plan,
      planName: row.plan_name ?? row.plan,
      source: row.source,
      sourceName: row.source_name ?? row.source,
      target: row.target,
      targetName: row.target_name ?? row.target,
      runs: Number(row.runs),
      read: Number(row.read),
      delivered: Number(row.delivered),
      failed: Number(row.failed),
      bytesRead: Number(row.bytes_read),
      bytesSent: Number(row.bytes_sent),
      requests: Number(row.requests),
    })),
  };
}
type Names = Record<'plan_name' | 'source_name' | 'target_name', string | null>;

/** What runs moved that are about to be removed stays known; `which`: a condition on the run `r`. */
export const keepVolume = (which: string, params: readonly unknown[]): Statement => ({
  sql: `INSERT INTO volume AS v (day, plan, source, target, ${SUMS.join(', ')})
        SELECT m.day, m.plan, m.source, m.target, ${summed('m')} FROM (${MOVED} AND ${which}) m GROUP BY 1, 2, 3, 4
        ON CONFLICT (day, plan, source, target) DO UPDATE SET ${SUMS.map((name) => `${name} = v.${name} + EXCLUDED.${name}`).join(', ')}`,
  params: [...params],
});
