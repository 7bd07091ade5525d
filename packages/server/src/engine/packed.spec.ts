import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

/** Quotes, blank lines and keys that come twice, packed: cut into the same chunks by whichever threads take the run up. */
it('a packed file is delivered once, though the server dies and other numbers of threads go on', async () => {
  const rows = Array.from({ length: 12_000 }, (_, i) => {
    const no = i % 97 === 96 ? i - 50 : i;
    const name = i % 11 === 0 ? `"n;""${i}"` : `n${i}`;
    return `${no};${name};${i % 500 === 7 ? 'x' : '1,50'}${i % 13 === 0 ? '\n' : ''}`;
  });
  // A key counts from the first record that goes well.
  const kept = new Set(rows.filter((r) => !/;x\s*$/.test(r)).map((r) => r.split(';')[0]));
  const server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '300', VERSICLE_MAPPING_THREADS: '2' });
  try {
    await server.connect();
    writeFileSync(join(server.folder, 'items.csv.gz'), gzipSync(`no;name;price\n${rows.join('\n')}\n`));
    const document = itemsDocument();
    document['source'] = { primary: { alias: 'i', dataset: 'files/items.csv.gz' } };
    const { plan } = await server.mapping(document);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    for (const threads of ['3', '1', '2']) {
      await new Promise((r) => setTimeout(r, 250));
      await server.restart('SIGKILL', { VERSICLE_MAPPING_THREADS: threads });
    }
    const ended = await server.ended(run);
    expect(ended).toMatchObject({
      state: 'finished',
      counts: { read: 12_000, failed: 12_000 - kept.size, delivered: kept.size },
    });
    const [table] = (await server.ask('GET', '/api/systems/store/datasets')).body;
    expect(table).toMatchObject({ name: 'item', records: kept.size });
  } finally {
    await server.close();
  }
});
