import type { Today, Waiting } from '@versicle/contract';
import { namedSourceFields, parseDocument } from '@versicle/core';
import type { Failures } from '../failures/failures.ts';
import type { Mappings } from '../mappings/mappings.ts';
import type { Notifications } from '../notifications/notifications.ts';
import type { Calendars } from '../calendars/calendars.ts';
import { comingUp } from '../plans/coming.ts';
import { COUNTED_RUNS, OF_WHOLE_PLANS, readRuns } from '../runs/run-store.ts';
import type { Database } from '@versicle/postgres';
import { isoTime, isoTimeOrNull } from '../store/values.ts';
import type { Systems } from '../systems/systems.ts';

interface Parts {
  readonly db: Database;
  readonly calendars: Calendars;
  readonly systems: Systems;
  readonly mappings: Mappings;
  readonly failures: Failures;
  readonly notifications: Notifications;
}

/** The newest run of each plan that broke off, was stopped by what failed, or asks something: somebody has to look at it. */
const BROKEN = `SELECT r.id FROM run r WHERE (r.state = 'asks' OR r.state IN ('broken', 'stopped') AND r.parent IS NULL) AND (r.parent IS NOT NULL OR NOT EXISTS (SELECT 1 FROM run n WHERE n.plan = r.plan AND n.parent IS NULL AND n.kind IN ${OF_WHOLE_PLANS} AND n.id > r.id))`;

/** Plans that should have started by themselves, and why they could not. */
const STUCK = `SELECT p.id, p.name, min(t.problem) AS message FROM plan_trigger t JOIN plan p ON p.id = t.plan
  WHERE t.problem IS NOT NULL AND NOT p.held GROUP BY p.id, p.name ORDER BY p.name`;

/** Codes that open failed records, or records that went on without them, wait for; each once. */
const MISSING_CODES = `SELECT DISTINCT f -> 'code' ->> 'table', f -> 'code' ->> 'from'
  FROM failed_record r, jsonb_array_elements(r.failures) f WHERE r.state IN ('open', 'remark') AND f ? 'code'`;

export async function waitingNow({ db }: Pick<Parts, 'db'>): Promise<Waiting> {
  const [row] = await db.query<{ systems: string; mappings: string; runs: string; failures: string; codes: string }>(
    `SELECT (SELECT count(*) FROM system WHERE (diagnosis ->> 'ok') = 'false') AS systems,
            (SELECT count(*) FROM mapping m, jsonb_array_elements(m.draft::jsonb -> 'lines') l WHERE l ->> 'state' = 'question') AS mappings,
            (SELECT count(*) FROM (${BROKEN}) b) + (SELECT count(*) FROM (${STUCK}) s) AS runs,
            (SELECT count(*) FROM failed_record WHERE state = 'open') AS failures,
            (SELECT count(*) FROM (${MISSING_CODES}) c) AS codes`,
  );
  return {
    systems: Number(row!.systems),
    mappings: Number(row!.mappings),
    runs: Number(row!.runs),
    failures: Number(row!.failures),
    codes: Number(row!.codes),
  };
}

export async function todayNow({ db, calendars, systems, mappings, failures, notifications }: Parts): Promise<Today> {
  const waiting = await waitingNow({ db });
  const day = await db.query<{
    id: number;
    plan: string;
    name: string;
    started: string;
    finished: string | null;
    state: string;
    failed: string;
  }>(
    `SELECT r.id, r.plan, p.name, r.started_at AS started, r.finished_at AS finished, r.state, r.failed FROM run r JOIN plan p ON p.id = r.plan
      WHERE r.parent IS NULL AND r.started_at > now() - interval '24 hours' ORDER BY r.id DESC LIMIT 3000`,
  );
  return {
    now: new Date().toISOString(),
    causes: await failures.causes({}),
    openFailures: waiting.failures,
    systems: (await systems.list())
      .filter((s) => s.diagnosis !== null && !s.diagnosis.ok)
      .map((s) => ({ id: s.id, name: s.name, message: s.diagnosis!.message, since: s.diagnosis!.at })),
    questions: await mappings.openQuestions(),
    unpublished: (await mappings.list())
      .filter((m) => m.revision === null || m.changed > 0)
      .map((m) => ({ id: m.id, name: m.name, changed: m.changed })),
    broken: await readRuns(db, `WHERE r.id IN (${BROKEN}) ORDER BY r.id DESC`, []),
    stuck: await db.query<{ id: string; name: string; message: string }>(STUCK),
    news: await newFields(db),
    messages: await notifications.list(true),
    day: day.map((d) => ({
      run: d.id,
      plan: d.plan,
      planName: d.name,
      from: isoTime(d.started),
      to: isoTimeOrNull(d.finished),
      state: d.state,
      failed: Number(d.failed),
    })),
    due: await comingUp(db, await calendars.days()),
    plans: await lastRuns(db),
  };
}

