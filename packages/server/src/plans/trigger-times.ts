import type { PlanDetail } from '@versicle/contract';
import { type Calendars, nextTimes, type PlanDocument, type Trigger } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { isoTime } from '../store/values.ts';

/** Next times that are told. */
const TOLD = 10;

/** When a trigger is first due after an instant; null where something else than time starts it. */
export function firstDue(trigger: Trigger, after: Date, calendars: Calendars): Date | null {
  if (trigger.kind === 'every') return new Date(after.getTime() + trigger.seconds * 1000);
  if (trigger.kind !== 'schedule') return null;
  return nextTimes(trigger, after, 1, calendars)[0]?.at ?? null;
}

/** What each trigger of a plan does next. Without an id, as it would be if it were kept now. */
export async function triggerOutlook(
  db: Database,
  document: PlanDocument,
  calendars: Calendars,
  id?: string,
): Promise<PlanDetail['triggers']> {
  const rows =
    id === undefined
      ? []
      : await db.query<{ trigger: string; next: string | null; problem: string | null }>(
          'SELECT trigger, next, problem FROM plan_trigger WHERE plan = $1',
          [id],
        );
  const now = new Date();
  return document.triggers.map((t) => {
    const row = rows.find((r) => r.trigger === t.id);
    const due = (): PlanDetail['triggers'][number]['next'] => {
      if (row !== undefined && row.next === null) return [];
      if (t.kind === 'schedule')
        return nextTimes(t, now, TOLD, calendars).map(({ at, odd }) => ({ at: at.toISOString(), odd }));
      const next = row?.next ? isoTime(row.next) : (firstDue(t, now, calendars)?.toISOString() ?? null);
      return next === null ? [] : [{ at: next, odd: null }];
    };
    return { id: t.id, next: due(), problem: row?.problem ?? null };
  });
}
