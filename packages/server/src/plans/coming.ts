import type { Today } from '@versicle/contract';
import { nextTimes, parsePlan, type Calendars, type PlanDocument } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { fromJson, isoTime } from '../store/values.ts';

const HOURS = 12;
/** Times of one trigger that are told: one that is due each minute is but a line. */
const TOLD = 48;

/** What plans start by themselves in the next hours, in order. */
export async function comingUp(db: Database, calendars: Calendars, now = new Date()): Promise<Today['due']> {
  const until = new Date(now.getTime() + HOURS * 3_600_000);
  const rows = await db.query<{
    plan: string;
    name: string;
    trigger: string;
    next: string;
    document: PlanDocument | string;
  }>(
    `SELECT t.plan, p.name, t.trigger, t.next, p.document FROM plan_trigger t JOIN plan p ON p.id = t.plan
      WHERE t.next <= $1 AND NOT p.held ORDER BY t.next, t.plan LIMIT 300`,
    [until.toISOString()],
  );
  return rows
    .flatMap(({ plan, name, trigger, next, document }) => {
      const first = new Date(isoTime(next));
      const found = parsePlan(fromJson(document)).triggers.find((t) => t.id === trigger);
      const later = found?.kind === 'schedule' ? nextTimes(found, first, TOLD - 1, calendars).map((t) => t.at) : [];
      return [first, ...later]
        .filter((at) => at <= until)
        .map((at) => ({ plan, planName: name, at: at.toISOString() }));
    })
    .sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0));
}
