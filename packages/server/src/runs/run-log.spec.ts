import type { AddressInfo } from 'node:net';
import type { Database } from '@versicle/postgres';
import express from 'express';
import { directDatabase, storedRun } from '../testing/direct-database.ts';
import { logFiles, newestLog } from './run-log.ts';

describe('the log of a run', () => {
  let db: Database;
  let run: number;
  beforeAll(async () => {
    db = await directDatabase();
    run = await storedRun(db, 'files', 'store/items');
    await db.query(
      "INSERT INTO run_log (run, message) SELECT $1, 'line ' || n || CASE WHEN n = 7 THEN E'\\nin two' ELSE '' END FROM generate_series(1, 5200) n ORDER BY n",
      [run],
    );
  });
  afterAll(() => db.close());

  it('shows its newest lines, and says how many there are', async () => {
    const { log, logLines } = await newestLog(db, run);
    expect([logLines, log.length]).toEqual([5200, 500]);
    expect([log[0]!.message, log.at(-1)!.message]).toEqual(['line 4701', 'line 5200']);
    expect(await newestLog(db, run + 1)).toEqual({ log: [], logLines: 0 });
  });
  it('is downloaded whole, a line each', async () => {
    const app = express();
    app.use('/api', logFiles(db));
    const server = app.listen(0, '127.0.0.1');
    await new Promise((up) => server.once('listening', up));
    const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}/api/runs`;
    const answer = await fetch(`${base}/${run}/log.txt`);
    expect(answer.headers.get('content-disposition')).toContain(`run-${run}.log.txt`);
    const lines = (await answer.text()).trimEnd().split('\n');
    expect(lines).toHaveLength(5201);
    expect(lines[6]).toMatch(/^\d{4}-\d\d-\d\dT.*Z info {4}line 7$/);
    expect(lines[7]).toBe('    in two');
    for (const wrong of [String(run + 1), 'x', '0'])
      expect((await fetch(`${base}/${wrong}/log.txt`)).status).not.toBe(200);
    await new Promise((down) => server.close(down));
  });
});
