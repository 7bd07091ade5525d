import type { RunDetail, WorkerInfo } from '@versicle/contract';
import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import { ItemApi } from '../testing/item-api.ts';
import { itemsDocument, type RunningServer, spawnServer } from '../testing/running-server.ts';
import { Several } from '../testing/several.ts';

(postgresPrograms() === null ? describe.skip : describe)('several processes on one store', () => {
  let pg: PostgresServer;
  const open: Several[] = [];
  const several = async (name: string): Promise<Several> => {
    const made = await Several.on(pg, name);
    open.push(made);
    return made;
  };
  beforeAll(async () => {
    pg = await PostgresServer.start();
  });
  afterEach(async () => {
    // One that a test left frozen could not end.
    for (const { child } of open.flatMap((one) => one.processes)) child.kill('SIGCONT');
    for (const one of open.splice(0)) await one.close();
  });
  afterAll(() => pg.stop());

  const run = (server: RunningServer, id: number): Promise<RunDetail> => server.api('getRun', 'GET', `/runs/${id}`);
  const workers = (server: RunningServer): Promise<WorkerInfo[]> => server.api('listWorkers', 'GET', '/workers');
  const start = async (server: RunningServer, plan: string): Promise<number> =>
    (await server.api('startPlan', 'POST', `/plans/${plan}/start`, {})).run;
  async function until<T>(look: () => Promise<T>, is: (found: T) => boolean): Promise<T> {
    for (let tries = 0; ; tries++) {
      const found = await look();
      if (is(found)) return found;
      if (tries > 300) throw new Error(`never: ${JSON.stringify(found).slice(0, 500)}`);
      await new Promise((r) => setTimeout(r, 100));
    }
  }
  /** Who carries a run out. */
  async function carrierOf(all: Several, id: number): Promise<RunningServer> {
    const asked = all.processes.at(-1)!;
    const found = await until(
      () => workers(asked),
      (list) => list.some((w) => w.runs.includes(id)),
    );
    const { pid } = found.find((w) => w.runs.includes(id))!;
    return all.processes.find((p) => p.child.pid === pid)!;
  }

  it('share what people do, tell each other’s pages, and show who is there', async () => {
    const all = await several('shared');
    const one = await all.start();
    const other = await all.start({ VERSICLE_WORK: 'pages' });
    const third = await all.start({ VERSICLE_WORK: 'runs' });
    await all.connect();
    expect((await other.api('listSystems', 'GET', '/systems')).map((s) => s.id)).toEqual(['files', 'pg']);
    expect((await third.ask('GET', '/api/systems')).body.detail).toContain('serves no pages');
    expect((await third.ask('GET', '/api/health')).body).toMatchObject({ ok: true });
    const found = await workers(other);
    expect(found.map((w) => [w.work, w.isThis, w.silent, w.address])).toEqual([
      ['all', false, false, one.address],
      ['pages', true, false, other.address],
      ['runs', false, false, third.address],
    ]);
    // Who serves pages only sees to nothing; what is due is always seen to by one of the others.
    const due = await until(
      () => workers(other),
      (list) => list.some((w) => w.duties.includes('plans')),
    );
    expect(due.filter((w) => w.duties.length > 0 && w.work === 'pages')).toEqual([]);
    // A page of one process hears of what happens in another one.
    const response = await fetch(`${other.address}/api/events`);
    const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader();
    const heard = (async () => {
      for (let text = ''; ;) {
        const { value } = await reader.read();
        text += value ?? '';
        if (/"type":"run".*"state":"finished"/.test(text) && text.includes('"type":"present"')) return text;
      }
    })();
    const { plan, table } = await all.load(200);
    const id = await start(one, plan);
    await one.ended(id);
    const mapping = (await one.api('listMappings', 'GET', '/mappings'))[0]!.id;
    await one.ask('POST', `/api/mappings/${mapping}/here`, { page: 'p1', line: null, left: false });
    expect(await heard).toContain('"page":"p1"');
    await reader.cancel();
    expect(await all.there(table)).toEqual([198, 198]);
    // What one has open of a system is as another one has changed it.
    expect((await other.ask('GET', '/api/systems/files/datasets')).body).toHaveLength(1);
    await one.ask('PUT', '/api/systems/files', { name: 'files', connection: { kind: 'folder', root: other.folder } });
    other.file('another.csv', 'a\n1\n');
    other.file('one-more.csv', 'a\n1\n');
    const datasets = (): Promise<{ body: unknown }> => other.ask('GET', '/api/systems/files/datasets');
    await until(datasets, ({ body }) => (body as unknown[]).length === 2);
    // Whoever goes is not listed any more.
    await third.stop('SIGTERM');
    expect((await workers(one)).map((w) => w.work)).toEqual(['all', 'pages']);
    await third.restart();
  });

  it('take over what a killed or frozen one was at, and nothing is lost or doubled', async () => {
    const all = await several('taken_over');
    await all.start();
    await all.start();
    await all.connect();
    for (const signal of ['SIGKILL', 'SIGSTOP'] as const) {
      const { plan, table } = await all.load(4000);
      const id = await start(all.processes[0]!, plan);
      const carrier = await carrierOf(all, id);
      const other = all.processes.find((p) => p !== carrier)!;
      const at = 50 + Math.floor(Math.random() * 3000);
      await until(
        () => run(other, id),
        (r) => r.counts.delivered >= at,
      );
      carrier.child.kill(signal);
      const detail = await other.ended(id);
      expect(detail).toMatchObject({ state: 'finished', counts: { read: 4000, delivered: 3960, failed: 40 } });
      expect(detail.log.map((l) => l.message).join()).toContain('taken up again');
      if (signal === 'SIGKILL') await carrier.restart();
      else {
        const [silent, ...more] = (await workers(other)).filter((w) => w.silent);
        expect(more).toEqual([]);
        // Nor does it hold up the others with what it has open.
        const held = `SELECT 1 FROM pg_stat_activity WHERE application_name = 'Versicle ${silent!.id}'`;
        expect(await pg.query(held)).toEqual([]);
        // It finds out that the run is not its own any more before it writes another row.
        carrier.child.kill('SIGCONT');
        await until(
          () => workers(carrier),
          (list) => list.every((w) => !w.silent && w.runs.length === 0),
        );
        expect(await run(carrier, id)).toMatchObject({ state: 'finished', counts: { delivered: 3960, failed: 40 } });
      }
      expect(await all.there(table)).toEqual([3960, 3960]);
    }
    // All goes on as before.
    const { plan, table } = await all.load(300);
    for (const process of all.processes) expect((await process.run(plan)).counts.delivered).toBe(297);
    expect(await all.there(table)).toEqual([594, 297]);
  });

  it('fetch anew what another one was fetching when it froze, and it writes into nothing of theirs', async () => {
    const all = await several('fetched');
    await all.start();
    await all.start();
    await all.connect();
    const [one] = all.processes as [RunningServer];
    const api = await ItemApi.start();
    for (let i = 0; i < 2000; i++) api.items.push({ no: String(i), name: `n${i % 50}`, price: '1,00' });
    await one.ask('POST', '/api/systems', {
      id: 'api',
      name: 'api',
      connection: { kind: 'http', base: api.base, auth: 'none' },
    });
    const paging = { kind: 'offset', parameter: 'offset', sizeParameter: 'limit', size: 5 };
    const endpoint = { path: '/items', records: 'items', paging };
    await one.ask('PUT', '/api/systems/api/setting', { dataset: 'items', setting: { kind: 'endpoint', endpoint } });
    const { table } = await all.load(1);
    const base = itemsDocument('', { name: 'Fetched', source: { primary: { alias: 'i', dataset: 'api/items' } } });
    const target = { ...(base['target'] as object), dataset: `pg/${table}`, key: [] };
    const { plan } = await one.mapping({ ...base, target, write: { mode: 'insert' } });
    const id = await start(one, plan);
    const carrier = await carrierOf(all, id);
    const other = all.processes.find((p) => p !== carrier)!;
    await until(
      () => run(other, id),
      (r) => r.log.some((l) => l.message.includes('fetches the records')),
    );
    carrier.child.kill('SIGSTOP');
    const detail = await other.ended(id);
    expect(detail).toMatchObject({ state: 'finished', counts: { read: 2000, delivered: 2000 } });
    carrier.child.kill('SIGCONT');
    await until(
      () => workers(carrier),
      (list) => list.every((w) => !w.silent && w.runs.length === 0),
    );
    expect(await all.there(table)).toEqual([2000, 2000]);
    await api.close();
  });

  it('cancel and pause what another one carries out', async () => {
    const all = await several('wanted');
    const one = await all.start();
    const other = await all.start({ VERSICLE_WORK: 'pages' });
    await all.connect();
    const { plan, table } = await all.load(6000);
    const id = await start(other, plan);
    await until(
      () => run(other, id),
      (r) => r.counts.delivered > 100,
    );
    await other.ask('POST', `/api/runs/${id}/pause`);
    const paused = await until(
      () => run(other, id),
      (r) => r.state === 'paused',
    );
    expect(paused.counts.delivered).toBeLessThan(5940);
    await other.ask('POST', `/api/runs/${id}/resume`);
    await until(
      () => run(other, id),
      (r) => r.counts.delivered > paused.counts.delivered,
    );
    await other.ask('POST', `/api/runs/${id}/cancel`);
    const ended = await one.ended(id);
    expect(ended.state).toBe('cancelled');
    expect(await all.there(table)).toEqual([ended.counts.delivered, ended.counts.delivered]);
  });

  it('begin nothing more of a plan that another one cancels, at whatever moment', async () => {
    const all = await several('cancelled');
    const one = await all.start();
    const other = await all.start();
    await all.connect();
    await pg.query('CREATE TABLE seen (item text)');
    const { id: plan } = await one.api('createPlan', 'POST', '/plans', {
      document: {
        versicle: 1,
        kind: 'plan',
        name: 'One after the other',
        steps: [
          {
            id: 'all',
            kind: 'each',
            over: { list: Array.from({ length: 200 }, (_, i) => String(i)), as: 'item' },
            steps: [{ id: 'put', kind: 'sql', system: 'pg', sql: 'INSERT INTO seen SELECT {{item}}' }],
          },
        ],
      },
    } as never);
    const seen = async (): Promise<number> => Number((await pg.query('SELECT count(*) AS n FROM seen'))[0]!['n']);
    const going = async (): Promise<unknown[]> => {
      let found: unknown[] = [];
      await one.inStore(async (db) => {
        found = await db.query("SELECT id FROM run WHERE state IN ('queued', 'running')");
      });
      return found;
    };
    for (let round = 0; round < 6; round++) {
      const before = await seen();
      const id = await start(one, plan);
      const at = before + 1 + Math.floor(Math.random() * 20);
      await until(seen, (n) => n >= at);
      await other.ask('POST', `/api/runs/${id}/cancel`);
      await until(going, (found) => found.length === 0);
      const then = await seen();
      await new Promise((r) => setTimeout(r, 700));
      expect([await seen(), await going()]).toEqual([then, []]);
      expect((await run(one, id)).state).toBe('cancelled');
      expect(then - before).toBeLessThan(200);
    }
  });

  it('see to the end of what is sent for one that is gone for good, with all that it had fetched', async () => {
    const all = await several('gone');
    const own = { VERSICLE_SHARED: '', VERSICLE_KEY: 'ab'.repeat(32) };
    const one = await all.start(own);
    await all.start(own);
    await all.connect();
    const [from, to] = [await ItemApi.start(), await ItemApi.start()];
    for (let i = 0; i < 100; i++) from.items.push({ no: String(i), name: `n${i}`, price: '1,00' });
    to.fault = () => 'slow';
    const paging = { kind: 'none' };
    const write = {
      method: 'POST',
      path: '/items',
      batch: 1,
      answer: 'errors',
      repeat: { by: 'key', header: 'Idempotency-Key' },
    };
    for (const [id, api] of [
      ['from', from],
      ['to', to],
    ] as const) {
      const connection = { kind: 'http', base: api.base, auth: 'none', parallel: 2 };
      await one.ask('POST', '/api/systems', { id, name: id, connection });
      const endpoint = { path: '/items', records: 'items', paging, ...(id === 'to' ? { write } : {}) };
      await one.ask('PUT', `/api/systems/${id}/setting`, { dataset: 'items', setting: { kind: 'endpoint', endpoint } });
    }
    const base = itemsDocument('', { name: 'Sent on', source: { primary: { alias: 'i', dataset: 'from/items' } } });
    const target = { ...(base['target'] as object), dataset: 'to/items', key: [] };
    const { plan } = await one.mapping({ ...base, target, write: { mode: 'insert' } });
    const id = await start(one, plan);
    const carrier = await carrierOf(all, id);
    const other = all.processes.find((p) => p !== carrier)!;
    await until(
      () => run(other, id),
      ({ counts }) => counts.read === 100 && counts.delivered > 5,
    );
    await carrier.stop('SIGKILL');
    expect(await other.ended(id)).toMatchObject({ state: 'finished', counts: { delivered: 100, waiting: 0 } });
    expect(to.items).toHaveLength(100);
    await carrier.restart();
    await Promise.all([from.close(), to.close()]);
  });

  it('fetch again what lies with one that is gone, and go on where it is the same', async () => {
    const all = await several('behind');
    const own = { VERSICLE_SHARED: '', VERSICLE_KEY: 'ab'.repeat(32), VERSICLE_GONE_SECONDS: '3' };
    const one = await all.start(own);
    await all.start(own);
    await all.connect();
    await pg.query(
      "CREATE TABLE items (no text PRIMARY KEY, name text, price text); INSERT INTO items SELECT n, 'n', '1,00' FROM generate_series(1, 4000) n",
    );
    await pg.query('CREATE TABLE left_behind (no text NOT NULL, name text, price numeric(8,2))');
    const base = itemsDocument('', { name: 'Left', source: { primary: { alias: 'i', dataset: 'pg/items' } } });
    const target = { ...(base['target'] as object), dataset: 'pg/left_behind', key: [] };
    const { plan } = await one.mapping({ ...base, target, write: { mode: 'insert' } });
    /** Killed in the middle. */
    const broken = async (): Promise<{ id: number; killed: RunningServer; other: RunningServer }> => {
      const id = await start(
        all.processes.find((p) => p.child.exitCode === null)!,
        plan,
      );
      const killed = await carrierOf(all, id);
      const other = all.processes.find((p) => p !== killed)!;
      await until(
        () => run(other, id),
        ({ counts }) => counts.delivered > 100,
      );
      await killed.stop('SIGKILL');
      expect((await run(other, id)).counts.delivered).toBeLessThan(4000);
      return { id, killed, other };
    };

    const same = await broken();
    expect((await until(() => run(same.other, same.id), (r) => r.stranded !== null)).stranded).toContain('Another one fetches them again if it does not come back within 3 seconds.'); // prettier-ignore
    const done = await same.other.ended(same.id);
    expect(done).toMatchObject({ state: 'finished', counts: { read: 4000, delivered: 4000 } });
    expect(JSON.stringify(done.log)).toContain('lies with a process that is gone; fetches it again');
    expect(await all.there('left_behind')).toEqual([4000, 4000]);
    await same.killed.restart();

    await pg.query('TRUNCATE left_behind');
    const moved = await broken();
    await pg.query("UPDATE items SET name = 'another' WHERE no = '4000'");
    const stopped = await moved.other.ended(moved.id);
    expect(stopped).toMatchObject({ state: 'broken' });
    expect(stopped.error).toContain('its source has others now');
    // The chunk that was under way may have arrived, and nobody could note it down any more.
    const [rows, different] = await all.there('left_behind');
    expect([different, [0, 50]]).toEqual([rows, expect.arrayContaining([rows - stopped.counts.delivered])]);
    // Whoever has them goes on.
    await moved.killed.restart();
    await moved.other.api('takeUpRun', 'POST', `/runs/${moved.id}/take-up`);
    expect(await moved.other.ended(moved.id)).toMatchObject({ state: 'finished', counts: { delivered: 4000 } });
    expect(await all.there('left_behind')).toEqual([4000, 4000]);
  });

  it('start what is due once each, also when the one that sees to it is killed', async () => {
    const all = await several('due');
    await all.start();
    await all.start();
    await all.connect();
    const { plan } = await all.load(10);
    const [one] = all.processes as [RunningServer];
    const { document, version } = await one.api('getPlan', 'GET', `/plans/${plan}`);
    const triggers = [{ id: 't1', kind: 'schedule', cron: '* * * * *', zone: 'UTC', missed: 'each' }];
    const saved = await one.ask('PUT', `/api/plans/${plan}`, {
      document: { ...document, triggers, overlap: 'wait' },
      version,
    });
    expect(saved.status).toBe(200);
    const times = async (): Promise<number[]> => {
      let found: number[] = [];
      await one.inStore(async (db) => {
        const runs = await db.query<{ at: string }>('SELECT occasion AS at FROM run WHERE plan = $1', [plan]);
        found = runs.map((r) => Date.parse(r.at) / 60_000).sort((a, b) => a - b);
      });
      return found;
    };
    const holder = await until(
      async () => (await workers(one)).find((w) => w.duties.includes('plans')),
      (w) => w !== undefined,
    );
    const killed = all.processes.find((p) => p.child.pid === holder!.pid)!;
    // Nothing was started for an hour; what starts it now is killed in the middle of that.
    await one.inStore(async (db) => {
      await db.query("UPDATE plan_trigger SET next = date_trunc('minute', now()) - interval '1 hour' WHERE plan = $1", [
        plan,
      ]);
    });
    await until(times, (t) => t.length >= 5);
    killed.child.kill('SIGKILL');
    expect((await times()).length).toBeLessThan(60);
    const found = await until(times, (t) => t.length >= 61);
    // Each of them once, and none left out.
    expect(found.at(-1)! - found[0]!).toBe(found.length - 1);
    expect(new Set(found).size).toBe(found.length);
    await killed.restart();
  });

  it('keep to what an API takes at a time, whoever sends, and go on where a sender was killed', async () => {
    const all = await several('sent');
    for (let i = 0; i < 3; i++) await all.start();
    await all.connect();
    const [one] = all.processes as [RunningServer];
    const api = await ItemApi.start();
    api.fault = () => 'slow';
    const connection = { kind: 'http', base: api.base, auth: 'none', parallel: 2 };
    await one.ask('POST', '/api/systems', { id: 'api', name: 'api', connection });
    const repeat = { by: 'key', header: 'Idempotency-Key' };
    const write = { method: 'POST', path: '/items', batch: 5, answer: 'errors', repeat };
    const endpoint = { path: '/items', records: 'items', paging: { kind: 'none' }, write };
    for (const dataset of ['items', 'more'])
      await one.ask('PUT', '/api/systems/api/setting', { dataset, setting: { kind: 'endpoint', endpoint } });
    const plans = [(await all.load(200, 'api/items')).plan, (await all.load(200, 'api/more')).plan];
    const ids: number[] = [];
    for (const [i, plan] of plans.entries()) ids.push(await start(all.processes[i]!, plan));
    const found = await until(
      () => workers(one),
      (list) => list.some((w) => w.sends.length > 0),
    );
    // All that goes to one system goes from one process.
    expect(found.filter((w) => w.sends.length > 0)).toHaveLength(1);
    const { pid } = found.find((w) => w.sends.length > 0)!;
    const sender = all.processes.find((p) => p.child.pid === pid)!;
    const other = all.processes.find((p) => p !== sender)!;
    await until(
      () => Promise.resolve(api.items.length),
      (n) => n > 20,
    );
    sender.child.kill('SIGKILL');
    for (const id of ids)
      expect((await other.ended(id)).counts).toMatchObject({ delivered: 198, failed: 2, waiting: 0 });
    expect(api.items).toHaveLength(396);
    await sender.restart();
    // One that is cancelled elsewhere ends where its sender is, and counts every record.
    const id = await start(other, plans[0]!);
    const carrier = await carrierOf(all, id);
    await until(
      () => run(other, id),
      (r) => r.counts.delivered > 10,
    );
    const asked = all.processes.find((p) => p !== carrier)!;
    await asked.ask('POST', `/api/runs/${id}/cancel`);
    const { state, counts } = await asked.ended(id);
    expect(state).toBe('cancelled');
    expect(counts.waiting).toBe(0);
    expect(counts.read).toBe(counts.delivered + counts.failed);
    // What was on its way then may have arrived: it is filed as unclear, and no more than two requests could be.
    expect(api.items.length - 396).toBeGreaterThanOrEqual(counts.delivered);
    expect(api.items.length - 396).toBeLessThanOrEqual(counts.delivered + 10);
    await api.close();
  });

  it('say so where only one of them can do a thing, and refuse those that don’t fit', async () => {
    const all = await several('alone');
    const one = await all.start();
    const other = await all.start();
    await all.connect();
    await one.ask('POST', '/api/systems', { id: 'store', name: 'Store', connection: { kind: 'embedded', name: 's' } });
    const { body } = await other.ask('GET', '/api/systems/store/datasets');
    expect(body.detail).toBe(
      `The embedded database “s” lies with another process of this Versicle (${one.address}). Its runs are carried out there; to work with it from everywhere, put it on a PostgreSQL server (VERSICLE_EMBEDDED).`,
    );
    // That is no fault of the system, wherever somebody tests it.
    expect((await other.ask('POST', '/api/systems/store/test')).body).toMatchObject({ ok: false });
    const { diagnosis } = await other.api('getSystem', 'GET', '/systems/store');
    expect(diagnosis).toMatchObject({ ok: true });
    // Its runs are carried out where it is, whoever starts them.
    const { plan } = await all.load(12, 'store/items');
    expect((await other.run(plan)).counts.delivered).toBe(11);
    // So is the profiling, and the reading of what an each goes through.
    await one.ask('POST', '/api/systems/store/profile', { dataset: 'items', rowLimit: null });
    const known = await until(
      () => one.ask('GET', '/api/systems/store/knowledge?dataset=items'),
      ({ body: k }) => k.state !== 'running',
    );
    expect(known.body).toMatchObject({ state: 'done', result: { quality: { records: 11 } } });
    const each = await other.api('createPlan', 'POST', '/plans', {
      document: {
        versicle: 1,
        kind: 'plan',
        name: 'Each of them',
        steps: [
          {
            id: 'all',
            kind: 'each',
            over: { dataset: 'store/items', fields: { no: 'no' } },
            parallel: 4,
            steps: [{ id: 'a', kind: 'sql', system: 'pg', sql: 'SELECT 1' }],
          },
        ],
      },
    } as never);
    for (const process of [one, other]) expect((await process.run(each.id)).state).toBe('finished');
    const fails = (env: Record<string, string>): Promise<string> =>
      spawnServer(`${one.home}/another`, { ...all.env, ...env }).then(
        ({ child }) => {
          child.kill();
          return 'it started';
        },
        (error: Error) => error.message,
      );
    expect(await fails({ VERSICLE_KEY: 'ab'.repeat(32) })).toContain('This process has another key than the others');
    await pg.query('CREATE DATABASE another');
    const elsewhere = all.env['DATABASE_URL']!.replace(/\/[^/]+$/, '/another');
    expect(await fails({ DATABASE_URL: elsewhere })).toContain('belongs to the processes of another store');
    expect(await fails({ VERSICLE_WORK: 'nothing' })).toBe('VERSICLE_WORK is pages, runs or all, not “nothing”.');
    // Where that process is not there, its runs say so, and go on when it is.
    await one.stop('SIGKILL');
    const waiting = await start(other, plan);
    const stranded = await until(
      () => run(other, waiting),
      (r) => r.stranded !== null,
    );
    expect(stranded.stranded).toBe(
      'The process that has the embedded database “s” is not there. Start it again, with its data directory.',
    );
    await one.restart();
    expect((await other.ended(waiting)).counts.delivered).toBe(11);
    // A trial is seen, and cancelled, wherever somebody looks.
    const { id } = await one.api('createMapping', 'POST', '/mappings', {
      document: {
        ...itemsDocument('load1.csv', { name: 'Tried' }),
        target: { ...(itemsDocument()['target'] as object), dataset: 'pg/x' },
      } as never,
    });
    await one.ask('POST', `/api/mappings/${id}/trial`, { rowLimit: null });
    const trial = await until(
      () => other.api('getTrial', 'GET', `/mappings/${id}/trial`),
      (t) => t.state !== 'running',
    );
    expect(trial).toMatchObject({ state: 'done', records: 12 });
    const file = await fetch(`${other.address}/api/mappings/${id}/trial/mapped.csv`);
    expect((await file.text()).trimEnd().split('\n')).toHaveLength(12);
  });
});
