import type { Database } from '@versicle/postgres';
import { directDatabase, storedRun } from '../testing/direct-database.ts';
import { volumeOf } from '../volume/volume.ts';
import { removeOld, retention, saveRetention } from './retention.ts';

describe('what is over and need not be kept', () => {
  let db: Database;
  beforeAll(async () => {
    db = await directDatabase();
  });
  afterAll(() => db.close());
  const ids = async (): Promise<number[]> =>
    (await db.query<{ id: number }>('SELECT id FROM run ORDER BY id')).map((r) => r.id);
  /** One more run of the same plan that ended so many days ago. */
  const again = async (like: number, days: number, more: Record<string, unknown> = {}): Promise<number> => {
    const columns = { state: 'finished', read: 10, delivered: 8, failed: 2, bytes_done: 500, requests: 3, ...more };
    const [row] = await db.query<{ id: number }>(
      `INSERT INTO run (kind, plan, mapping, revision, started_by, created_at, started_at, finished_at, ${Object.keys(columns).join(', ')})
       SELECT 'full', plan, mapping, revision, 'Ines', now() - $2::interval, now() - $2::interval, now() - $2::interval, ${Object.keys(
         columns,
       )
         .map((_, i) => `$${i + 3}`)
         .join(', ')} FROM run WHERE id = $1 RETURNING id`,
      [like, `${days} days`, ...Object.values(columns)],
    );
    await db.query("INSERT INTO run_log (run, message) VALUES ($1, 'finished')", [row!.id]);
    return row!.id;
  };

  it('goes with its parts, and what it moved stays known; what is still to be done keeps it', async () => {
    const first = await storedRun(db, 'files', 'store/a');
    await db.query("UPDATE run SET state = 'finished', finished_at = now() - interval '50 days' WHERE id = $1", [
      first,
    ]);
    const old = await again(first, 40);
    const part = await again(first, 40, { parent: old });
    const failed = await again(first, 40);
    await db.query(
      `INSERT INTO failed_record (mapping, identity, state, run, revision, row_number, cause, message, example, label, failures, source, mapped)
       SELECT mapping, 'x', 'open', id, 1, 1, 'rule_error', '', '', '', '[]', '{}', '{}' FROM run WHERE id = $1`,
      [failed],
    );
    const asks = await again(first, 40, { state: 'asks' });
    const young = await again(first, 3);
    const before = await volumeOf(db, { by: 'month' });
    expect(before.rows.reduce((sum, r) => sum + r.delivered, 0)).toBe(8 * 5);
    await saveRetention(db, { kept: [{ name: 'runs', days: 30, megabytes: null }] });
    expect(await removeOld(db)).toMatchObject({ runs: 2, records: 0 });
    expect(await ids()).toEqual([failed, asks, young]);
    expect([old, part]).toHaveLength(2);
    expect(await volumeOf(db, { by: 'month' })).toEqual(before);
    expect(await db.query('SELECT DISTINCT run FROM run_log ORDER BY run')).toEqual(
      [failed, asks, young].map((run) => ({ run })),
    );
    // Again there is nothing to remove, and nothing counts twice.
    expect(await removeOld(db)).toMatchObject({ runs: 0 });
    expect(await volumeOf(db, { by: 'month' })).toEqual(before);
    expect(before.rows[0]).toMatchObject({ source: 'files', target: 'store' });
    expect(before.rows.reduce((sum, r) => sum + r.requests, 0)).toBe(3 * 5);
  });

  it('never takes a delivery that a plan has not taken yet, or a run reads', async () => {
    await db.query("INSERT INTO system (id, name, connection) VALUES ('hook', 'Hook', '{}')");
    for (let n = 0; n < 4; n++)
      await db.query(
        "INSERT INTO received (system, delivery, received_at, headers, body) VALUES ('hook', $1, now() - interval '500 days', '{}', '{}')",
        [`d${n}`],
      );
    const [first] = await db.query<{ id: string }>('SELECT min(id) AS id FROM received');
    const at = Number(first!.id);
    const document = { triggers: [{ id: 't1', kind: 'arrival', dataset: 'hook/deliveries' }] };
    await db.query("INSERT INTO plan (id, name, document) VALUES ('takes', 'Takes', $1)", [JSON.stringify(document)]);
    await db.query("INSERT INTO plan_trigger (plan, trigger, kind) VALUES ('takes', 't1', 'arrival')");
    const left = async (): Promise<number[]> => {
      await removeOld(db);
      return (await db.query<{ id: string }>('SELECT id FROM received ORDER BY id')).map((r) => Number(r.id) - at);
    };
    expect(await left()).toEqual([0, 1, 2, 3]);
    const taken = (to: number): object => ({ dataset: 'hook/deliveries', to: at + to });
    await db.query("UPDATE plan_trigger SET taken = $1 WHERE plan = 'takes'", [JSON.stringify(taken(2))]);
    const reads = await storedRun(db, 'hook', 'store/h');
    const only = { dataset: 'hook/deliveries', only: { after: at, to: at + 2 } };
    await db.query('UPDATE run SET taken = $2 WHERE id = $1', [reads, JSON.stringify(only)]);
    expect(await left()).toEqual([1, 2, 3]);
    await db.query("UPDATE run SET state = 'broken', finished_at = now() - interval '450 days' WHERE id = $1", [reads]);
    expect(await left()).toEqual([1, 2, 3]);
    await db.query("UPDATE run SET state = 'cancelled' WHERE id = $1", [reads]);
    expect(await left()).toEqual([3]);
  });

  it('is bounded by its size as well, the oldest first', async () => {
    const [run] = await ids();
    await db.query(
      "INSERT INTO run_log (run, message) SELECT $1, lpad(n::text, 1000, '.') FROM generate_series(1, 3000) n ORDER BY n",
      [run],
    );
    const full = (await retention(db)).kept.find((k) => k.name === 'logs')!;
    expect(full).toMatchObject({ days: 400, megabytes: null });
    expect(full.rows).toBeGreaterThan(3000);
    await saveRetention(db, { kept: [{ name: 'logs', days: 400, megabytes: 1 }] });
    const { logs } = await removeOld(db);
    const left = (await retention(db)).kept.find((k) => k.name === 'logs')!;
    expect(left.rows).toBe(full.rows - logs);
    expect(left.bytes).toBeLessThanOrEqual(1_000_000);
    expect(left.bytes).toBeGreaterThan(990_000);
    const [newest] = await db.query<{ message: string }>('SELECT message FROM run_log ORDER BY id DESC LIMIT 1');
    expect(newest!.message.endsWith('.3000')).toBe(true);
    // What was said of other things stays.
    expect((await retention(db)).kept.find((k) => k.name === 'runs')!.days).toBe(30);
  });
});
