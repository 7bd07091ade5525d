import type { RunDetail } from '@versicle/contract';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { RunningServer } from '../../../testing/running-server.ts';

/** How often an API is asked again, and for how long it may be away, is a matter of its settings. */
describe('an API that does not answer well', () => {
  let server: RunningServer;
  let api: Server;
  let status = 502;
  /** What answers to whether it is there at all. */
  let there = 200;
  let puts: string[] = [];
  let made = 0;
  beforeAll(async () => {
    api = createServer((req, res) => {
      req.resume().on('end', () => {
        if (req.method === 'PUT') puts.push(req.url!);
        res.writeHead(req.method === 'PUT' ? status : there, { 'content-type': 'application/json' }).end('{}');
      });
    });
    await new Promise<void>((resolve) => api.listen(0, '127.0.0.1', resolve));
    server = await RunningServer.start();
    await server.connect();
  });
  afterAll(async () => {
    api.closeAllConnections();
    api.close();
    await server.close();
  });
  beforeEach(() => {
    [status, there, puts] = [502, 200, []];
  });
  async function start(records: number, faults: object, begins: () => unknown = () => undefined): Promise<number> {
    const id = `api${++made}`;
    const base = `http://127.0.0.1:${(api.address() as AddressInfo).port}`;
    const connection = { kind: 'http', base, auth: 'none', testPath: '/', faults: 'own', firstWait: 0, ...faults };
    await server.api('createSystem', 'POST', '/systems', { id, name: id, connection: connection as never });
    const endpoint = { path: '/items', write: { method: 'PUT', path: '/items/{no}', batch: 1 } };
    await server.ask('PUT', `/api/systems/${id}/setting`, {
      dataset: 'items',
      setting: { kind: 'endpoint', endpoint },
    });
    server.file(`${id}.csv`, ['no', ...Array.from({ length: records }, (_, i) => `${i}`)].join('\n'));
    const { plan } = await server.mapping({
      versicle: 1,
      name: `To ${id}`,
      source: { primary: { alias: 'i', dataset: `files/${id}.csv` } },
      target: { dataset: `${id}/items`, key: ['no'], fields: [{ name: 'no', type: 'text', nullable: false }] },
      lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 'i.no' }],
      write: { mode: 'upsert' },
    });
    begins();
    return (await server.api('startPlan', 'POST', `/plans/${plan}/start`, {})).run;
  }
  const messages = (run: RunDetail): string => run.log.map((l) => l.message).join('\n');

  it('is asked as often as is set, and what it does not take while it answers otherwise fails', async () => {
    const run = await server.ended(await start(3, { tries: 2, breakAfter: 5 }));
    expect(run).toMatchObject({ state: 'finished', counts: { read: 3, failed: 3 } });
    expect(puts).toEqual(['/items/0', '/items/0', '/items/1', '/items/1', '/items/2', '/items/2']);
  });

  it('is out of order after as many faults as are set, and may be away as long as is set', async () => {
    const faults = { tries: 1, breakAfter: 2, longestPause: 1, patienceMinutes: 0.05 };
    const run = await server.ended(await start(9, faults, () => (there = 503)));
    expect(run).toMatchObject({ state: 'broken', counts: { read: 9, failed: 1, waiting: 8 } });
    expect(run.error).toMatch(/did not take 1 record, 2 times in a row: status 502/);
    expect(messages(run)).toMatch(/tries again until it answers/);
    // It is tried again at pauses of a second at the most.
    expect(puts.length).toBeGreaterThan(4);
    [status, there] = [204, 200];
    await server.api('takeUpRun', 'POST', `/runs/${run.id}/take-up`);
    expect(await server.ended(run.id)).toMatchObject({ state: 'finished', counts: { delivered: 8, failed: 1 } });
  });

  it('refuses settings that can’t be meant', async () => {
    const given = (more: object): Promise<{ status: number; body: { detail?: string } }> =>
      server.ask('POST', '/api/systems', {
        id: 'bad',
        name: 'Bad',
        connection: { kind: 'http', base: 'http://127.0.0.1:9', auth: 'none', ...more },
      });
    expect((await given({ pace: '80 a day' })).body.detail).toMatch(
      /“80 a day” is no pace; write one such as 80 a minute/,
    );
    expect((await given({ faults: 'own', tries: 0 })).status).toBe(400);
  });
});
