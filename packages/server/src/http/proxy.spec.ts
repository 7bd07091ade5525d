import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { createHmac } from 'node:crypto';
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:https';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import { root, spawnServer } from '../testing/running-server.ts';
import { Several } from '../testing/several.ts';

const NGINX = '/usr/sbin/nginx';
const freePort = async (): Promise<number> => {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
};

/** The configuration of the docs, in front of two processes on one store. */
(existsSync(NGINX) && postgresPrograms() !== null ? describe : describe.skip)('nginx, as the docs set it up', () => {
  const home = mkdtempSync(join(tmpdir(), 'versicle-proxy-'));
  let pg: PostgresServer;
  let all: Several;
  let nginx: ChildProcess;
  let port: number;
  const SECRET = 'a secret of the tests, long enough';

  interface Said {
    readonly status: number;
    readonly body: string;
  }
  function ask(method: string, path: string, headers: Record<string, string> = {}, body = ''): Promise<Said> {
    const signed = { Authorization: `Basic ${Buffer.from('Zoe:larkway-practice').toString('base64')}`, ...headers };
    const sent = Object.fromEntries(Object.entries(signed).filter(([, value]) => value !== ''));
    return new Promise((resolve, reject) => {
      const asked = request(
        { host: '127.0.0.1', port, method, path, rejectUnauthorized: false, headers: { Host: `versicle.example.org:${port}`, ...sent } }, // prettier-ignore
        (res) => {
          let said = '';
          res.on('data', (piece: Buffer) => (said += piece.toString()));
          res.on('end', () => resolve({ status: res.statusCode!, body: said }));
        },
      );
      asked.on('error', reject);
      asked.end(body);
    });
  }

  beforeAll(async () => {
    port = await freePort();
    pg = await PostgresServer.start();
    all = await Several.on(pg, 'proxied');
    const hooks = [await freePort(), await freePort()];
    const VERSICLE_ADDRESS = `https://versicle.example.org:${port}`;
    for (const at of hooks) await all.start({ VERSICLE_ADDRESS, VERSICLE_HOOKS_PORT: String(at) });
    await all.connect();
    const at = (name: string): string => join(home, name);
    execFileSync('openssl', ['req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-days', '2', '-subj', '/CN=versicle.example.org', '-keyout', at('key'), '-out', at('pem')], { stdio: 'ignore' }); // prettier-ignore
    const hash = execFileSync('openssl', ['passwd', '-apr1', 'larkway-practice'], { encoding: 'utf8' }).trim();
    writeFileSync(at('users'), `Zoe:${hash}\n`);
    const [first, second] = all.processes.map((p) => new URL(p.address).host) as [string, string];
    const changes: [string, string][] = [
      ['/run/nginx.pid', at('pid')],
      ['listen 443 ssl', `listen 127.0.0.1:${port} ssl`],
      ['/etc/ssl/versicle.pem', at('pem')],
      ['/etc/ssl/versicle.key', at('key')],
      ['/etc/nginx/versicle.users', at('users')],
      ['127.0.0.1:4170', first],
      ['127.0.0.1:4171', second],
      ['127.0.0.1:4180', `127.0.0.1:${hooks[0]}`],
      ['127.0.0.1:4181', `127.0.0.1:${hooks[1]}`],
    ];
    let text = readFileSync(join(root, 'docs/proxy/nginx.conf'), 'utf8');
    for (const [documented, here] of changes) {
      if (!text.includes(documented)) throw new Error(`the configuration does not say ${documented}`);
      text = text.replaceAll(documented, here);
    }
    writeFileSync(at('conf'), text);
    // Its workers are another user's.
    chmodSync(home, 0o755);
    nginx = spawn(NGINX, ['-c', at('conf'), '-g', 'daemon off;', '-e', at('log')], { stdio: 'inherit' });
    for (let tries = 0; tries < 100 && !(await ask('GET', '/api/health').then((r) => r.status === 200, () => false)); tries++) await new Promise((r) => setTimeout(r, 50)); // prettier-ignore
  });
  afterAll(async () => {
    nginx.kill('SIGTERM');
    await new Promise((resolve) => nginx.once('exit', resolve));
    await all.close();
    await pg.stop();
    rmSync(home, { recursive: true, force: true });
  });

  it('lets in who signs in, says who that is, and refuses others and pages of other sites', async () => {
    expect((await ask('GET', '/api/systems', { Authorization: '' })).status).toBe(401);
    const { status, body } = await ask('GET', '/api/session', { 'X-Person': 'Somebody%20Else' });
    expect([status, JSON.parse(body)]).toMatchObject([200, { person: 'Zoe' }]);
    const here = `https://versicle.example.org:${port}`;
    expect((await ask('GET', '/api/systems', { Origin: here, 'Sec-Fetch-Site': 'same-origin' })).status).toBe(200);
    expect((await ask('GET', '/api/systems', { Origin: 'https://example.org' })).status).toBe(403);
    expect((await ask('GET', '/api/systems', { Host: 'example.org' })).status).toBe(403);
    expect((await ask('GET', '/api/systems', { 'X-Forwarded-For': '10.0.0.1' })).status).toBe(200);
  });
  it('lets programs in with an API key', async () => {
    const made = await all.processes[0]!.ask('POST', '/api/keys', { name: 'nightly', may: ['read'] });
    const { key } = made.body as { key: string };
    const by = (value: string): Promise<Said> => ask('GET', '/api/systems', { Authorization: `Bearer ${value}` });
    expect([made.status, (await by(key)).status, (await by('nonsense')).status]).toEqual([200, 200, 401]);
  });
  it('passes events on as they come, and a run that one process starts is heard of through the other', async () => {
    let heard = '';
    const pages = [0, 1].map(
      () =>
      request({ host: '127.0.0.1', port, path: '/api/events', rejectUnauthorized: false, auth: 'Zoe:larkway-practice', headers: { Host: `versicle.example.org:${port}` } }, (res) => res.on('data', (piece: Buffer) => (heard += piece.toString()))).end(), // prettier-ignore
    );
    while (heard.split('retry').length < 3) await new Promise((r) => setTimeout(r, 20));
    const { plan } = await all.load(50);
    const started = await ask('POST', `/api/plans/${plan}/start`, { 'Content-Type': 'application/json' }, '{}');
    expect(started.status).toBe(200);
    while (heard.split('"state":"finished"').length < 3) await new Promise((r) => setTimeout(r, 20));
    for (const page of pages) page.destroy();
  });
  it('goes on with one process where the other one is killed', async () => {
    const [first] = all.processes;
    await first!.stop('SIGKILL');
    const said = await Promise.all(Array.from({ length: 20 }, () => ask('GET', '/api/systems')));
    expect(new Set(said.map((s) => s.status))).toEqual(new Set([200]));
    await first!.restart();
  });
  it('lets webhooks through, which are told by their signature', async () => {
    const connection = { kind: 'webhook', secret: SECRET, toleranceSeconds: 600 };
    await all.processes[0]!.ask('POST', '/api/systems', { id: 'hook', name: 'Hook', connection });
    const [text, time] = ['{"no":"1"}', String(Math.floor(Date.now() / 1000))];
    const sign = (secret: string): Record<string, string> => ({
      Authorization: '',
      'X-Timestamp': time,
      'X-Delivery-Id': 'd1',
      'X-Signature': createHmac('sha256', secret).update(`${time}.d1.${text}`).digest('hex'),
    });
    expect((await ask('POST', '/hooks/hook', sign('another secret'), text)).status).toBe(401);
    expect((await ask('POST', '/hooks/hook', sign(SECRET), text)).status).toBe(202);
  });
  it('is told of by an address and nothing else', async () => {
    const { message } = await spawnServer(join(home, 'refused'), {
      VERSICLE_ADDRESS: 'versicle.example.org/pages',
    }).then(
      () => ({ message: 'it started' }),
      (error: Error) => error,
    );
    expect(message).toContain('VERSICLE_ADDRESS is the address under which a proxy serves the pages');
  });
});
