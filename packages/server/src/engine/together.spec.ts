import { createServer, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

/** Several runs at a time: none holds up another that has nothing to do with it. */
describe('runs that are started together', () => {
  let server: RunningServer;
  let slow: Server;
  /** Requests that are answered when somebody says so. */
  let holding = false;
  let gone = false;
  let held: (() => void)[] = [];
  const letGo = (): void => {
    holding = false;
    for (const answer of held) answer();
    held = [];
  };
  const plan = async (name: string, source: string, target: string): Promise<string> => {
    const document = itemsDocument('items.csv', { name });
    document['source'] = { primary: { alias: 'i', dataset: source } };
    (document['target'] as { dataset: string }).dataset = target;
    return (await server.mapping(document)).plan;
  };
  const start = async (id: string): Promise<number> =>
    (await server.api('startPlan', 'POST', `/plans/${id}/start`, {})).run;
  const stateOf = async (run: number): Promise<string> => (await server.api('getRun', 'GET', `/runs/${run}`)).state;
  const until = async (what: () => Promise<boolean> | boolean): Promise<void> => {
    for (let n = 0; !(await what()); n++) {
      if (n === 3000) throw new Error('It did not come to that within a minute.');
      await new Promise((r) => setTimeout(r, 20));
    }
  };

  const connect = async (id: string): Promise<void> => {
    const base = `http://127.0.0.1:${(slow.address() as AddressInfo).port}`;
    await server.ask('POST', '/api/systems', { id, name: id, connection: { kind: 'http', base, auth: 'none' } });
  };
  const settle = async (system: string, dataset: string, path: string): Promise<void> => {
    const repeat = { by: 'key', header: 'Idempotency-Key' };
    const write = { method: 'POST', path, batch: 1, answer: 'errors', repeat };
    const endpoint = { path, records: 'items', paging: { kind: 'none' }, write };
    await server.ask('PUT', `/api/systems/${system}/setting`, { dataset, setting: { kind: 'endpoint', endpoint } });
  };

  beforeAll(async () => {
    // It answers when it is told to, and takes nothing.
    slow = createServer((req, res: ServerResponse) => {
      if (req.method === 'POST') return void req.socket.destroy();
      const answer = (): void =>
        void res
          .writeHead(200, { 'content-type': 'application/json' })
          .end(JSON.stringify({ items: [{ no: '7', name: 'Ann', price: '1,50' }] }));
      if (gone) res.writeHead(404).end('{}');
      else if (holding && req.url!.startsWith('/held')) held.push(answer);
      else answer();
    });
    await new Promise<void>((resolve) => slow.listen(0, '127.0.0.1', resolve));
    server = await RunningServer.start({ VERSICLE_RUNS_AT_ONCE: '2' });
    await server.connect();
    server.file('items.csv', 'no;name;price\n1;Kit;1,50\n2;Bo;2,50\n');
    await connect('slow');
    await settle('slow', 'held', '/held');
  });
  afterAll(async () => {
    slow.closeAllConnections();
    slow.close();
    await server.close();
  });

  it('goes on beside one that fetches, and after one that touches the same; the page says after which', async () => {
    const fetches = await plan('Fetches', 'slow/held', 'store/fetched');
    const beside = await plan('Beside', 'files/items.csv', 'store/beside');
    holding = true;
    const [a, waits, b] = [await start(fetches), await start(fetches), await start(beside)];
    expect((await server.ended(b)).counts.delivered).toBe(2);
    await until(() => held.length > 0);
    expect([await stateOf(a), await stateOf(waits)]).toEqual(['queued', 'queued']);
    expect((await server.api('getRun', 'GET', `/runs/${waits}`)).waitsFor).toEqual({
      id: a,
      planName: 'Plan of fetches',
      because: 'both write store/fetched',
    });
    letGo();
    expect((await server.ended(a)).state).toBe('finished');
    expect((await server.ended(waits)).state).toBe('finished');
  });

  it('that wait for a system that does not answer leave their place to others; each is cancelled by itself', async () => {
    const targets = await Promise.all(
      [1, 2].map(async (n) => {
        await connect(`away${n}`);
        await settle(`away${n}`, 'items', '/items');
        return plan(`Away ${n}`, 'files/items.csv', `away${n}/items`);
      }),
    );
    const stuck = [await start(targets[0]!), await start(targets[1]!)];
    const log = async (run: number): Promise<string> =>
      JSON.stringify((await server.api('getRun', 'GET', `/runs/${run}`)).log);
    for (const run of stuck) await until(async () => (await log(run)).includes('tries again until it answers'));
    const beside = await start(await plan('Meanwhile', 'files/items.csv', 'store/meanwhile'));
    expect((await server.ended(beside)).state).toBe('finished');
    expect(await Promise.all(stuck.map(stateOf))).toEqual(['running', 'running']);
    await server.api('cancelRun', 'POST', `/runs/${stuck[1]}/cancel`);
    expect((await server.ended(stuck[1]!)).state).toBe('cancelled');
    expect(await stateOf(stuck[0]!)).toBe('running');
    await server.api('cancelRun', 'POST', `/runs/${stuck[0]}/cancel`);
    expect((await server.ended(stuck[0]!)).state).toBe('cancelled');
  });

  it('can be cancelled at any instant: right after the start, and right after they were taken up again', async () => {
    const id = await plan('Cancelled at once', 'slow/held', 'store/cancelled');
    const cancelled = async (run: number): Promise<void> => {
      await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
      await until(async () => (await stateOf(run)) === 'cancelled');
    };
    for (let n = 0; n < 15; n++) {
      holding = true;
      await cancelled(await start(id));
      letGo();

      gone = true;
      const run = await start(id);
      while ((await stateOf(run)) !== 'broken');
      gone = false;
      holding = true;
      await server.api('takeUpRun', 'POST', `/runs/${run}/take-up`);
      await new Promise((r) => setTimeout(r, (n % 5) * 10));
      await cancelled(run);
      letGo();
    }
  });
});
