import { spawn } from 'node:child_process';
import { join } from 'node:path';
import type { ApiKey } from '@versicle/contract';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

let server: RunningServer;
let clean: string;
let failing: string;
beforeAll(async () => {
  server = await RunningServer.start();
  await server.connect();
  server.file('items.csv', 'no,name,price\n1,Bell,"3,50"\n2,Lamp,x\n');
  server.file('good.csv', 'no,name,price\n1,Bell,"3,50"\n');
  failing = (await server.mapping(itemsDocument())).plan;
  clean = (
    await server.mapping(
      itemsDocument('good.csv', {
        name: 'Good',
        target: { ...(itemsDocument()['target'] as object), dataset: 'store/good' },
      }),
    )
  ).plan;
});
afterAll(() => server.close());

interface Said {
  readonly code: number | null;
  readonly out: string;
  readonly err: string;
}
function versicle(args: string[], env: Record<string, string> = {}): Promise<Said> {
  const child = spawn(process.execPath, [join(__dirname, '../../../../scripts/versicle.mjs'), ...args], {
    env: { ...process.env, VERSICLE_URL: server.address, ...env },
  });
  let [out, err] = ['', ''];
  child.stdout.on('data', (piece: Buffer) => (out += piece.toString()));
  child.stderr.on('data', (piece: Buffer) => (err += piece.toString()));
  return new Promise((resolve) => child.on('close', (code) => resolve({ code, out, err })));
}
const key = async (may: ApiKey['may'], plans?: string[]): Promise<{ id: string; key: string }> =>
  server.api('createApiKey', 'POST', '/keys', { name: 'nightly', may, ...(plans ? { plans } : {}) });

describe('plans and runs on the command line', () => {
  it('says by its exit code how a run ended', async () => {
    expect(await versicle(['plans', 'start', clean, '--wait'])).toMatchObject({
      code: 0,
      out: expect.stringContaining('delivered 1'),
    });
    const failed = await versicle(['plans', 'start', failing, '--wait', '--json']);
    expect(failed.code).toBe(3);
    expect(JSON.parse(failed.out)).toMatchObject({ state: 'finished', counts: { failed: 1 } });
    expect(await versicle(['plans', 'start', 'nothing', '--wait'])).toMatchObject({
      code: 1,
      err: expect.stringContaining('There is no plan “nothing”.'),
    });
    expect(await versicle(['plans', 'start', clean, '--first', 'many'])).toMatchObject({ code: 2 });
    expect((await versicle(['plans', 'start', clean, '--first', '1', '--wait'])).code).toBe(0);
  });
  it('puts a plan, shows and lists it, and shows runs', async () => {
    const path = join(server.folder, 'night.plan.versicle.json');
    const document = {
      versicle: 1,
      kind: 'plan',
      name: 'Night',
      steps: [{ id: 'a', kind: 'mapping', mapping: 'good' }],
    };
    server.file('night.plan.versicle.json', JSON.stringify(document));
    expect(await versicle(['plans', 'put', path])).toEqual({ code: 0, out: 'night: made\n', err: '' });
    server.file('night.plan.versicle.json', JSON.stringify({ ...document, purpose: 'Each night' }));
    expect((await versicle(['plans', 'put', path])).out).toBe('night: version 2\n');
    expect((await versicle(['plans', 'list'])).out).toContain('night\tby hand\tWhen somebody starts it: Good.');
    expect((await versicle(['plans', 'show', 'night'])).out).toContain('Night (version 2)');
    server.file(
      'night.plan.versicle.json',
      JSON.stringify({ ...document, steps: [{ id: 'a', kind: 'mapping', mapping: 'goo' }] }),
    );
    expect(await versicle(['plans', 'put', path])).toMatchObject({
      code: 1,
      err: expect.stringContaining('Did you mean “good”?'),
    });
    const runs = JSON.parse((await versicle(['runs', 'list', '--json'])).out) as { id: number }[];
    expect(await versicle(['runs', 'show', String(runs[0]!.id)])).toMatchObject({ code: 0 });
    expect(await versicle(['runs', 'cancel', String(runs[0]!.id)])).toMatchObject({
      code: 1,
      err: expect.stringContaining('has ended already'),
    });
    expect((await versicle(['runs', 'show', 'x'])).code).toBe(2);
  });
  it('says that nobody answers', async () => {
    expect(await versicle(['plans', 'list'], { VERSICLE_URL: 'http://127.0.0.1:9' })).toMatchObject({
      code: 1,
      err: expect.stringContaining('does not answer'),
    });
    expect((await versicle(['plans', 'list', '--server', 'nowhere'])).code).toBe(2);
    expect(await versicle(['plans', 'list', '--server', 'http://example.org', '--key', 'k'])).toMatchObject({
      code: 2,
      err: expect.stringContaining('without TLS'),
    });
  });
});

describe('API keys', () => {
  it('let do what they may, and nothing else', async () => {
    const starts = await key(['start'], [clean]);
    const reads = await key(['read', 'start']);
    const as = (k: string) => ({ Authorization: `Bearer ${k}` });
    const status = async (k: string, method: string, path: string, body?: unknown): Promise<number> =>
      (await server.ask(method, path, body, as(k))).status;
    expect(await status(starts.key, 'POST', `/api/plans/${clean}/start`, {})).toBe(200);
    expect(await status(starts.key, 'POST', `/api/plans/${failing}/start`, {})).toBe(403);
    expect(await status(starts.key, 'GET', '/api/plans')).toBe(403);
    expect(await status(reads.key, 'GET', '/api/plans')).toBe(200);
    expect(await status(reads.key, 'PUT', `/api/plans/${clean}/held`, { held: true })).toBe(403);
    expect(await status(reads.key, 'GET', '/api/keys')).toBe(403);
    expect(await status(reads.key, 'GET', '/api/KEYS/')).toBe(403);
    expect(await status(starts.key, 'POST', '/api/plans/%zz/start', {})).toBe(403);
    expect(await status(reads.key, 'POST', '/api/keys', { name: 'x', may: ['change'] })).toBe(403);
    expect(await status('vsk_wrong', 'GET', '/api/plans')).toBe(401);
    expect(await status(`${reads.key} x`, 'GET', '/api/plans')).toBe(401);
    const { run } = (await server.ask('POST', `/api/plans/${clean}/start`, {}, as(reads.key))).body as { run: number };
    expect((await server.ended(run)).startedBy).toBe('the key nightly');
    await server.api('deleteApiKey', 'DELETE', `/keys/${reads.id}`);
    expect(await status(reads.key, 'GET', '/api/plans')).toBe(401);
  });
  it('are kept as hashes and never shown again', async () => {
    const made = await key(['read']);
    expect(JSON.stringify(await server.api('listApiKeys', 'GET', '/keys'))).not.toContain(made.key);
    expect(made.key).toMatch(/^vsk_[\w-]{32}$/);
    expect(await server.ask('POST', '/api/keys', { name: 'x', may: ['start'], plans: ['none'] })).toMatchObject({
      status: 422,
    });
  });
  it('start a plan from the command line', async () => {
    const made = await key(['start', 'read'], [clean]);
    expect((await versicle(['plans', 'start', clean, '--wait', '--key', made.key])).code).toBe(0);
    expect(await versicle(['plans', 'start', failing], { VERSICLE_API_KEY: made.key })).toMatchObject({
      code: 1,
      err: expect.stringContaining('may start only'),
    });
  });
});
