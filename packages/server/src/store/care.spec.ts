import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { onServer } from '../testing/store-home.ts';
import { ItemApi } from '../testing/item-api.ts';
import { ended, itemsDocument, RunningServer } from '../testing/running-server.ts';

/** Ends the thread of the database whose directory ends so (“data/store” is the store, “data/databases/store” a target), once a file says it. */
function killerOf(directory: string, home: string): { NODE_OPTIONS: string; now: () => void } {
  const name = directory.replaceAll('/', '-');
  const trigger = join(home, `end-${name}`);
  const program = join(home, `${name}.mjs`);
  writeFileSync(
    program,
    `import { isMainThread, workerData } from 'node:worker_threads';
     import { existsSync, rmSync } from 'node:fs';
     if (!isMainThread && String(workerData?.directory).endsWith(${JSON.stringify(directory)}))
       setInterval(() => { if (existsSync(${JSON.stringify(trigger)})) { rmSync(${JSON.stringify(trigger)}); process.exit(9); } }, 20);`,
  );
  return { NODE_OPTIONS: `--import=${program}`, now: () => writeFileSync(trigger, '') };
}

describe('the store', () => {
  const home = mkdtempSync(join(tmpdir(), 'versicle-care-'));
  afterAll(() => rmSync(home, { recursive: true }));

  // One on a server has no thread.
  (onServer ? it.skip : it)(
    'ends the server with a sentence when its thread is dead, and goes on where it was at the next start',
    async () => {
      const { NODE_OPTIONS, now } = killerOf('data/store', home);
      const server = await RunningServer.start({ NODE_OPTIONS });
      await server.connect();
      let said = '';
      server.child.stderr!.on('data', (piece: Buffer) => (said += piece.toString()));
      server.child.removeAllListeners('exit');
      const end = ended(server.child);
      now();
      expect(await end).not.toBe(0);
      expect(said).toContain('The store’s own thread ended unexpectedly; start Versicle again.');
      await server.restart('SIGKILL', { NODE_OPTIONS: '' });
      expect((await server.ask('GET', '/api/systems')).body).toHaveLength(2);
      await server.close();
    },
  );

  it('of a target is opened again when its thread is dead', async () => {
    const { NODE_OPTIONS, now } = killerOf('data/databases/store', home);
    const server = await RunningServer.start({ NODE_OPTIONS });
    await server.connect();
    server.file('items.csv', 'no;name;price\n1;Kit;1,50\n');
    const { plan } = await server.mapping(itemsDocument());
    expect((await server.run(plan)).counts.delivered).toBe(1);
    now();
    await new Promise((r) => setTimeout(r, 400));
    server.file('items.csv', 'no;name;price\n1;Kit;1,50\n2;Ann;2,50\n');
    expect(await server.run(plan)).toMatchObject({ state: 'finished', counts: { delivered: 1, unchanged: 1 } });
    expect(await server.rows('item')).toHaveLength(2);
    await server.close();
  });

  it('sweeps what runs left behind, keeps what a broken one needs, and says it when that is gone', async () => {
    const api = await ItemApi.start();
    for (let no = 1; no <= 50; no++) api.items.push({ no: `${no}`, name: 'Kit', price: '1,50' });
    const server = await RunningServer.start({
      VERSICLE_OUTAGE_SECONDS: '1',
      // The run breaks before all its records are mapped.
      VERSICLE_CHUNK_ROWS: '1',
      VERSICLE_OUTBOX_ROWS: '0',
    });
    await server.connect();
    const connect = async (id: string, base: string, endpoint: object): Promise<void> => {
      await server.api('createSystem', 'POST', '/systems', {
        id,
        name: id,
        connection: { kind: 'http', base, auth: 'none' },
      } as never);
      await server.ask('PUT', `/api/systems/${id}/setting`, {
        dataset: 'items',
        setting: { kind: 'endpoint', endpoint },
      });
    };
    const paging = { kind: 'offset', parameter: 'offset', sizeParameter: 'limit', size: 100 };
    await connect('from', api.base, { path: '/items', records: 'items', paging });
    const away = await ItemApi.start();
    await connect('to', away.base, {
      path: '/items',
      records: 'items',
      paging,
      write: { method: 'POST', path: '/items', batch: 5, answer: 'errors', repeat: { by: 'key' } },
    });
    const document = itemsDocument('items', { write: { mode: 'insert' } });
    document['source'] = { primary: { alias: 'i', dataset: 'from/items' } };
    (document['target'] as { dataset: string }).dataset = 'to/items';
    const { plan } = await server.mapping(document);
    away.answer = () => ({ status: 401, body: { message: 'who are you?' } });
    const broken = await server.run(plan);
    expect(broken.state).toBe('broken');
    const landed = join(server.home, 'data/landed');
    expect(readdirSync(landed)).toEqual([`run-${broken.id}.jsonl`]);

    writeFileSync(join(landed, 'run-999.jsonl'), '{}\n');
    writeFileSync(join(landed, `run-${broken.id}.jsonl.partial`), '{}\n');
    mkdirSync(join(landed, 'profile-7'), { recursive: true });
    await server.restart();
    expect(readdirSync(landed)).toEqual([`run-${broken.id}.jsonl`]);

    rmSync(join(landed, `run-${broken.id}.jsonl`));
    await server.api('takeUpRun', 'POST', `/runs/${broken.id}/take-up`);
    const again = await server.ended(broken.id);
    expect(again).toMatchObject({ state: 'broken', counts: { delivered: 0 } });
    expect(again.error).toContain('not kept any more');
    await server.close();
    await api.close();
    await away.close();
  });

  it('removes what nobody looks back at after its time, and keeps what is still to be done', async () => {
    const server = await RunningServer.start();
    await server.connect();
    server.file('items.csv', 'no;name;price\n1;Kit;1,50\n2;Ann;x\n3;Bo;x\n');
    const { plan } = await server.mapping(itemsDocument());
    const { id } = await server.run(plan);
    const failed = await server.api('listFailures', 'GET', '/failures');
    expect(failed).toHaveLength(2);
    await server.api('waive', 'POST', '/failures/waive', { ids: [failed[0]!.id], reason: 'not needed' });
    await server.restart('SIGTERM', { VERSICLE_KEEP_DAYS: '0', VERSICLE_TIDY_MINUTES: '0.01' });
    for (let n = 0; n < 300; n++) {
      const left = await server.api('listFailures', 'GET', `/failures?state=any&run=${id}`);
      if (left.length === 1) break;
      await new Promise((r) => setTimeout(r, 200));
    }
    const left = await server.api('listFailures', 'GET', `/failures?state=any&run=${id}`);
    expect(left.map((f) => f.id)).toEqual([failed[1]!.id]);
    // The run itself, its counts and the open record stay.
    expect((await server.api('getRun', 'GET', `/runs/${id}`)).counts).toMatchObject({ delivered: 1, failed: 2 });
    await server.close();
  });
});
