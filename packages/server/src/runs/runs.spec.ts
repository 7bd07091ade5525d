import { directDatabase, storedRun } from '../testing/direct-database.ts';
import type { Database } from '@versicle/postgres';
import { because } from './run-uses.ts';
import { isLostClaim, requireClaim, Runs } from './runs.ts';

/** Two processes on one store, as claims see them. */
describe('claims of runs', () => {
  let db: Database;
  let one: Runs;
  let other: Runs;
  beforeAll(async () => {
    db = await directDatabase();
    const silent = { send: () => undefined, waitingChanged: () => Promise.resolve() } as never;
    [one, other] = [new Runs(db, silent), new Runs(db, silent)];
  });
  afterAll(() => db.close());
  afterEach(() => db.query("UPDATE run SET state = 'finished', claimed_until = NULL"));

  const run = async (reads: string, writes: string): Promise<number> => {
    const id = await storedRun(db, reads, writes);
    await one.ready(id);
    return id;
  };
  const next = async (by: Runs): Promise<number | null> => (await by.claimNext())?.run ?? null;

  it('are in the order of their start, each by one process only', async () => {
    const [a, b] = [await run('files', 'store/a'), await run('files', 'store/b')];
    expect([await next(one), await next(other), await next(one)]).toEqual([a, b, null]);
  });
  it('are to be had of a run, too, that whoever made it could say no more of', async () => {
    const left = await storedRun(db, 'files', 'store/left');
    expect(await next(other)).toBeNull();
    await other.readyLeft();
    expect(await next(other)).toBe(left);
  });
  it('wait for earlier ones that write the same table, or that write where these read', async () => {
    const a = await run('files', 'store/a');
    const same = await run('files', 'store/a');
    const reads = await run('store', 'files/out.csv');
    const free = await run('other', 'another/b');
    expect([await next(one), await next(other), await next(one)]).toEqual([a, free, null]);
    await db.query("UPDATE run SET state = 'finished' WHERE id = ANY ($1::int[])", [[a, free]]);
    // The one that reads from the store also waits for the earlier one that still writes into it.
    expect([await next(one), await next(one)]).toEqual([same, null]);
    await db.query("UPDATE run SET state = 'finished' WHERE id = $1", [same]);
    expect(await next(one)).toBe(reads);
    await db.query("UPDATE run SET state = 'finished' WHERE id = $1", [reads]);
  });
  it('wait for those that send to the same dataset of an API only until all of their records lie in the outbox', async () => {
    const sends = await run('files', 'api/members');
    const orders = await run('files', 'api/orders');
    const same = await run('files', 'api/members');
    expect([await next(one), await next(other), await next(one)]).toEqual([sends, orders, null]);
    await db.query("UPDATE run SET state = 'running', mapped = '{}' WHERE id = $1", [sends]);
    // Nothing of a paused run is sent: what came later would overtake it.
    await db.query("UPDATE run SET state = 'paused' WHERE id = $1", [sends]);
    expect(await next(one)).toBeNull();
    await db.query("UPDATE run SET state = 'running' WHERE id = $1", [sends]);
    expect(await next(one)).toBe(same);
  });
  it('does not begin what a later one that is under way touches', async () => {
    const early = await run('files', 'store/c');
    await db.query("UPDATE run SET state = 'broken' WHERE id = $1", [early]);
    const late = await run('files', 'store/c');
    expect(await next(one)).toBe(late);
    await one.again(early);
    expect(await next(one)).toBeNull();
  });
  it('pass on when nobody renews them; what the first process still writes does not count', async () => {
    const id = await run('files', 'store/d');
    const mine = (await one.claimNext())!;
    expect(await one.renew([mine])).toEqual([]);
    expect(await next(other)).toBeNull();
    await db.query("UPDATE run SET claimed_until = now() - interval '1 second' WHERE id = $1", [id]);
    // The first process only was slow: it does not take on a second time what it is at.
    expect(await next(one)).toBeNull();
    const theirs = (await other.claimNext())!;
    expect(theirs).toEqual({ run: id, number: mine.number + 1 });
    expect(await one.renew([mine])).toEqual([mine]);
    await one.release(mine);
    const late = db.transaction([
      requireClaim(mine),
      { sql: 'UPDATE run SET read = read + 5 WHERE id = $1', params: [id] },
    ]);
    await expect(late).rejects.toThrow('carried out elsewhere');
    expect(isLostClaim(await late.catch((error: unknown) => error))).toBe(true);
    await expect(one.end(mine, { state: 'finished', message: 'done' })).rejects.toThrow('carried out elsewhere');
    expect(await db.query('SELECT state, read FROM run WHERE id = $1', [id])).toMatchObject([
      { state: 'queued', read: '0' },
    ]);
    await other.end(theirs, { state: 'finished', message: 'done' });
    expect(await db.query('SELECT state FROM run WHERE id = $1', [id])).toEqual([{ state: 'finished' }]);
  });
  it('are not made where only another process has the records, or the embedded database', async () => {
    const id = await run('files', 'store/e');
    await db.query("UPDATE run SET records_at = 'elsewhere' WHERE id = $1", [id]);
    const claimed = async (carries: object | null, source: object | null): Promise<boolean> => {
      await db.query('UPDATE run SET claimed_until = NULL, carries = $2, source = $3 WHERE id = $1', [
        id,
        carries && JSON.stringify(carries),
        source && JSON.stringify(source),
      ]);
      return (await next(one)) === id;
    };
    const fetched = { files: [{ path: 'x', name: 'x', bytes: 1, changed: 1, sum: 'ab' }] };
    const heardOf = (seconds: number): Promise<unknown> =>
      db.query(
        "INSERT INTO worker (id, host, pid, work, version, place, home, seen_at) VALUES ('w', 'h', 1, 'all', '1', 'elsewhere', 'e', clock_timestamp() - make_interval(secs => $1)) ON CONFLICT (id) DO UPDATE SET seen_at = EXCLUDED.seen_at",
        [seconds],
      );
    await heardOf(200);
    expect(await claimed(null, fetched)).toBe(false);
    // Once that one is gone, whoever can fetch the same again may have it; not what a share gave it.
    await heardOf(400);
    expect(await claimed({ part: 0 }, fetched)).toBe(false);
    expect(await claimed(null, { files: [{ path: 'x', name: 'x', bytes: 1, changed: 1 }] })).toBe(false);
    expect(await claimed(null, fetched)).toBe(true);
    expect(await claimed(null, null)).toBe(true);
    await db.query("UPDATE run SET records_at = 'here', claimed_until = NULL WHERE id = $1", [id]);
    await db.query(
      'INSERT INTO system (id, name, connection) VALUES (\'store\', \'Store\', \'{"kind": "embedded", "name": "s"}\')',
    );
    await db.query("INSERT INTO embedded_database (name, place) VALUES ('s', 'elsewhere')");
    expect(await next(one)).toBeNull();
    await db.query("UPDATE embedded_database SET place = 'here'");
    expect(await next(one)).toBe(id);
  });
  it('go to the plan that has the fewest under way; what people wait for may be taken on besides', async () => {
    const [first, second] = [await run('files', 'f/1'), await run('files', 'f/2')];
    const later = await run('files', 'f/3');
    // Three runs of one plan, and then one of another.
    await db.query('UPDATE run SET plan = (SELECT plan FROM run WHERE id = $1) WHERE id = ANY ($2::int[])', [
      first,
      [second, later],
    ]);
    const another = await run('files', 'f/4');
    const small = await run('files', 'f/5');
    await db.query('UPDATE run SET row_limit = 10 WHERE id = $1', [small]);
    expect(await next(one)).toBe(first);
    await db.query("UPDATE run SET state = 'running' WHERE id = $1", [first]);
    expect(await next(one)).toBe(another);
    expect((await one.claimNext(true))!.run).toBe(small);
    expect(await one.claimNext(true)).toBeNull();
    expect(await next(other)).toBe(second);
  });
  it('are kept by who has them, who hears of what is wanted of the run', async () => {
    const id = await run('files', 'store/w');
    expect(await other.want(id, 'cancelled')).toBe(false);
    const claim = (await one.claimNext())!;
    expect(await other.want(id, 'paused')).toBe(true);
    expect(await one.wanted()).toEqual([{ id, wanted: 'paused' }]);
    expect(await other.want(id, 'cancelled')).toBe(true);
    expect(await other.want(id, 'paused')).toBe(true);
    expect(await one.wanted()).toEqual([{ id, wanted: 'cancelled' }]);
    expect(await other.wanted()).toEqual([]);
    // Whoever takes it over hears of it as well; the end of the run is the end of it.
    await one.release(claim);
    const theirs = (await other.claimNext())!;
    expect(await other.wanted()).toEqual([{ id, wanted: 'cancelled' }]);
    await other.end(theirs, { state: 'cancelled', message: 'cancelled' });
    expect(await db.query('SELECT wanted FROM run WHERE id = $1', [id])).toEqual([{ wanted: null }]);
  });
});

describe('why a run waits', () => {
  it('is said by what both touch', () => {
    expect(
      (
        [
          ['dataset store/a', 'alone'],
          ['mapping m', 'alone'],
          ['mapping m', 'read'],
          ['system api', 'alone'],
          ['system store', 'read'],
          ['system store', 'write'],
        ] as const
      ).map(([thing, use]) => because({ thing, use })),
    ).toEqual([
      'both write store/a',
      'both are of one mapping',
      'this one looks up keys that the other delivers',
      'one of them both reads from api and writes there',
      'this one reads from store, the other writes there',
      'the other reads from store, this one writes there',
    ]);
  });
});
