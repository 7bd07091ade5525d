import type { ChangedWaiting, ChangeWaiting } from '@versicle/contract';
import { counted, refused } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import type { Outbox, PartColumns, WaitingRow } from '../engine/lanes/queue/outbox.ts';
import type { Senders } from '../engine/lanes/queue/senders.ts';
import { settleSkipped } from '../engine/lanes/queue/settle-sent.ts';
import type { Runs } from '../runs/runs.ts';
import type { WaitingRecords } from './waiting-records.ts';

const AT_A_TIME = 1000;
const WORDS: Readonly<Record<ChangeWaiting['act'], string>> = {
  hold: 'holds',
  'let go': 'lets go',
  first: 'sends first',
  skip: 'skips',
};

/** Nothing is sent to a target while what may be sent is changed. */
const stopped = (target: string): Statement[] => [
  { sql: 'INSERT INTO sender (target) VALUES ($1) ON CONFLICT DO NOTHING', params: [target] },
  { sql: 'SELECT 1 FROM sender WHERE target = $1 FOR UPDATE', params: [target] },
];
/** What each act does to records that were not sent yet, with those that were meant as the answer. */
const MEANT = 'target = $1 AND id = ANY ($2::bigint[]) AND request IS NULL';
const ACTS: Readonly<Record<ChangeWaiting['act'], string>> = {
  hold: `UPDATE outbox SET held = true WHERE ${MEANT} RETURNING id, run`,
  // What is skipped is held first: it can't be sent meanwhile.
  skip: `UPDATE outbox SET held = true WHERE ${MEANT} RETURNING id, run`,
  'let go': `UPDATE outbox SET held = false WHERE ${MEANT} RETURNING id, run`,
  // Earlier ones of the same key go along: nothing overtakes them.
  first: `WITH first AS (
      UPDATE outbox SET held = false, sooner = 2 WHERE ${MEANT} RETURNING id, run, order_key
    ), before AS (
      UPDATE outbox o SET sooner = 2 FROM (SELECT order_key, max(id) AS id FROM first WHERE order_key IS NOT NULL GROUP BY order_key) f
       WHERE o.target = $1 AND o.order_key = f.order_key AND o.id < f.id AND o.id <> ALL ($2::bigint[])
    ) SELECT id, run FROM first`,
};

/** What people do with records that wait: hold, let go, send first, skip. */
export class WaitingChanges {
  constructor(
    private readonly db: Database,
    private readonly outbox: Outbox,
    private readonly senders: Senders,
    private readonly runs: Runs,
    private readonly records: WaitingRecords,
  ) {}

  async change(system: string, asked: ChangeWaiting, person: string): Promise<ChangedWaiting> {
    const why = asked.act === 'skip' ? `${person}: ${asked.reason}` : '';
    const byRun = new Map<number, number>();
    let meant = 0;
    for await (const { target, ids } of this.meant(system, asked.which)) {
      meant += ids.length;
      const rows = await this.act(target, ids, asked.act);
      const done = asked.act === 'skip' ? await this.skip(target, rows, why) : rows;
      for (const { run } of done) byRun.set(run, (byRun.get(run) ?? 0) + 1);
      this.senders.changed(target, [...new Set(done.map((d) => d.run))]);
    }
    if (meant === 0) throw refused('No such records wait any more; they were sent meanwhile.');
    for (const [run, n] of byRun) {
      const them = `${counted(n, 'record')} that ${n === 1 ? 'waits' : 'wait'}`;
      const reason = asked.act === 'skip' ? `: ${asked.reason}` : '';
      await this.runs.log(run, `${person} ${WORDS[asked.act]} ${them}${reason}`);
    }
    const done = [...byRun.values()].reduce((sum, n) => sum + n, 0);
    return { done, gone: meant - done };
  }

  /** By target, so many at a time. */
  private async *meant(
    system: string,
    which: ChangeWaiting['which'],
  ): AsyncIterable<{ readonly target: string; readonly ids: readonly number[] }> {
    if (!('ids' in which)) return yield* this.records.idsOf(system, which.all, AT_A_TIME);
    const rows = await this.db.query<{ target: string; ids: string[] }>(
      `SELECT target, array_agg(id ORDER BY id) AS ids FROM outbox WHERE id = ANY ($1::bigint[]) AND starts_with(target, $2) GROUP BY target`,
      [which.ids, `${system}/`],
    );
    for (const { target, ids } of rows)
      for (let at = 0; at < ids.length; at += AT_A_TIME)
        yield { target, ids: ids.slice(at, at + AT_A_TIME).map(Number) };
  }

  private async act(
    target: string,
    ids: readonly number[],
    act: ChangeWaiting['act'],
  ): Promise<{ id: number; run: number }[]> {
    const results = await this.db.transaction([...stopped(target), { sql: ACTS[act], params: [target, ids] }]);
    return results.at(-1)!.map((r) => ({ id: Number(r['id']), run: Number(r['run']) }));
  }

  private async skip(
    target: string,
    held: readonly { id: number; run: number }[],
    why: string,
  ): Promise<{ run: number }[]> {
    const rows = await this.outbox.some(
      target,
      held.map((h) => h.id),
    );
    const done: { run: number }[] = [];
    for (const run of new Set(rows.map((r) => r.run))) {
      const own = rows.filter((r) => r.run === run);
      const statements = await this.skipped(run, own, why);
      try {
        await this.db.transaction(statements);
      } catch (error) {
        // The run was cancelled at this very moment, and its records have failed.
        if ((error as { code?: unknown }).code === 'VRS02') continue;
        throw error;
      }
      done.push(...own.map(() => ({ run })));
    }
    return done;
  }
  private async skipped(id: number, rows: readonly WaitingRow[], why: string): Promise<Statement[]> {
    const row = (await this.runs.row(id))!;
    const { mapping, revision } = row;
    const parts = new Map<number, PartColumns>();
    for (const { part } of rows) if (!parts.has(part)) parts.set(part, await this.outbox.part(id, part));
    return settleSkipped(
      { run: id, mapping, revision, document: await this.runs.document(row) },
      rows.map((r) => ({ row: r, of: parts.get(r.part)! })),
      why,
    );
  }
}
