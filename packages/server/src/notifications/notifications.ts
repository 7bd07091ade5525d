import type { Notification } from '@versicle/contract';
import { notFound, parsePlan, type PlanDocument } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import type { Failures } from '../failures/failures.ts';
import { readRun } from '../runs/run-store.ts';
import { fromJson, isoTime, isoTimeOrNull } from '../store/values.ts';
import { sendsAt, type NotificationSettings } from './setting.ts';
import { messageOf, type Message, type TellOn } from './words.ts';

const MATTERS = ['failed', 'stopped', 'late', 'warnings'] as const;
export type MatterKind = (typeof MATTERS)[number];
/** Messages that are listed. */
const LISTED = 100;

interface Receiver {
  readonly means: Notification['means'];
  readonly receiver: string;
}
/** Something to be told of a plan, and the very event that it is about. */
export interface Told {
  readonly plan: string;
  readonly run: number | null;
  readonly kind: TellOn;
  readonly occasion: string;
  readonly message: Message;
}

/** Who is told what of plans: one message for one matter, until a run ends without it. */
export class Notifications {
  constructor(
    private readonly db: Database,
    readonly settings: NotificationSettings,
    private readonly failures: Failures,
  ) {}

  /** A run that is nobody's step has ended. Done again after a kill, it tells nothing twice. */
  async ended(id: number): Promise<void> {
    const run = await readRun(this.db, id);
    // What somebody tries with the first records, sends again or cancels is theirs.
    const isAgain = run?.kind === 'replay' || (run?.kind === 'share' && run.parent === null);
    if (run === null || isAgain || run.rowLimit !== null || run.state === 'cancelled') return;
    const plan = await this.plan(run.plan);
    if (plan === null || plan.tell.length === 0) return;
    const { failed, remarks } = run.counts;
    const ended = run.state === 'finished';
    const now: Partial<Record<MatterKind, boolean>> = {
      stopped: !ended,
      ...(ended ? { failed: failed > 0, warnings: remarks > 0, late: false } : {}),
    };
    const causes = failed > 0 ? await this.failures.causes({ run: id, state: 'any' }) : [];
    const stillOpen = await this.stillOpen(run.plan);
    const end = { plan: plan.name, run, causes, stillOpen, base: await this.settings.linkBase() };
    const known = await this.matters(run.plan);
    const occasion = `run ${id}, ${run.finishedAt}`;
    const told = (kind: TellOn, times: number): Told => ({
      plan: run.plan,
      run: id,
      kind,
      occasion,
      message: messageOf(kind, times, end),
    });
    const over = MATTERS.filter((kind) => now[kind] === false);
    await this.db.transaction([
      ...(await this.statements(plan, told('recovered', 1), {
        sql: 'SELECT 1 FROM matter WHERE plan = $1 AND kind = ANY ($2::text[]) AND told_at IS NOT NULL',
        params: [run.plan, over],
      })),
      { sql: 'DELETE FROM matter WHERE plan = $1 AND kind = ANY ($2::text[])', params: [run.plan, over] },
      ...(
        await Promise.all(
          MATTERS.filter((kind) => now[kind] === true).map((kind) =>
            this.matter(plan, told(kind, (known.get(kind) ?? 0) + 1)),
          ),
        )
      ).flat(),
      ...(ended ? await this.statements(plan, told('finished', 1), { sql: 'SELECT 1', params: [] }) : []),
    ]);
  }
  /** A plan is late. */
  async late(plan: PlanDocument, told: Told): Promise<void> {
    await this.db.transaction(await this.matter(plan, told));
  }

