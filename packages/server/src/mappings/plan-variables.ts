import { fillPlaces, parsePlan, type PlanDocument } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { fromJson } from '../store/values.ts';

/** The values that plans give to the rules of a mapping now, for what is tried without a plan; of several, the one that was saved last. */
export async function variablesByPlans(db: Database, mapping: string): Promise<Record<string, string>> {
  const rows = await db.query<{ document: PlanDocument | string }>(
    `SELECT p.document FROM plan p
      WHERE EXISTS (SELECT 1 FROM plan_use u WHERE u.plan = p.id AND u.thing = 'mapping' AND u.name = $1)
      ORDER BY (SELECT max(v.at) FROM plan_version v WHERE v.plan = p.id)`,
    [mapping],
  );
  const now = new Date();
  const written = Object.assign({}, ...rows.map((r) => parsePlan(fromJson(r.document)).variables)) as Record<
    string,
    string
  >;
  return Object.fromEntries(Object.entries(written).map(([name, text]) => [name, fillPlaces(text, now, new Map())]));
}
