import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { RunDetail } from '@versicle/contract';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

interface Heard {
  readonly method: string;
  readonly url: string;
  readonly id: string | undefined;
  readonly body: string;
}
let server: RunningServer;
let api: Server;
const heard: Heard[] = [];
const well = (_req: IncomingMessage, res: ServerResponse): void =>
  void res.writeHead(200, { 'content-type': 'application/json' }).end('{"done":true}');
let answer: (req: IncomingMessage, res: ServerResponse) => void = well;
beforeAll(async () => {
  api = createServer((req, res) => {
    let body = '';
    req.on('data', (piece: Buffer) => (body += piece.toString()));
    req.on('end', () => {
      heard.push({
        method: req.method!,
        url: req.url!,
        id: req.headers['idempotency-key'] as string | undefined,
        body,
      });
      answer(req, res);
    });
  });
  await new Promise<void>((resolve) => api.listen(0, '127.0.0.1', resolve));
  server = await RunningServer.start();
  await server.connect();
  await server.api('createSystem', 'POST', '/systems', {
    id: 'api',
    name: 'Docks',
    connection: { kind: 'http', base: `http://127.0.0.1:${(api.address() as AddressInfo).port}/v2`, auth: 'none' },
  });
});
afterAll(async () => {
  await server.close();
  api.closeAllConnections();
  await new Promise((resolve) => api.close(resolve));
});
beforeEach(() => {
  heard.length = 0;
  answer = well;
});

let made = 0;
async function run(steps: object[], variables: Record<string, string> = {}): Promise<RunDetail> {
  const document = { versicle: 1, kind: 'plan', name: `Requests ${++made}`, variables, steps };
  const { id } = await server.api('createPlan', 'POST', '/plans', { document: document as never });
  return server.run(id);
}
const request = (more: object): object => ({
  id: 'ask',
  kind: 'request',
  system: 'api',
  path: '/imports/done',
  ...more,
});
const second = { id: 'after', kind: 'sql', system: 'store', sql: 'SELECT 1', after: ['ask'] };

describe('a request as a step', () => {
  it('goes below the address, with places filled for where they stand, and its answer is kept', async () => {
    const ended = await run([request({ path: '/imports/{{run}}/{{site}}', body: '{"site":"{{site}}"}' }), second], {
      site: 'Quay "4"/5',
    });
    expect(ended.state).toBe('finished');
    const [{ method, url, id, body }] = heard as [Heard];
    expect([method, url]).toEqual(['POST', `/v2/imports/${ended.id}/Quay%20%224%22%2F5`]);
    expect(JSON.parse(body)).toEqual({ site: 'Quay "4"/5' });
    expect(id).toMatch(/^[0-9a-f-]{36}$/);
    const step = await server.api('getRun', 'GET', `/runs/${ended.steps[0]!.runs[0]!.id}`);
    expect(step.log.map((l) => l.message).join('\n')).toContain('answer 200: {"done":true}');
  });
  it('fails where the API says no, and what comes after is not begun', async () => {
    answer = (_req, res) =>
      res.writeHead(422, { 'content-type': 'application/json' }).end('{"message":"no such import"}');
    const ended = await run([request({}), second]);
    expect(ended.state).toBe('broken');
    expect(ended.error).toContain('with status 422: {"message":"no such import"}');
    expect(heard).toHaveLength(1);
    expect(ended.steps[1]!.runs).toEqual([]);
  });
  it('is not sent again by itself where its answer was lost; taken up, it is, by the same id', async () => {
    answer = (req) => req.socket.destroy();
    const ended = await run([request({}), second]);
    expect(ended.error).toContain('it may have arrived');
    expect(heard).toHaveLength(1);
    answer = (_req, res) => res.writeHead(204).end();
    await server.api('takeUpRun', 'POST', `/runs/${ended.id}/take-up`);
    for (;;) {
      const again = await server.api('getRun', 'GET', `/runs/${ended.id}`);
      if (again.state === 'finished') break;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    expect(heard.map((h) => h.id)).toEqual([heard[0]!.id, heard[0]!.id]);
  });
  it('never leaves its address', async () => {
    for (const [path, site] of [
      ['/../admin', 'x'],
      ['/imports/{{site}}/done', '..'],
      ['/%2e%2e/admin', 'x'],
    ] as const) {
      const ended = await run([request({ path }), second], { site });
      expect(ended.error).toMatch(/leads away|no part of an address/);
    }
    expect(heard).toEqual([]);
  });
  it('can be kept from a database that takes none', async () => {
    const ended = await run([{ ...request({}), system: 'store' }, second]);
    expect(ended.error).toContain('takes no requests');
    const other = await run([{ ...second, id: 'ask', system: 'api', after: [] }, second]);
    expect(other.error).toContain('takes no statements');
  });
});

describe('an API that is asked with the variables of a plan', () => {
  it('gives each item of an each its own records', async () => {
    answer = (req, res) => {
      const site = /\/sites\/(\w+)\/items/.exec(req.url!)?.[1] ?? 'none';
      res
        .writeHead(200, { 'content-type': 'application/json' })
        .end(JSON.stringify([{ no: site, name: site, price: '1,00' }]));
    };
    const system = await server.api('getSystem', 'GET', '/systems/api');
    await server.api('changeSystem', 'PUT', '/systems/api', {
      name: 'Docks',
      connection: { ...system.connection, variables: 'site = start' } as never,
    });
    const endpoint = { path: '/sites/{{site}}/items', records: '' };
    await server.api('settleDataset', 'PUT', '/systems/api/setting', {
      dataset: 'items',
      setting: { kind: 'endpoint', endpoint } as never,
    });
    const { mapping } = await server.mapping(
      itemsDocument('', { name: 'By site', source: { primary: { alias: 'i', dataset: 'api/items' } } }),
    );
    const load = { id: 'load', kind: 'mapping', mapping };
    const ended = await run([
      { id: 'sites', kind: 'each', over: { list: ['quay', 'mill', 'park'], as: 'site' }, steps: [load] },
    ]);
    expect(ended.counts).toMatchObject({ read: 3, delivered: 3, failed: 0 });
    expect((await server.rows('item')).map((r) => r[0])).toEqual(['mill', 'park', 'quay']);
    const bad = await run([{ id: 'sites', kind: 'each', over: { list: ['..'], as: 'site' }, steps: [load] }]);
    expect(bad.error).toContain('makes no address');
  });
});