  /** Something is not well: somebody is told where that is new, or where it is long since they were. */
  private async matter(plan: PlanDocument, told: Told): Promise<Statement[]> {
    const { digestHours } = await this.settings.get();
    const its = [told.plan, told.kind, told.occasion];
    return [
      {
        sql: `INSERT INTO matter AS m (plan, kind, occasion) VALUES ($1, $2, $3)
              ON CONFLICT (plan, kind) DO UPDATE SET times = m.times + 1, occasion = EXCLUDED.occasion,
                due = m.told_at IS NULL OR m.told_at < clock_timestamp() - make_interval(hours => $4)
               WHERE m.occasion <> EXCLUDED.occasion`,
        params: [...its, digestHours],
      },
      ...(await this.statements(plan, told, {
        sql: 'SELECT 1 FROM matter WHERE plan = $1 AND kind = $2 AND occasion = $3 AND due',
        params: its,
      })),
      {
        sql: 'UPDATE matter SET due = false, told_at = clock_timestamp() WHERE plan = $1 AND kind = $2 AND occasion = $3 AND due',
        params: its,
      },
    ];
  }
  /** The messages to all who are to be told, where a condition holds. */
  private async statements(plan: PlanDocument, told: Told, where: Statement): Promise<Statement[]> {
    const receivers = receiversOf(plan, told.kind);
    if (receivers.length === 0) return [];
    const { quiet } = await this.settings.get();
    const params = where.params ?? [];
    const at = (n: number): string => `$${params.length + n}`;
    return [
      {
        sql: `INSERT INTO notification (plan, run, kind, occasion, subject, body, next, means, receiver)
              SELECT ${at(1)}, ${at(2)}::integer, ${at(3)}, ${at(4)}, ${at(5)}, ${at(6)}, ${at(7)}::timestamptz, r.means, r.receiver
                FROM json_to_recordset(${at(8)}::json) AS r(means text, receiver text) WHERE EXISTS (${where.sql})
              ON CONFLICT DO NOTHING`,
        params: [
          ...params,
          told.plan,
          told.run,
          told.kind,
          told.occasion,
          told.message.subject,
          told.message.body,
          sendsAt(quiet, new Date()).toISOString(),
          JSON.stringify(receivers),
        ],
      },
    ];
  }
  private async stillOpen(plan: string): Promise<number> {
    const [row] = await this.db.query<{ n: string }>(
      "SELECT count(*) AS n FROM failed_record WHERE state = 'open' AND mapping IN (SELECT name FROM plan_use WHERE plan = $1 AND thing = 'mapping')",
      [plan],
    );
    return Number(row!.n);
  }
  private async matters(plan: string): Promise<ReadonlyMap<MatterKind, number>> {
    const rows = await this.db.query<{ kind: MatterKind; times: number }>(
      'SELECT kind, times FROM matter WHERE plan = $1',
      [plan],
    );
    return new Map(rows.map((r) => [r.kind, r.times]));
  }
  private async plan(id: string): Promise<PlanDocument | null> {
    const [row] = await this.db.query<{ document: PlanDocument | string }>('SELECT document FROM plan WHERE id = $1', [
      id,
    ]);
    return row ? parsePlan(fromJson(row.document)) : null;
  }

  /** What people were told, the newest first; `unseen`: what waits in the application, or could not be sent. */
  async list(unseen = false): Promise<Notification[]> {
    const rows = await this.db.query<{ [key: string]: unknown } & NotificationRow>(
      `SELECT n.id, n.plan, p.name AS plan_name, n.run, n.kind, n.means, n.receiver, n.subject, n.body, n.state, n.created_at, n.next, n.attempts, n.problem, n.settled_at
         FROM notification n JOIN plan p ON p.id = n.plan
        WHERE NOT $1 OR n.means = 'application' AND n.state = 'waiting' OR n.state = 'given up' OR n.state = 'waiting' AND n.problem IS NOT NULL
        ORDER BY n.id DESC LIMIT ${LISTED}`,
      [unseen],
    );
    return rows.map((r) => ({
      id: Number(r.id),
      plan: r.plan,
      planName: r.plan_name,
      run: r.run,
      kind: r.kind,
      means: r.means,
      receiver: r.receiver,
      subject: r.subject,
      body: r.body,
      state: r.state,
      createdAt: isoTime(r.created_at),
      next: r.state === 'waiting' && r.means !== 'application' ? isoTime(r.next) : null,
      attempts: r.attempts,
      problem: r.problem,
      settledAt: isoTimeOrNull(r.settled_at),
    }));
  }
  /** Somebody has seen it: it is not shown any more. */
  async seen(id: number): Promise<void> {
    const rows = await this.db.query(
      "UPDATE notification SET state = 'seen', settled_at = clock_timestamp() WHERE id = $1 AND (means = 'application' OR state = 'given up') RETURNING id",
      [id],
    );
    if (rows.length === 0) throw notFound('There is no such message that waits to be seen.');
  }
  /** What could not be sent is tried at once. */
  async again(id: number): Promise<void> {
    const rows = await this.db.query(
      "UPDATE notification SET state = 'waiting', next = clock_timestamp(), attempts = 0 WHERE id = $1 AND means <> 'application' AND state IN ('waiting', 'given up') RETURNING id",
      [id],
    );
    if (rows.length === 0) throw notFound('There is no such message that waits to be sent.');
  }
}
interface NotificationRow {
  id: string;
  plan: string;
  plan_name: string;
  run: number | null;
  kind: Notification['kind'];
  means: Notification['means'];
  receiver: string;
  subject: string;
  body: string;
  state: Notification['state'];
  created_at: string;
  next: string;
  attempts: number;
  problem: string | null;
  settled_at: string | null;
}

function receiversOf(plan: PlanDocument, kind: TellOn): Receiver[] {
  const all = plan.tell
    .filter((t) => t.on.includes(kind))
    .flatMap((t): Receiver[] =>
      t.by === 'application' ? [{ means: t.by, receiver: '' }] : t.to.map((to) => ({ means: t.by, receiver: to })),
    );
  return all.filter((r, i) => all.findIndex((o) => o.means === r.means && o.receiver === r.receiver) === i);
}
