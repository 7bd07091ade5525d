import type { RunDetail, WaitingForSystem, WaitingRecords } from '@versicle/contract';
import { ItemApi } from '../testing/item-api.ts';
import { RunningServer } from '../testing/running-server.ts';

/** Records that lie in the outbox since the window of their target is closed, and what people do with them. */
describe('what waits for a target', () => {
  let server: RunningServer;
  let api: ItemApi;
  let made = 0;
  beforeAll(async () => {
    api = await ItemApi.start();
    server = await RunningServer.start();
    await server.connect();
  });
  afterAll(async () => {
    await api.close();
    await server.close();
  });
  beforeEach(async () => {
    api.items.length = 0;
    made++;
    await server.api('createSystem', 'POST', '/systems', {
      id: system(),
      name: system(),
      connection: connection(false),
    });
    const endpoint = { path: '/items', write: { method: 'POST', path: '/items', batch: 1, repeat: { by: 'key' } } };
    await server.ask('PUT', `/api/systems/${system()}/setting`, {
      dataset: 'items',
      setting: { kind: 'endpoint', endpoint },
    });
  });
  const system = (): string => `target${made}`;
  /** One instant for all of them: what is said must not change with the minute. */
  const began = Date.now();
  const clock = (hours: number): string => new Date(began + hours * 3_600_000).toISOString().slice(11, 16);
  const connection = (open: boolean): never =>
    ({
      kind: 'http',
      base: api.base,
      auth: 'none',
      pace: '100 a second',
      windows: open ? '' : `${clock(3)}–${clock(4)} UTC`,
    }) as never;
  const openWindow = (): Promise<unknown> =>
    server.ask('PUT', `/api/systems/${system()}`, { name: system(), connection: connection(true) });
  const waiting = (): Promise<WaitingForSystem> => server.api('getWaiting', 'GET', `/systems/${system()}/waiting`);
  const records = async (query = ''): Promise<WaitingRecords['records']> => {
    const found: WaitingRecords = await server.api(
      'listWaiting',
      'GET',
      `/systems/${system()}/waiting/records?${query}`,
    );
    return found.records;
  };
  const act = (body: object): Promise<{ status: number; body: { done?: number; gone?: number; detail?: string } }> =>
    server.ask('POST', `/api/systems/${system()}/waiting`, body);
  const nos = async (query = ''): Promise<(string | null)[]> =>
    (await records(query)).map((r) => r.values.find((v) => v.name === 'no')!.value);
  /** Maps records into the outbox; they wait there. */
  async function load(
    rows: readonly (readonly [no: string, price: number])[],
    how: object = {},
  ): Promise<{ run: number; mapping: string }> {
    const file = `waiting-${made}-${Math.random().toString(36).slice(2)}.csv`;
    server.file(file, ['no,price', ...rows.map((r) => r.join(','))].join('\n'));
    const { plan, mapping } = await server.mapping({
      versicle: 1,
      name: `Of ${file}`,
      source: { primary: { alias: 'i', dataset: `files/${file}` } },
      target: {
        dataset: `${system()}/items`,
        key: ['no'],
        fields: [
          { name: 'no', type: 'text', nullable: false },
          { name: 'price', type: 'integer' },
        ],
      },
      lines: [
        { id: 'l1', target: 'no', kind: 'straight', source: 'i.no' },
        { id: 'l2', target: 'price', kind: 'straight', source: 'i.price' },
      ],
      write: { mode: 'upsert' },
    });
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, how);
    await until(run, ({ counts }) => counts.waiting > 0 && counts.read === rows.length);
    return { run, mapping };
  }
  async function until(run: number, is: (of: RunDetail) => boolean): Promise<RunDetail> {
    for (;;) {
      const found = await server.api('getRun', 'GET', `/runs/${run}`);
      const { read, filtered, skipped, unchanged, failed, waiting: still, delivered } = found.counts;
      expect(read).toBe(filtered + skipped + unchanged + failed + still + delivered);
      if (is(found)) return found;
      await new Promise((r) => setTimeout(r, 20));
    }
  }
  const arrived = (): unknown[] => api.items.map((i) => `${String(i['no'])}:${String(i['price'])}`);

  it('is seen with its runs, held, let go, sent first and skipped with a reason', async () => {
    const { run, mapping } = await load(['a', 'b', 'c', 'd', 'e'].map((no, i) => [no, i] as const));
    const seen = await waiting();
    expect(seen).toMatchObject({ waiting: 5, held: 0, outage: null, groups: [{ run, waiting: 5, dataset: 'items' }] });
    expect(seen.opens!.slice(11, 16)).toBe(clock(3));
    expect(seen.until!.slice(11, 13)).toBe(clock(3).slice(0, 2));
    expect(seen.pace).toBe('one record a request, one request at a time, 100 requests a second at the most');
    const [a, b, , d] = await records();
    expect(a).toMatchObject({ label: 'a, 0', row: 1, state: 'waits', first: false });
    expect((await act({ act: 'hold', which: { ids: [a!.id] } })).body).toEqual({ done: 1, gone: 0 });
    expect((await act({ act: 'first', which: { ids: [d!.id] } })).body).toEqual({ done: 1, gone: 0 });
    expect((await act({ act: 'skip', which: { ids: [b!.id] }, reason: '' })).status).toBe(400);
    expect((await act({ act: 'skip', which: { ids: [b!.id] }, reason: 'its price is a test' })).body.done).toBe(1);
    expect(await nos()).toEqual(['d', 'a', 'c', 'e']);
    expect(await nos('state=held')).toEqual(['a']);
    await openWindow();
    await until(run, ({ counts }) => counts.delivered === 3);
    expect(arrived()).toEqual(['d:3', 'c:2', 'e:4']);
    // It stays with what is held until that is let go.
    expect(await until(run, () => true)).toMatchObject({ state: 'running', counts: { waiting: 1, skipped: 1 } });
    // What was answered is kept a moment later.
    for (let told: WaitingForSystem['answers'] = []; told.length < 3;) told = (await waiting()).answers;
    expect((await waiting()).answers[0]).toMatchObject({ asked: 'POST /items', status: 201, run, message: null });
    expect((await act({ act: 'let go', which: { all: { state: 'held' } } })).body.done).toBe(1);
    const ended = await until(run, ({ finishedAt }) => finishedAt !== null);
    expect(ended).toMatchObject({ state: 'finished', counts: { read: 5, delivered: 4, skipped: 1, failed: 0 } });
    expect(ended.log.map((l) => l.message)).toContainEqual(
      expect.stringMatching(/skips 1 record that waits: its price is a test$/),
    );
    const [skipped] = (await server.ask('GET', `/api/failures?mapping=${mapping}&state=waived`)).body as unknown as {
      id: number;
      label: string;
    }[];
    expect(skipped!.label).toBe('b, 1');
    const kept = (await server.ask('GET', `/api/failures/${skipped!.id}`)).body as unknown as {
      history: object[];
      failures: object[];
    };
    expect(kept.history).toMatchObject([{ what: 'waived', message: expect.stringMatching(/: its price is a test$/) }]);
    // It is no matter of the line whose field the reason names, and nobody refused it.
    expect(kept.failures).toMatchObject([
      {
        line: null,
        cause: 'delivery_failed',
        message: expect.stringMatching(/^Skipped before it was sent\. .*price is a test$/),
      },
    ]);
    const late = await act({ act: 'hold', which: { ids: [a!.id] } });
    expect(late).toMatchObject({
      status: 422,
      body: { detail: 'No such records wait any more; they were sent meanwhile.' },
    });
  });

  it('of another run begins while the first waits; nothing overtakes an earlier record of its key', async () => {
    const bulk = await load([
      ['x', 1],
      ['y', 2],
      ['z', 3],
    ]);
    // The first two records of another mapping, chosen: they go before whole loads, with what lies before them of their keys.
    const few = await load(
      [
        ['z', 30],
        ['w', 40],
      ],
      { rowLimit: 2 },
    );
    expect(await nos()).toEqual(['z', 'z', 'w', 'x', 'y']);
    const [z] = await records(`run=${bulk.run}&search=z`);
    await act({ act: 'hold', which: { ids: [z!.id] } });
    expect(await nos('state=behind')).toEqual(['z']);
    await openWindow();
    await until(bulk.run, ({ counts }) => counts.delivered === 2);
    await until(few.run, ({ counts }) => counts.delivered === 1);
    expect(arrived()).toEqual(['w:40', 'x:1', 'y:2']);
    // Held also through a kill.
    await server.restart('SIGKILL');
    await act({ act: 'first', which: { all: { run: bulk.run } } });
    for (const { run } of [bulk, few]) await until(run, ({ finishedAt }) => finishedAt !== null);
    expect(arrived().slice(3)).toEqual(['z:3', 'z:30']);
  });

  it('is chosen by a rule over what was mapped, page by page', async () => {
    const { run } = await load(Array.from({ length: 2500 }, (_, i) => [`n${i}`, i] as const));
    expect(await act({ act: 'hold', which: { all: { rule: 'price > 2000' } } })).toMatchObject({
      status: 422,
      body: { detail: 'A rule speaks of the fields of one dataset; choose which one first.' },
    });
    expect(
      (await act({ act: 'hold', which: { all: { dataset: 'items', rule: 'prize > 2000' } } })).body.detail,
    ).toMatch(/^The rule can't be used: .*price/);
    const rule = 'price % 10 = 3 AND price > 500';
    const all = { dataset: 'items', rule };
    expect((await act({ act: 'skip', which: { all }, reason: 'no threes' })).body).toEqual({ done: 200, gone: 0 });
    expect(await until(run, () => true)).toMatchObject({ counts: { waiting: 2300, skipped: 200 } });
    const first = await server.ask('GET', `/api/systems/${system()}/waiting/records?limit=500`);
    expect(first.body).toMatchObject({ more: true });
    const last = (first.body.records as WaitingRecords['records']).at(-1)!.place;
    expect((await nos(`limit=1&after=${last}`))[0]).toBe('n500');
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    const ended = await until(run, ({ finishedAt }) => finishedAt !== null);
    expect(ended.counts).toMatchObject({ waiting: 0, skipped: 200, failed: 2300 });
    expect((await waiting()).groups).toEqual([]);
  });
});
