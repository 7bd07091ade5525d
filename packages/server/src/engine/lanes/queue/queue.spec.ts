import { rmSync } from 'node:fs';
import { createServer, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { RunDetail } from '@versicle/contract';
import { RunningServer } from '../../../testing/running-server.ts';

/** Records on their way to an API that takes its time: they wait in the outbox, whatever happens to the run meanwhile. */
describe('a run into an API that takes its time', () => {
  let server: RunningServer;
  let api: Server;
  let taken: string[] = [];
  const keys = new Set<string>();
  let atOnce = 0;
  let most = 0;
  let status = 201;
  let millis = 5;

  beforeAll(async () => {
    api = createServer((req, res) => {
      const pieces: Buffer[] = [];
      req.on('data', (d: Buffer) => pieces.push(d));
      req.on('end', () => {
        if (req.method !== 'POST') return say(res, 200);
        most = Math.max(most, ++atOnce);
        setTimeout(() => {
          atOnce--;
          const { no } = JSON.parse(Buffer.concat(pieces).toString()) as { no: string };
          const key = String(req.headers['idempotency-key']);
          if (status === 201 && !keys.has(key)) taken.push(no);
          if (status === 201) keys.add(key);
          say(res, status);
        }, millis);
      });
    });
    const say = (res: ServerResponse, code: number): void =>
      void res.writeHead(code, { 'content-type': 'application/json' }).end('{}');
    await new Promise<void>((resolve) => api.listen(0, '127.0.0.1', resolve));
    server = await RunningServer.start();
    await server.connect();
  });
  beforeEach(() => {
    taken = [];
    [most, status, millis] = [0, 201, 5];
  });
  afterAll(async () => {
    api.closeAllConnections();
    api.close();
    await server.close();
  });

  let made = 0;
  const connection = (more: object): never => {
    const base = `http://127.0.0.1:${(api.address() as AddressInfo).port}`;
    return { kind: 'http', base, auth: 'bearer', token: 'secret', ...more } as never;
  };
  async function start(
    records: number,
    parallel: number,
  ): Promise<{ run: number; file: string; mapping: string; system: string }> {
    const id = `api${++made}`;
    await server.api('createSystem', 'POST', '/systems', {
      id,
      name: id,
      connection: connection({ parallel }),
    });
    const endpoint = { path: '/items', write: { method: 'POST', path: '/items', batch: 1, repeat: { by: 'key' } } };
    await server.ask('PUT', `/api/systems/${id}/setting`, {
      dataset: 'items',
      setting: { kind: 'endpoint', endpoint },
    });
    const file = `${id}.csv`;
    server.file(file, ['no', ...Array.from({ length: records }, (_, i) => `${i}`)].join('\n'));
    const { plan, mapping } = await server.mapping({
      versicle: 1,
      name: `To ${id}`,
      source: { primary: { alias: 'i', dataset: `files/${file}` } },
      target: { dataset: `${id}/items`, key: ['no'], fields: [{ name: 'no', type: 'text', nullable: false }] },
      lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 'i.no' }],
      write: { mode: 'insert' },
    });
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    return { run, file, mapping, system: id };
  }
  const detail = (run: number): Promise<RunDetail> => server.api('getRun', 'GET', `/runs/${run}`);
  async function until(run: number, is: (of: RunDetail) => boolean): Promise<RunDetail> {
    for (;;) {
      const found = await detail(run);
      const { read, filtered, skipped, unchanged, failed, waiting, delivered } = found.counts;
      expect(read).toBe(filtered + skipped + unchanged + failed + waiting + delivered);
      if (is(found)) return found;
      await new Promise((r) => setTimeout(r, 15));
    }
  }
  const once = (records: number): string[] => Array.from({ length: records }, (_, i) => `${i}`).sort();

  it('says at any moment what waits, with as many requests at a time as the system is set to take', async () => {
    const { run } = await start(300, 4);
    await until(run, ({ counts }) => counts.read === 300 && counts.waiting > 0);
    const ended = await until(run, ({ finishedAt }) => finishedAt !== null);
    expect(ended).toMatchObject({ state: 'finished', counts: { read: 300, waiting: 0, delivered: 300 } });
    expect([...taken].sort()).toEqual(once(300));
    expect([most > 1, most <= 4]).toEqual([true, true]);
    expect(ended.samples.at(-1)).toMatchObject({ settled: 300, delivered: 300 });
  });

  it('needs its source no more once all is mapped: killed and taken up again, it sends the rest', async () => {
    const { run, file } = await start(200, 1);
    await until(run, ({ counts }) => counts.read === 200 && counts.delivered > 10);
    rmSync(join(server.folder, file));
    await server.restart('SIGKILL');
    await until(run, ({ counts, finishedAt }) => counts.delivered > 60 || finishedAt !== null);
    await server.restart('SIGTERM');
    const ended = await until(run, ({ finishedAt }) => finishedAt !== null);
    expect(ended).toMatchObject({ state: 'finished', counts: { delivered: 200 } });
    expect([...taken].sort()).toEqual(once(200));
  });

  it('cancelled, fails what waits; a replay sends it', async () => {
    const { run, mapping } = await start(300, 2);
    await until(run, ({ counts }) => counts.read === 300 && counts.delivered > 5);
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    const { counts } = await until(run, ({ finishedAt }) => finishedAt !== null);
    expect(counts).toMatchObject({ read: 300, waiting: 0, delivered: taken.length, failed: 300 - taken.length });
    const [cause] = await server.api('listCauses', 'GET', `/failures/causes?run=${run}&state=open`);
    expect(cause).toMatchObject({ cause: 'delivery_failed', count: counts.failed });
    const reply = await server.ask('POST', '/api/failures/replay', { mapping, cause: 'delivery_failed', line: null });
    expect(await server.ended(reply.body.run as number)).toMatchObject({
      counts: { delivered: counts.failed, failed: 0 },
    });
    expect([...taken].sort()).toEqual(once(300));
  });

  it('cancelled, is not held up by a request to another dataset of the API that takes its time', async () => {
    const slow = await start(3, 1);
    await until(slow.run, ({ counts }) => counts.delivered === 3);
    const endpoint = { path: '/others', write: { method: 'POST', path: '/others', batch: 1, repeat: { by: 'key' } } };
    await server.ask('PUT', `/api/systems/${slow.system}/setting`, {
      dataset: 'others',
      setting: { kind: 'endpoint', endpoint },
    });
    const into = async (dataset: string): Promise<number> => {
      const { plan } = await server.mapping({
        versicle: 1,
        name: `Into ${slow.system} ${dataset}`,
        source: { primary: { alias: 'i', dataset: `files/${slow.file}` } },
        target: { dataset: `${slow.system}/${dataset}`, key: ['no'], fields: [{ name: 'no', type: 'text' }] },
        lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 'i.no' }],
        write: { mode: 'insert' },
      });
      return (await server.api('startPlan', 'POST', `/plans/${plan}/start`, {})).run;
    };
    // One request at a time, and the first one is not answered for long.
    millis = 60_000;
    const first = await into('items');
    await until(first, ({ counts }) => counts.waiting === 3);
    while (atOnce === 0) await new Promise((r) => setTimeout(r, 15));
    const second = await into('others');
    await until(second, ({ counts }) => counts.waiting === 3);
    await server.api('cancelRun', 'POST', `/runs/${second}/cancel`);
    const { counts } = await until(second, ({ finishedAt }) => finishedAt !== null);
    expect(counts).toMatchObject({ waiting: 0, failed: 3, delivered: 0 });
    // The other request is under way all the while.
    expect([atOnce, (await detail(first)).counts.waiting]).toEqual([1, 3]);
    await server.api('cancelRun', 'POST', `/runs/${first}/cancel`);
    await until(first, ({ finishedAt }) => finishedAt !== null);
  });

  it('breaks off where the target does not know us, keeps what waits, and sends it when it is taken up again', async () => {
    const { run } = await start(120, 1);
    await until(run, ({ counts }) => counts.read === 120 && counts.delivered > 5);
    status = 401;
    const broken = await until(run, ({ finishedAt }) => finishedAt !== null);
    expect(broken.state).toBe('broken');
    expect(broken.error).toMatch(/does not (know|let) us/);
    expect(broken.counts.waiting).toBe(120 - taken.length);
    status = 201;
    await server.api('takeUpRun', 'POST', `/runs/${run}/take-up`);
    const ended = await until(run, (r) => r.finishedAt !== null);
    expect(ended).toMatchObject({ state: 'finished', counts: { read: 120, delivered: 120 } });
    expect([...taken].sort()).toEqual(once(120));
  });

  it('is sent only while a window is open; closed in its midst, it waits and says until when, also through a kill', async () => {
    const { run, system } = await start(200, 2);
    const set = (windows: string): Promise<{ status: number; body: { detail?: string } }> =>
      server.ask('PUT', `/api/systems/${system}`, { name: system, connection: connection({ parallel: 2, windows }) });
    await until(run, ({ counts }) => counts.read === 200 && counts.delivered > 5);
    const clock = (hours: number): string => new Date(Date.now() + hours * 3_600_000).toISOString().slice(11, 16);
    expect((await set(`${clock(3)}–${clock(4)} UTC`)).status).toBe(200);
    // What is under way when it closes is answered still.
    const closed = await until(run, ({ opens, counts }) => opens !== null && counts.delivered === taken.length);
    expect(closed.state).toBe('running');
    expect(closed.opens!.slice(11, 16)).toBe(clock(3));
    const sent = taken.length;
    await server.restart('SIGKILL');
    await new Promise((r) => setTimeout(r, 2500));
    const still = await until(run, ({ opens }) => opens !== null);
    expect([taken.length, still.counts.waiting]).toEqual([sent, 200 - sent]);
    // Others have its place meanwhile; and windows that can't be meant are refused where they are written.
    const other = await start(3, 1);
    expect((await server.ended(other.run)).counts.delivered).toBe(3);
    expect(await set('22:00–22:00 UTC')).toMatchObject({
      status: 400,
      body: { detail: expect.stringContaining('closes when it opens') },
    });
    await set(`${clock(-1)}–${clock(1)} UTC`);
    const ended = await until(run, ({ finishedAt }) => finishedAt !== null);
    expect(ended).toMatchObject({ state: 'finished', opens: null, counts: { read: 200, delivered: 200 } });
    expect(taken.filter((no, i) => taken.indexOf(no) === i).length).toBe(200);
    expect(ended.log.map((l) => l.message).join(' ')).toMatch(/is closed; waits until it opens at .* is open; goes on/);
    // What was under way when the settings changed was answered.
    expect(ended.log.filter((l) => l.message.includes('tries again'))).toEqual([]);
  }, 120_000);

  it('given up when its target can’t be opened any more, fails what waits all the same', async () => {
    const { run, mapping } = await start(120, 1);
    await until(run, ({ counts }) => counts.read === 120 && counts.delivered > 5);
    // Its secrets can't be opened with another key.
    await server.restart('SIGTERM', { VERSICLE_KEY: 'ab'.repeat(32) });
    expect(await until(run, ({ finishedAt }) => finishedAt !== null)).toMatchObject({ state: 'broken' });
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    const { counts } = await until(run, ({ state }) => state === 'cancelled');
    expect(counts).toMatchObject({ read: 120, waiting: 0, delivered: taken.length, failed: 120 - taken.length });
    expect(counts.failed).toBeGreaterThan(0);
    expect((await server.ask('GET', `/api/failures?mapping=${mapping}`)).body.length).toBeGreaterThan(0);
  });

  it('keeps the records of a replay that breaks off: no other replay sends them besides', async () => {
    status = 422;
    const { run, mapping } = await start(3, 1);
    await server.ended(run);
    const replay = { mapping, cause: 'target_rejected', line: null };
    status = 401;
    const first = (await server.ask('POST', '/api/failures/replay', replay)).body.run as number;
    expect(await until(first, (r) => r.finishedAt !== null)).toMatchObject({ state: 'broken', counts: { waiting: 3 } });
    status = 201;
    expect((await server.ask('POST', '/api/failures/replay', replay)).status).toBe(422);
    await server.api('takeUpRun', 'POST', `/runs/${first}/take-up`);
    expect(await until(first, (r) => r.finishedAt !== null)).toMatchObject({ counts: { delivered: 3 } });
    expect([...taken].sort()).toEqual(once(3));
  });
});
