import type { Database } from '@versicle/postgres';
import { directDatabase, storedRun } from '../testing/direct-database.ts';
import { Duties } from './duties.ts';
import { Workers } from './workers.ts';

describe('what one process sees to for all', () => {
  let db: Database;
  beforeAll(async () => {
    db = await directDatabase();
  });
  afterAll(() => db.close());

  it('has one holder, until that gives it up or says nothing any more', async () => {
    const [one, other] = [new Duties(db, 'one', 600), new Duties(db, 'other', 600)];
    expect(await one.holds('plans')).toBe(true);
    expect(await other.holds('plans')).toBe(false);
    expect(await other.holds('house')).toBe(true);
    await one.release();
    expect(await other.holds('plans')).toBe(true);
    await db.query("UPDATE duty SET until = now() - interval '1 second'");
    expect(await one.holds('plans')).toBe(true);
    // Who has one is not asked each time; its own clock says for how long that is right.
    expect(await other.holds('house')).toBe(true);
    expect(await db.query('SELECT name, holder FROM duty ORDER BY name')).toEqual([
      { name: 'house', holder: 'other' },
      { name: 'plans', holder: 'one' },
    ]);
    await Promise.all([one.release(), other.release()]);
    expect(await db.query('SELECT name FROM duty')).toEqual([]);
  });

  it('is told apart from what a process does that is started anew: what the one before it had is free at once', async () => {
    const worker = (id: string, home: string): Workers =>
      new Workers(db, { id, work: 'all', version: '0', place: 'p', home }, 600, () => null);
    const [killed, stays] = [worker('killed', 'a'), worker('stays', 'b')];
    await killed.begin();
    await stays.begin();
    const [first, second] = [await storedRun(db, 'f', 's/1'), await storedRun(db, 'f', 's/2')];
    const claims = (): Promise<unknown> =>
      db.query('SELECT id, claimed_until IS NOT NULL AS held FROM run ORDER BY id');
    for (const [id, by] of [
      [first, 'killed'],
      [second, 'stays'],
    ] as const)
      await db.query("UPDATE run SET claimed_by = $2, claimed_until = now() + interval '1 hour' WHERE id = $1", [
        id,
        by,
      ]);
    await db.query("INSERT INTO duty (name, holder, until) VALUES ('plans', 'killed', now() + interval '1 hour')");
    expect((await stays.list()).map((w) => [w.id, w.runs, w.duties])).toEqual([
      ['killed', [first], ['plans']],
      ['stays', [second], []],
    ]);
    const anew = worker('anew', 'a');
    await anew.begin();
    expect(await claims()).toEqual([
      { id: first, held: false },
      { id: second, held: true },
    ]);
    expect((await stays.list()).map((w) => [w.id, w.isThis, w.duties])).toEqual([
      ['stays', true, []],
      ['anew', false, []],
    ]);
    await Promise.all([stays.end(), anew.end()]);
    expect(await killed.list()).toEqual([]);
  });
});
