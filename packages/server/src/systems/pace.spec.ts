import type { Database } from '@versicle/postgres';
import { directDatabase } from '../testing/direct-database.ts';
import { EmbeddedHere } from './embedded-databases.ts';
import { kinds } from './kinds/index.ts';
import { Systems } from './systems.ts';

describe('the pace of a system', () => {
  let db: Database;
  beforeAll(async () => (db = await directDatabase()));
  afterAll(() => db.close());

  it('is one for all who ask it, in this process or another: each gets the next place', async () => {
    const [one, other] = [1, 2].map(
      () => new Systems(db, new EmbeddedHere('/nowhere', undefined), null as never, kinds),
    );
    const waits: number[] = [];
    for (let n = 0; n < 3; n++)
      for (const systems of [one!, other!]) waits.push(await systems.keeper('api').turn(60_000));
    expect(waits[0]).toBe(0);
    // A minute apart, less what passed meanwhile.
    for (const [n, wait] of waits.slice(1).entries()) {
      expect(wait).toBeGreaterThan((n + 1) * 60_000 - 30_000);
      expect(wait).toBeLessThanOrEqual((n + 1) * 60_000);
    }
    expect(await one!.keeper('another').turn(60_000)).toBe(0);
  });
  it('is not saved up: after a long rest, the next requests are as far apart as ever', async () => {
    const systems = new Systems(db, new EmbeddedHere('/nowhere', undefined), null as never, kinds);
    await db.query("INSERT INTO pace (system, free) VALUES ('rested', now() - interval '1 day')");
    expect(await systems.keeper('rested').turn(60_000)).toBe(0);
    expect(await systems.keeper('rested').turn(60_000)).toBeGreaterThan(30_000);
  });
});
