import type { Rejection } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import * as fc from 'fast-check';
import { Runs } from '../../../runs/runs.ts';
import type { Batch } from '../../../systems/kinds/kind.ts';
import { NothingDone, Outage } from '../../../systems/outage.ts';
import type { Systems } from '../../../systems/systems.ts';
import { directDatabase, storedRun } from '../../../testing/direct-database.ts';
import { Answers } from './answers.ts';
import { Outbox, putIntoOutbox, type Waiting } from './outbox.ts';
import { Senders } from './senders.ts';

const TARGET = 'api/items';
type Fault = 'nothing done' | 'taken, answer lost' | 'not taken, answer lost' | 'taken, sender lost';

/** A target that knows records by their ids, with faults of its own. */
class Items {
  readonly taken: string[] = [];
  most = 0;
  private atOnce = 0;
  constructor(
    private readonly faults: (Fault | null)[],
    private readonly refuses: ReadonlySet<string>,
    private readonly lose: () => Promise<void>,
  ) {}
  async send({ items }: Batch): Promise<Rejection[]> {
    this.most = Math.max(this.most, ++this.atOnce);
    try {
      await new Promise((r) => setTimeout(r, Math.random() * 4));
      const fault = this.faults.shift() ?? null;
      if (fault === 'nothing done') throw new NothingDone('not now');
      if (fault === 'not taken, answer lost') throw new Outage('lost');
      const refused = items.flatMap(({ id, cells }, index) => (this.refuses.has(id) ? [{ index, cells }] : []));
      for (const { id } of items) if (!this.refuses.has(id) && !this.taken.includes(id)) this.taken.push(id);
      if (fault === 'taken, answer lost') throw new Outage('lost');
      if (fault === 'taken, sender lost') await this.lose();
      return refused.map((r) => ({ ...r, part: 0, code: 'no', message: 'no', columns: [], constraint: null }));
    } finally {
      this.atOnce--;
    }
  }
}

describe('what lies in the outbox', () => {
  let db: Database;
  let runs: Runs;
  beforeAll(async () => {
    db = await directDatabase();
    runs = new Runs(db, { send: () => undefined, waitingChanged: () => undefined } as never);
  });
  afterAll(() => db.close());

  const waiting = (id: string, orderKey: string): Waiting => ({
    part: 0,
    deliveryKey: id,
    orderKey,
    cells: [id, orderKey],
    record: {
      row: 1,
      fileRow: 1,
      file: 'f',
      identity: `row ${id}:x`,
      label: id,
      source: { id },
      mapped: {},
      failures: [],
      remark: false,
      index: null,
      replayed: null,
      deliveryKey: id,
      sequence: null,
      answer: null,
    },
    onArrival: { remarks: [], key: null, settled: [], insertOnly: false },
    replayed: null,
    request: null,
    sooner: 0,
  });
  const counts = async (run: number): Promise<Record<string, number>> => {
    const [row] = await db.query<Record<string, string>>(
      'SELECT read, failed, delivered, waiting, (SELECT count(*) FROM outbox WHERE run = $1) AS outbox FROM run WHERE id = $1',
      [run],
    );
    return Object.fromEntries(Object.entries(row!).map(([name, n]) => [name, Number(n)]));
  };

  it('is sent once and in the order of its keys, whatever goes wrong, and the counts add up at any moment', async () => {
    const fault = fc.constantFrom<(Fault | null)[]>(
      null,
      null,
      'nothing done',
      'taken, answer lost',
      'not taken, answer lost',
      'taken, sender lost',
    );
    const world = fc.record({
      keys: fc.array(fc.integer({ min: 0, max: 9 }), { minLength: 1, maxLength: 40 }),
      refused: fc.uniqueArray(fc.integer({ min: 0, max: 39 }), { maxLength: 5 }),
      faults: fc.array(fault, { maxLength: 6 }),
      batch: fc.integer({ min: 1, max: 6 }),
      parallel: fc.integer({ min: 1, max: 4 }),
      repeats: fc.boolean(),
      /** Windows close and open again, at any moment. */
      closes: fc.array(fc.boolean(), { maxLength: 8 }),
    });
    await fc.assert(
      fc.asyncProperty(world, async ({ keys, refused, faults, batch, parallel, repeats, closes }) => {
        const run = await storedRun(db, 'files', TARGET);
        await db.query("UPDATE run SET state = 'running', read = $2, waiting = $2 WHERE id = $1", [run, keys.length]);
        const rows = keys.map((key, i) => waiting(`r${i}`, `k${key}`));
        const columns = ['id', 'k'].map((name) => ({ name, type: 'text' as const }));
        await db.transaction(putIntoOutbox(run, TARGET, [{ part: 0, dataset: 'items', columns, key: ['k'] }], rows));
        // Somebody else takes over while a request is under way.
        const lose = async (): Promise<void> =>
          void (await db.query('UPDATE sender SET claim = claim + 1, claimed_until = NULL'));
        const refusedIds = new Set(refused.filter((n) => n < keys.length).map((n) => `r${n}`));
        const items = new Items([...faults], refusedIds, lose);
        const windows = [...closes];
        const opens = (now: Date): Date | null => (windows.shift() ? new Date(now.getTime() + 5) : null);
        const target = {
          lane: 'queue',
          sending: () => Promise.resolve({ batch, parallel, repeats, opens, send: (b: Batch) => items.send(b) }),
        };
        const systems = { openDataset: () => Promise.resolve({ id: 'api', dataset: 'items', system: { target } }) };
        const outbox = new Outbox(db, 30);
        const answers = new Answers(db);
        const house = { outbox, runs, systems: systems as unknown as Systems, answers, leaseSeconds: 30 };
        const senders = new Senders(house, () => undefined);
        for (let left = Infinity; left > 0;) {
          senders.wake(TARGET);
          await senders.progress(run, 20, new AbortController().signal);
          const { read, failed, delivered, waiting: still, outbox: lying } = await counts(run);
          expect([read, still]).toEqual([failed! + delivered! + still!, lying]);
          left = still!;
        }
        await senders.close();
        expect(await counts(run)).toMatchObject({ failed: refusedIds.size, delivered: keys.length - refusedIds.size });
        expect(items.most).toBeLessThanOrEqual(parallel);
        expect([...items.taken].sort()).toEqual(
          rows
            .map((r) => r.deliveryKey)
            .filter((id) => !refusedIds.has(id))
            .sort(),
        );
        for (const key of new Set(keys)) {
          const sent = items.taken.map((id) => Number(id.slice(1))).filter((n) => keys[n] === key);
          expect(sent).toEqual([...sent].sort((a, b) => a - b));
        }
        await db.query("UPDATE run SET state = 'finished' WHERE id = $1", [run]);
      }),
      { numRuns: 12 },
    );
  });

  it('is sent by one sender at a time: another one has the right only when the first gave it back or was not heard of', async () => {
    const [one, other] = [new Outbox(db, 30), new Outbox(db, 30)];
    const claim = await one.claim('api/other');
    expect(await other.claim('api/other')).toBeNull();
    expect(await one.renew(claim!)).toBe(true);
    await db.query("UPDATE sender SET claimed_until = now() - interval '1 second' WHERE target = 'api/other'");
    const taken = await other.claim('api/other');
    expect(taken!.number).toBe(claim!.number + 1);
    expect(await one.renew(claim!)).toBe(false);
    // Giving back what one does not have any more changes nothing.
    await one.release(claim!);
    expect(await one.claim('api/other')).toBeNull();
  });
});
