import { createServer } from 'node:net';
import { mkdirSync, mkdtempSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ended, RunningServer, spawnServer } from './testing/running-server.ts';

describe('starting', () => {
  let server: RunningServer;
  beforeAll(async () => (server = await RunningServer.start()));
  afterAll(() => server.close());

  it('refuses a data directory that is in use, with exit code 1', async () => {
    const second = spawnServer(join(server.home, 'data'));
    await expect(second).rejects.toMatchObject({
      code: 1,
      message: expect.stringMatching(/in use by another Versicle.*VERSICLE_DATA/),
    });
    expect((await server.ask('GET', '/api/health')).body).toMatchObject({ ok: true });
  });

  it('says which port is taken', async () => {
    const other = createServer();
    const port = await new Promise<number>((resolve) =>
      other.listen(0, '127.0.0.1', () => resolve((other.address() as { port: number }).port)),
    );
    const home = mkdtempSync(join(tmpdir(), 'versicle-test-'));
    await expect(spawnServer(join(home, 'data'), { VERSICLE_PORT: String(port) })).rejects.toMatchObject({
      code: 1,
      message: expect.stringMatching(new RegExp(`Port ${port} .* is taken`)),
    });
    other.close();
    rmSync(home, { recursive: true });
  });

  it('says why a data directory can’t be used', async () => {
    const home = mkdtempSync(join(tmpdir(), 'versicle-test-'));
    writeFileSync(join(home, 'file'), '');
    await expect(spawnServer(join(home, 'file'))).rejects.toMatchObject({
      code: 1,
      message: expect.stringMatching(/not a directory/),
    });
    await expect(spawnServer(join(home, 'file', 'below'))).rejects.toMatchObject({
      code: 1,
      message: expect.stringMatching(/not a directory/),
    });
    await expect(spawnServer('/proc/versicle')).rejects.toMatchObject({
      code: 1,
      message: expect.stringMatching(/Choose another directory/),
    });
    rmSync(home, { recursive: true });
  });

  it('listens on this machine only, as long as nobody signs in; webhooks may have a port for others', async () => {
    const home = mkdtempSync(join(tmpdir(), 'versicle-test-'));
    await expect(spawnServer(join(home, 'data'), { VERSICLE_HOST: '0.0.0.0' })).rejects.toMatchObject({
      code: 1,
      message: expect.stringMatching(/nobody signs in yet/),
    });
    const probe = createServer();
    const port = await new Promise<number>((resolve) =>
      probe.listen(0, '127.0.0.1', () => resolve((probe.address() as { port: number }).port)),
    );
    await new Promise<void>((resolve) => probe.close(() => resolve()));
    const { child } = await spawnServer(join(home, 'data'), { VERSICLE_HOOKS_PORT: String(port) });
    expect((await fetch(`http://127.0.0.1:${port}/api/systems`)).status).toBe(404);
    expect((await fetch(`http://127.0.0.1:${port}/hooks/none`, { method: 'POST', body: '{}' })).status).toBe(401);
    child.removeAllListeners('exit');
    child.kill('SIGTERM');
    await ended(child);
    rmSync(home, { recursive: true });
  });

  it('keeps another container off the same directory, by a file that is kept fresh', async () => {
    const home = mkdtempSync(join(tmpdir(), 'versicle-test-'));
    const data = join(home, 'data');
    mkdirSync(data);
    // As another machine or network namespace would have written it a moment ago.
    writeFileSync(join(data, 'in-use'), 'somewhere else net:[1]');
    await expect(spawnServer(data)).rejects.toMatchObject({ message: expect.stringMatching(/in use by another/) });
    const old = new Date(Date.now() - 60_000);
    utimesSync(join(data, 'in-use'), old, old);
    const { child } = await spawnServer(data);
    child.removeAllListeners('exit');
    child.kill('SIGTERM');
    await ended(child);
    rmSync(home, { recursive: true });
  });

  it('shows every page when the key is another, and asks for the secrets again', async () => {
    const one = await RunningServer.start({ VERSICLE_KEY: 'a'.repeat(64) });
    await one.ask('POST', '/api/systems', {
      id: 'api',
      name: 'API',
      connection: { kind: 'http', base: 'http://127.0.0.1:1/', auth: 'bearer', token: 'mine' },
    });
    await one.restart('SIGTERM', { VERSICLE_KEY: 'b'.repeat(64) });
    const { status, body } = await one.ask('GET', '/api/systems');
    expect([status, body[0].secretsLost, body[0].secretsSet]).toEqual([200, true, []]);
    expect((await one.ask('POST', '/api/systems/api/test')).body.message).toContain('Give them again');
    const again = await one.ask('PUT', '/api/systems/api', {
      name: 'API',
      connection: { kind: 'http', base: 'http://127.0.0.1:1/', auth: 'bearer', token: 'new' },
    });
    expect(again.body).toMatchObject({ secretsLost: false, secretsSet: ['token'] });
    await one.close();
  });

  it('refuses an odd port', async () => {
    await expect(spawnServer(join(server.home, 'other'), { VERSICLE_PORT: 'http' })).rejects.toMatchObject({
      code: 1,
      message: expect.stringMatching(/“http” is not a port/),
    });
  });

  it('answers what was asked before the store was open', async () => {
    const home = mkdtempSync(join(tmpdir(), 'versicle-test-'));
    const probe = createServer();
    const port = await new Promise<number>((resolve) =>
      probe.listen(0, '127.0.0.1', () => resolve((probe.address() as { port: number }).port)),
    );
    await new Promise((resolve) => probe.close(resolve));
    const starting = spawnServer(join(home, 'data'), { VERSICLE_PORT: String(port) });
    // Asked again only while the port is refused; a request that is taken must be answered.
    const ask = async (): Promise<number> => {
      for (;;) {
        try {
          return (await fetch(`http://127.0.0.1:${port}/api/health`)).status;
        } catch {
          await new Promise((again) => setImmediate(again));
        }
      }
    };
    expect(await ask()).toBe(200);
    const { child } = await starting;
    child.removeAllListeners('exit');
    child.kill('SIGTERM');
    await ended(child);
    rmSync(home, { recursive: true });
  });

  it('closes cleanly on Ctrl-C, and what was acknowledged is there after kill -9', async () => {
    const own = await RunningServer.start();
    await own.connect();
    own.child.removeAllListeners('exit');
    const end = ended(own.child);
    own.child.kill('SIGINT');
    expect(await end).toBe(0);
    await own.restart('SIGKILL');
    const made = await own.api('createSystem', 'POST', '/systems', {
      id: 'more',
      name: 'More',
      connection: { kind: 'folder', root: own.folder },
    });
    await own.restart('SIGKILL');
    const systems = await own.api('listSystems', 'GET', '/systems');
    expect(systems.map((s) => s.id)).toEqual(['files', 'store', made.id]);
    await own.close();
  });
});
