import { counted, durationSeconds, missedTimes, parsePlan, type Calendars, type PlanDocument } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { GOING, OF_WHOLE_PLANS } from '../runs/run-store.ts';
import { fromJson, isoTime } from '../store/values.ts';
import type { Notifications } from './notifications.ts';
import { lateMessage } from './words.ts';

const DAY = 86_400_000;

/** Tells of plans that have not ended well by when they had to. */
export async function tellLate(
  db: Database,
  notifications: Notifications,
  calendars: () => Promise<Calendars>,
  now = new Date(),
): Promise<void> {
  const rows = await db.query<{ id: string; document: PlanDocument | string; saved: string }>(
    `SELECT p.id, p.document, (SELECT max(v.at) FROM plan_version v WHERE v.plan = p.id) AS saved FROM plan p
      WHERE NOT p.held AND p.document ->> 'expected' IS NOT NULL AND json_array_length(p.document -> 'tell') > 0`,
  );
  for (const row of rows) {
    const plan = parsePlan(fromJson(row.document));
    const expected = plan.expected!;
    const late = expected.includes(':')
      ? await lateToday(db, row.id, plan, new Date(isoTime(row.saved)), await calendars(), now)
      : await takesTooLong(db, row.id, durationSeconds(expected), now);
    if (late === null) continue;
    const message = lateMessage(plan.name, row.id, late.why, await notifications.settings.linkBase());
    await notifications.late(plan, { plan: row.id, run: late.run, kind: 'late', occasion: late.occasion, message });
  }
}
interface Late {
  readonly occasion: string;
  readonly run: number | null;
  readonly why: string;
}

/** A run that has been under way for too long. */
async function takesTooLong(db: Database, plan: string, seconds: number, now: Date): Promise<Late | null> {
  const [run] = await db.query<{ id: number; seconds: number }>(
    `SELECT id, extract(epoch FROM $3::timestamptz - created_at)::integer AS seconds FROM run
      WHERE plan = $1 AND parent IS NULL AND kind IN ${OF_WHOLE_PLANS} AND row_limit IS NULL AND state IN ${GOING}
        AND created_at < $3::timestamptz - make_interval(secs => $2) ORDER BY id LIMIT 1`,
    [plan, seconds, now.toISOString()],
  );
  if (!run) return null;
  const length =
    run.seconds >= 7200
      ? `${Math.floor(run.seconds / 3600)} hours`
      : run.seconds >= 120
        ? `${Math.floor(run.seconds / 60)} minutes`
        : counted(run.seconds, 'second');
  return { occasion: `run ${run.id}`, run: run.id, why: `Run ${run.id} has been under way for ${length}.` };
}

/** A time of day has passed, and no run of the time before it has ended well. */
async function lateToday(
  db: Database,
  id: string,
  plan: PlanDocument,
  saved: Date,
  calendars: Calendars,
  now: Date,
): Promise<Late | null> {
  const schedules = plan.triggers.filter((t) => t.kind === 'schedule');
  const zone = schedules[0]?.zone ?? 'UTC';
  const [hour, minute] = plan.expected!.split(':').map(Number);
  const daily = { cron: `${minute} ${hour} * * *`, zone, except: [], only: [] };
  const [by] = missedTimes({ ...daily, missed: 'once' }, new Date(now.getTime() - 2 * DAY), now);
  if (by === undefined || by <= saved) return null;
  const before = new Date(by.getTime() - DAY);
  // A plan with set times is late only on days on which it was due; the newest time before counts.
  const due = schedules
    .flatMap((s) => missedTimes({ ...s, missed: 'once' }, before, by, calendars))
    .sort((a, b) => b.getTime() - a.getTime());
  if (schedules.length > 0 && due.length === 0) return null;
  const from = due[0] ?? before;
  const [well] = await db.query(
    `SELECT 1 FROM run WHERE plan = $1 AND parent IS NULL AND kind IN ${OF_WHOLE_PLANS} AND row_limit IS NULL AND state = 'finished' AND finished_at >= $2 LIMIT 1`,
    [id, from.toISOString()],
  );
  if (well) return null;
  const [last] = await db.query<{ id: number; state: string }>(
    `SELECT id, state FROM run WHERE plan = $1 AND parent IS NULL AND kind IN ${OF_WHOLE_PLANS} AND created_at >= $2 ORDER BY id DESC LIMIT 1`,
    [id, from.toISOString()],
  );
  const how = last ? `run ${last.id} is ${last.state}` : 'it has not run';
  return {
    occasion: `by ${by.toISOString()}`,
    run: last?.id ?? null,
    why: `It had to have ended well by ${plan.expected} in ${zone}, and ${how}.`,
  };
}
