import { CASES, COLUMNS, documentOf, forAnyCase, itemsOf, SEED, written } from '../testing/any-document.ts';
import { RunningServer } from '../testing/running-server.ts';

/**
 * However a source is cut into files, in whatever order their columns stand, and whenever the server dies: the target of any
 * document has what an undisturbed run over one file brings, and the same records fail for the same reasons.
 */
describe(`any document, over files cut anywhere (VERSICLE_SEED=${SEED})`, () => {
  async function failures(server: RunningServer, run: number): Promise<string[]> {
    const failed = await server.api('listFailures', 'GET', `/failures?run=${run}&state=any&limit=500`);
    return failed.map((f) => `${f.row}|${f.line}|${f.message}`).sort();
  }
  const from = (dataset: string): Record<string, unknown> => ({ primary: { alias: 'i', dataset } });

  it(
    'brings the same as one file and no death',
    () =>
      forAnyCase(async (chosen) => {
        // Only this differs from file to file.
        const c = { ...chosen, ways: chosen.ways.filter((w) => w !== 'file') };
        const items = itemsOf(c);
        const server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: c.chunk, VERSICLE_MAPPING_THREADS: c.threads });
        try {
          await server.connect();
          server.file('whole.csv', written(items, COLUMNS));
          const cuts = c.cuts.map((share) => Math.floor(share * items.length)).sort((a, b) => a - b);
          const places = [0, ...cuts, items.length];
          for (let i = 0; i + 1 < places.length; i++)
            server.file(`part-${i}.csv`, written(items.slice(places[i], places[i + 1]), c.orders[i]!));

          const whole = await server.mapping(documentOf(c, from('files/whole.csv'), 'store/whole'));
          const undisturbed = await server.run(whole.plan);
          expect(undisturbed.state).toBe('finished');

          const parts = await server.mapping(documentOf(c, from('files/part-*.csv'), 'store/parts'));
          const { run } = await server.api('startPlan', 'POST', `/plans/${parts.plan}/start`, {});
          for (const wait of c.deaths) {
            await new Promise((r) => setTimeout(r, wait));
            await server.restart(c.signal);
          }
          const disturbed = await server.ended(run);
          expect(disturbed).toMatchObject({ state: 'finished', error: null, counts: undisturbed.counts });
          expect(disturbed.counts.read).toBe(items.length);
          expect(await server.rows('parts')).toEqual(await server.rows('whole'));
          expect(await failures(server, run)).toEqual(await failures(server, undisturbed.id));
        } finally {
          await server.close();
        }
      }),
    CASES * 240_000,
  );
});
