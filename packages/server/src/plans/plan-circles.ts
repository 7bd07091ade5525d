import { allSteps, parsePlan, type PlanDocument, type Problem } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { fromJson } from '../store/values.ts';

/** Plans that a plan carries out as a step, and those after which it starts. */
const stepsInto = (document: PlanDocument): string[] =>
  allSteps(document.steps).flatMap((s) => (s.kind === 'plan' ? [s.plan] : []));
const startsAfter = (document: PlanDocument): string[] =>
  document.triggers.flatMap((t) => (t.kind === 'after' ? [t.plan] : []));

/** Plans that would carry each other out, or start each other, without an end. */
export async function callsItself(db: Database, document: PlanDocument, self: string | undefined): Promise<Problem[]> {
  if (self === undefined) return [];
  const rows = await db.query<{ id: string; document: PlanDocument | string }>('SELECT id, document FROM plan');
  const all = new Map(rows.map((r) => [r.id, r.id === self ? document : parsePlan(fromJson(r.document))]));
  const found = (leads: (of: PlanDocument) => string[]): string[] | null => {
    const seen = new Set<string>();
    const follow = (id: string, way: string[]): string[] | null => {
      const of = all.get(id);
      if (of === undefined || seen.has(id)) return null;
      seen.add(id);
      for (const to of leads(of)) {
        if (to === self) return [...way, id, to];
        const further = follow(to, [...way, id]);
        if (further !== null) return further;
      }
      return null;
    };
    return follow(self, []);
  };
  const within = found(stepsInto);
  const after = found(startsAfter);
  return [
    ...(within === null || within.length <= 2
      ? []
      : [
          {
            severity: 'error' as const,
            path: 'steps',
            message: `These plans carry each other out, and would never end: ${within.join(' has the step ')}.`,
          },
        ]),
    ...(after === null || after.length <= 2
      ? []
      : [
          {
            severity: 'error' as const,
            path: 'triggers',
            message: `These plans start each other, and would never stop: ${after.join(' starts after ')}. Let one of them be due by a schedule.`,
          },
        ]),
  ];
}
