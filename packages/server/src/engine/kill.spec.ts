import { itemsDocument, RunningServer } from '../testing/running-server.ts';

const ROWS = 12_000;
/** In each mode; 24 in all. */
const KILLS = 12;

/** Some rows fail, some come twice: what is lost or doubled would show in table, counters and failed records. */
const file = [
  'no;name;price',
  ...Array.from(
    { length: ROWS },
    (_, i) => `${i % 997 === 5 ? i - 1 : i};n${i % 50};${i % 211 === 0 ? 'x' : `${i},25`}`,
  ),
].join('\n');

describe('kill -9 at any instant', () => {
  it.each(['upsert', 'insert'])('loses nothing and doubles nothing (%s)', async (mode) => {
    const document = itemsDocument('items.csv', { write: { mode } });
    const undisturbed = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '100' });
    undisturbed.file('items.csv', file);
    await undisturbed.connect();
    const expected = await undisturbed.run((await undisturbed.mapping(document)).plan);
    const table = await whole(undisturbed);
    const took = Date.parse(expected.finishedAt!) - Date.parse(expected.startedAt!);
    await undisturbed.close();

    const server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '100' });
    server.file('items.csv', file);
    await server.connect();
    const { plan, mapping } = await server.mapping(document);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    let kills = 0;
    // Each life is long enough to get on, and ends at an instant that nobody chose.
    while (kills < KILLS) {
      await new Promise((r) => setTimeout(r, Math.random() * Math.max(40, took / KILLS)));
      await server.restart('SIGKILL');
      kills++;
      if ((await server.api('getRun', 'GET', `/runs/${run}`)).finishedAt !== null) break;
    }
    const ended = await server.ended(run);
    expect(ended).toMatchObject({ state: 'finished', counts: expected.counts });
    expect(kills).toBeGreaterThanOrEqual(10);
    expect(await whole(server)).toEqual(table);
    const failures = await server.api('listCauses', 'GET', `/failures/causes?mapping=${mapping}`);
    expect(failures.reduce((n, f) => n + f.count, 0)).toBe(expected.counts.failed);
    await server.close();
  });
});

/** All rows of the target, in pages by number. */
async function whole(server: RunningServer): Promise<string[]> {
  const rows: string[] = [];
  for (let from = 0; from < ROWS; from += 1000) {
    const filter = encodeURIComponent(`no::integer >= ${from} AND no::integer < ${from + 1000}`);
    const page = await server.api('getRows', 'GET', `/systems/store/rows?dataset=item&limit=2000&filter=${filter}`);
    rows.push(...page.rows.map((r) => r.values.join('|')));
  }
  return rows.sort();
}
