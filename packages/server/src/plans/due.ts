import { type Calendars, missedTimes, parsePlan, type PlanDocument, type Trigger } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { fromJson, isoTime } from '../store/values.ts';
import type { Starter } from './starter.ts';
import { firstDue } from './trigger-times.ts';

/** A time that is longer ago than this was missed: nothing could run then. */
const MISSED_AFTER = 60_000;
/** Times that are started in one go. */
const MOST_MISSED = 1000;
/** A clock that was ahead by more than this and was set back: what it made of the next times is worked out anew. */
const WAS_AHEAD = 86_400_000;
/** Seconds after which one that could not start its plan tries again, at the least. */
const RETRY = 60;
/** Triggers that are seen to in one go. */
const AT_A_TIME = 500;

/** Those that are due at $1, or of which a clock that was ahead then says that they are not. */
export const DUE = `SELECT 1 FROM plan_trigger t JOIN plan p ON p.id = t.plan
  WHERE t.next <= $1::timestamptz AND NOT p.held OR t.next IS NOT NULL AND t.seen > $1::timestamptz + make_interval(secs => ${WAS_AHEAD / 1000})`;

interface DueRow {
  [key: string]: unknown;
  plan: string;
  trigger: string;
  document: PlanDocument | string;
  next: string;
}

/**
 * The clock was set back: what starts again so many seconds after its last run is not kept until the clock shows once more what
 * it showed then.
 */
export async function seeToSetBack(db: Database, now = new Date()): Promise<void> {
  await db.query(
    `UPDATE plan_trigger t SET next = $1::timestamptz + make_interval(secs => e.seconds)
       FROM (SELECT p.id, tr ->> 'id' AS trigger, (tr ->> 'seconds')::float8 AS seconds
               FROM plan p, json_array_elements(p.document::json -> 'triggers') tr WHERE tr ->> 'kind' = 'every') e
      WHERE t.plan = e.id AND t.trigger = e.trigger AND t.kind = 'every'
        AND t.next > $1::timestamptz + make_interval(secs => GREATEST(e.seconds, ${RETRY}))`,
    [now.toISOString()],
  );
}

/** Starts what is due by time. Whatever is cut off in between is made up for by the next look: an occasion starts a plan once. */
export async function seeToDue(
  db: Database,
  starter: Starter,
  now = new Date(),
  days: () => Promise<Calendars> = () => Promise.resolve(new Map()),
): Promise<void> {
  await db.query(
    `UPDATE plan_trigger SET next = $1, seen = $1 WHERE next IS NOT NULL AND seen > $1::timestamptz + make_interval(secs => $2)`,
    [now.toISOString(), WAS_AHEAD / 1000],
  );
  const rows = await db.query<DueRow>(
    `SELECT t.plan, t.trigger, p.document, t.next FROM plan_trigger t JOIN plan p ON p.id = t.plan
      WHERE t.next <= $1 AND NOT p.held ORDER BY t.next, t.plan, t.trigger LIMIT ${AT_A_TIME}`,
    [now.toISOString()],
  );
  const calendars = rows.length > 0 ? await days() : new Map<string, ReadonlySet<string>>();
  for (const row of rows) {
    const trigger = parsePlan(fromJson(row.document)).triggers.find((t) => t.id === row.trigger);
    const from = new Date(isoTime(row.next));
    const { times, next } = trigger ? dueTimes(trigger, from, now, calendars) : { times: [], next: null };
    let failed = false;
    for (const at of times)
      failed = !(await starter.due(row.plan, { trigger: row.trigger, occasion: at.toISOString() }, howOf(trigger!)));
    // Where nothing could be started, no end of a run says when to try again.
    const again = failed && trigger?.kind === 'every' ? retry(trigger.seconds, now) : next;
    await db.query('UPDATE plan_trigger SET next = $4, seen = $5 WHERE plan = $1 AND trigger = $2 AND next = $3', [
      row.plan,
      row.trigger,
      row.next,
      again?.toISOString() ?? null,
      now.toISOString(),
    ]);
  }
}
function howOf(trigger: Trigger): 'start' | 'each' | 'idle' {
  if (trigger.kind === 'every') return 'idle';
  return trigger.kind === 'schedule' && trigger.missed === 'each' ? 'each' : 'start';
}
const retry = (seconds: number, now: Date): Date => new Date(now.getTime() + Math.max(seconds, RETRY) * 1000);

/** Which times since the one that was due start the plan now, and when it is due next; null: when its run has ended. */
export function dueTimes(
  trigger: Trigger,
  from: Date,
  now: Date,
  calendars: Calendars = new Map(),
): { times: Date[]; next: Date | null } {
  if (trigger.kind === 'every') return { times: [from], next: null };
  if (trigger.kind !== 'schedule') return { times: [], next: null };
  const later = (since: Date, missed: 'each' | 'once'): Date[] =>
    missedTimes({ ...trigger, missed }, since, now, calendars, MOST_MISSED - 1);
  if (trigger.missed === 'each') {
    const times = [from, ...later(from, 'each')];
    // More of them than are started in one go: the next look goes on from there, and leaves none out.
    return { times, next: firstDue(trigger, times.at(-1)!, calendars) };
  }
  const next = firstDue(trigger, now, calendars);
  const lately = new Date(now.getTime() - MISSED_AFTER - 1);
  const recent = from > lately ? [from, ...later(from, 'each')] : later(lately, 'each');
  if (recent.length > 0 || trigger.missed === 'skip') return { times: recent, next };
  return { times: [later(from, 'once')[0] ?? from], next };
}
