import { itemsDocument, RunningServer } from '../testing/running-server.ts';

describe('failed records', () => {
  let server: RunningServer;
  let mapping: string;
  let plan: string;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    const rows = ['1;a;1,00', '2;b;x', '3;c;y', '4;name that is too long;z', '5;e;5,00', 'ragged'];
    server.file('items.csv', ['no;name;price', ...rows].join('\n'));
    ({ mapping, plan } = await server.mapping(itemsDocument()));
    await server.run(plan);
  });
  afterAll(() => server.close());
  const list = (query: string) => server.api('listFailures', 'GET', `/failures?mapping=${mapping}&${query}`);

  it('are listed by state, cause, line and what they hold', async () => {
    expect((await list('')).map((f) => f.row)).toEqual([2, 3, 4, 6]);
    expect((await list('cause=rule_error')).map((f) => f.row)).toEqual([2, 3]);
    expect((await list('line=l3')).map((f) => f.row)).toEqual([2, 3, 4]);
    expect((await list('search=too%20long')).map((f) => f.row)).toEqual([4]);
    expect(await list('search=%25')).toEqual([]);
    expect(await list('state=delivered')).toEqual([]);
    expect((await list('state=any')).length).toBe(4);
    expect((await list('limit=1')).length).toBe(1);
  });
  it('come page by page, each once', async () => {
    const first = await list('limit=2');
    const rest = await list(`limit=500&after=${first.at(-1)!.id}`);
    expect([...first, ...rest].map((f) => f.row)).toEqual([2, 3, 4, 6]);
    expect(await list(`after=${rest.at(-1)!.id}`)).toEqual([]);
    expect(await server.ask('GET', '/api/failures?after=999')).toMatchObject({
      status: 409,
      body: { detail: expect.stringContaining('load the list again') },
    });
  });
  it('with two faults lie under the first line, and count on both in the margin', async () => {
    const causes = await server.api('listCauses', 'GET', `/failures/causes?mapping=${mapping}`);
    expect(causes.find((c) => c.cause === 'too_long')).toMatchObject({ line: 'l2', lineNumber: 2, count: 1 });
    const { failures } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    expect(Object.fromEntries(failures.map((f) => [f.line, f.open]))).toEqual({ l2: 1, l3: 3 });
  });
  it('are refused for causes and records that there are not', async () => {
    expect(await server.ask('GET', '/api/failures?cause=bad_luck')).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('There is no cause “bad_luck”') },
    });
    expect(await server.ask('GET', '/api/failures/999')).toMatchObject({ status: 404 });
    expect(await server.ask('POST', '/api/failures/replay', { ids: [999] })).toMatchObject({ status: 422 });
    expect(await server.ask('POST', '/api/failures/replay', { ids: [] })).toMatchObject({ status: 400 });
  });
  it('stay the same records in the next run, with one more event each', async () => {
    const before = (await list('')).map((f) => f.id);
    const run = await server.run(plan);
    expect((await list('')).map((f) => f.id)).toEqual(before);
    const detail = await server.api('getFailure', 'GET', `/failures/${before[0]}`);
    expect(detail.history.map((h) => h.what)).toEqual(['failed', 'failed']);
    expect((await list(`run=${run.id}&state=any`)).length).toBe(4);
  });
  it('are summed up on Today, by plan and by cause', async () => {
    const today = await server.api('today', 'GET', '/today');
    expect(today).toMatchObject({ openFailures: 4, systems: [], broken: [] });
    expect(today.causes.reduce((n, c) => n + c.count, 0)).toBe(4);
    expect(today.plans).toEqual([
      expect.objectContaining({
        id: plan,
        open: 4,
        counts: expect.objectContaining({ read: 6, failed: 4, unchanged: 2, delivered: 0 }),
      }),
    ]);
    expect(today.day).toHaveLength(2);
  });
  it('lie under exactly the line that is asked for, or under none', async () => {
    expect((await list('line=l3&filed=exactly')).map((f) => f.row)).toEqual([2, 3]);
    expect((await list('filed=exactly&cause=source_unreadable')).map((f) => f.row)).toEqual([6]);
    expect((await server.api('getMapping', 'GET', `/mappings/${mapping}`)).openFailures).toBe(4);
  });
  it('close when they went well, or when a person says so; what a run does not meet stays open', async () => {
    server.file('items.csv', 'no;name;price\n1;a;1,00\n2;b;2,00\n');
    await server.run(plan);
    expect((await list('')).map((f) => f.row)).toEqual([3, 4, 6]);
    expect((await list('state=closed')).map((f) => f.row)).toEqual([2]);
    expect((await server.ask('POST', '/api/failures/waive', { mapping, cause: 'rule_error', line: 'l3' })).status).toBe(
      400,
    );
    for (const { cause, line } of await server.api('listCauses', 'GET', `/failures/causes?mapping=${mapping}`))
      await server.api('waive', 'POST', '/failures/waive', { mapping, cause, line, reason: 'not wanted any more' });
    expect(await list('')).toEqual([]);
    expect(await list('state=waived')).toHaveLength(3);
    expect((await server.api('waiting', 'GET', '/waiting')).failures).toBe(0);
  });
});
