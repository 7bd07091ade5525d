import type { RunSummary } from '@versicle/contract';
import type { Database } from '@versicle/postgres';
import { directDatabase, storedRun } from '../testing/direct-database.ts';
import { listRuns } from './list-runs.ts';

describe('the list of runs', () => {
  let db: Database;
  beforeAll(async () => {
    db = await directDatabase();
    for (let i = 0; i < 37; i++) {
      const id = await storedRun(db, 'files', 'store/items');
      await db.query(
        `UPDATE run SET state = $2, read = $3, delivered = $4, failed = $5, started_at = $6::timestamptz, finished_at = $6::timestamptz + $7 * interval '1 second' WHERE id = $1`,
        [
          id,
          ['finished', 'broken', 'queued'][i % 3],
          (i * 7) % 5,
          i % 4,
          (i * 3) % 7,
          i % 3 === 2 ? null : new Date(Date.UTC(2026, 10, 1 + (i % 9))).toISOString(),
          (i * 11) % 6,
        ],
      );
    }
    await db.query("UPDATE plan SET name = 'Trips, 100 % of them' WHERE id = 'm5'");
  });
  afterAll(() => db.close());

  const pages = async (asked: Parameters<typeof listRuns>[1]): Promise<RunSummary[]> => {
    const all: RunSummary[] = [];
    for (;;) {
      const after = all.at(-1)?.id;
      const page = await listRuns(db, { ...asked, ...(after === undefined ? {} : { after }) });
      all.push(...page);
      if (page.length < asked.limit) return all;
    }
  };
  it.each(['id', 'plan', 'state', 'read', 'delivered', 'failed', 'began', 'took'])(
    'by %s, page by page, has each run once and in the order of the whole',
    async (key) => {
      for (const sort of [key, `-${key}`]) {
        const whole = await listRuns(db, { sort, limit: 500 });
        expect(whole).toHaveLength(37);
        expect((await pages({ sort, limit: 5 })).map((r) => r.id)).toEqual(whole.map((r) => r.id));
      }
    },
  );
  it('is the newest first, unless it is sorted', async () => {
    const ids = (await listRuns(db, { limit: 500 })).map((r) => r.id);
    expect(ids).toEqual([...ids].sort((a, b) => b - a));
    const read = (await listRuns(db, { sort: '-read', limit: 500 })).map((r) => r.counts.read);
    expect(read).toEqual([...read].sort((a, b) => b - a));
  });
  it('is filtered by state and by words, which are meant as they are written', async () => {
    expect(await listRuns(db, { state: 'broken', limit: 500 })).toHaveLength(12);
    expect((await listRuns(db, { search: 'trips %', limit: 500 })).map((r) => r.plan)).toEqual(['m5']);
    expect(await listRuns(db, { search: '_', limit: 500 })).toEqual([]);
    expect((await pages({ state: 'finished', sort: 'took', limit: 4 })).every((r) => r.state === 'finished')).toBe(
      true,
    );
  });
  it('says what it can’t be sorted by, and that the run which a page follows is gone', async () => {
    await expect(listRuns(db, { sort: 'id; DROP TABLE run', limit: 5 })).rejects.toThrow('Runs are not sorted by');
    await expect(listRuns(db, { sort: 'constructor', limit: 5 })).rejects.toThrow('Runs are not sorted by');
    await expect(listRuns(db, { after: 999, limit: 5 })).rejects.toThrow('load the list again');
  });
});