/** New fields of sources that nobody has seen, and that no line of the draft uses meanwhile. */
async function newFields(db: Database): Promise<Today['news']> {
  const rows = await db.query<{
    mapping: string;
    name: string;
    dataset: string;
    fields: string[];
    at: string;
    draft: string;
  }>(
    `SELECT n.mapping, m.name, n.dataset, array_agg(n.field ORDER BY n.at, n.field) AS fields, max(n.at) AS at, m.draft
       FROM source_news n JOIN mapping m ON m.id = n.mapping WHERE NOT n.seen GROUP BY n.mapping, m.name, n.dataset, m.draft ORDER BY max(n.at) DESC`,
  );
  return rows.flatMap(({ draft, fields, at, ...of }) => {
    const used = namedSourceFields(parseDocument(JSON.parse(draft)));
    const left = fields.filter((f) => !used.includes(f));
    return left.length === 0 ? [] : [{ ...of, fields: left, at: isoTime(at) }];
  });
}

/** Each plan with its last whole run; `open` counts the failed records of its mapping that are still in the way. */
async function lastRuns(db: Database): Promise<Today['plans']> {
  const rows = await db.query<
    Record<'id' | 'name', string> & { mappings: string[] | null } & Record<
        'read' | 'filtered' | 'skipped' | 'unchanged' | 'unmatched' | 'failed' | 'waiting' | 'delivered' | 'remarks',
        string | null
      > & {
        run: number | null;
        at: string | null;
        millis: string | null;
        open: string;
      }
  >(
    `SELECT pl.id, pl.name, u.mappings, r.id AS run, r.read, r.filtered, r.skipped, r.unchanged, r.unmatched, r.failed, r.waiting, r.delivered, r.remarks, r.started_at AS at,
            (extract(epoch FROM COALESCE(r.finished_at, now()) - r.started_at) * 1000)::bigint AS millis,
            (SELECT count(*) FROM failed_record f WHERE f.mapping = ANY (u.mappings) AND f.state = 'open') AS open
       FROM plan pl LEFT JOIN LATERAL (SELECT array_agg(name ORDER BY name) AS mappings FROM plan_use WHERE plan = pl.id AND thing = 'mapping') u ON true
       LEFT JOIN LATERAL (
         SELECT r.id, r.started_at, r.finished_at, c.* FROM ${COUNTED_RUNS} WHERE r.plan = pl.id AND r.parent IS NULL AND r.kind IN ${OF_WHOLE_PLANS} ORDER BY r.id DESC LIMIT 1
       ) r ON true
      ORDER BY pl.created_at, pl.id`,
  );
  return rows.map((r) => ({
    id: r.id,
    name: r.name,
    mapping: r.mappings?.length === 1 ? r.mappings[0]! : null,
    run: r.run,
    counts:
      r.run === null
        ? null
        : {
            read: Number(r.read),
            filtered: Number(r.filtered),
            skipped: Number(r.skipped),
            unchanged: Number(r.unchanged),
            unmatched: Number(r.unmatched),
            waiting: Number(r.waiting),
            failed: Number(r.failed),
            delivered: Number(r.delivered),
            remarks: Number(r.remarks),
          },
    at: isoTimeOrNull(r.at),
    millis: r.millis === null ? null : Number(r.millis),
    open: Number(r.open),
  }));
}
