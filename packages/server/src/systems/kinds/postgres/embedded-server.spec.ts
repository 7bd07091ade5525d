import { RunningServer, type Reply } from '../../../testing/running-server.ts';
import { Standins } from '../../../testing/standins.ts';

/** The Ledger and the Warehouse: an embedded database behind a socket, which takes no COPY from a client. */
describe('a server that takes no COPY', () => {
  let standins: Standins;
  let server: RunningServer;
  const connection = (database: 'ledger' | 'warehouse', patch: Record<string, unknown> = {}): object => ({
    kind: 'postgres',
    host: '127.0.0.1',
    port: standins.ports[database],
    database,
    ...(database === 'ledger'
      ? { user: 'reader', password: 'ledger-practice', writeUser: 'poster', writePassword: 'posting-practice' }
      : { user: 'loader', password: 'warehouse-practice' }),
    ...patch,
  });
  const connect = (id: string, given: object): Promise<Reply> =>
    server.ask('POST', '/api/systems', { id, name: id, connection: given });

  beforeAll(async () => {
    standins = await Standins.start();
    server = await RunningServer.start();
    await server.connect();
  });
  afterAll(async () => {
    await server.close();
    await standins.close();
  });

  it('is tested, and told apart from one that turns us away', async () => {
    const { body } = await connect('ledger', connection('ledger'));
    expect(body.diagnosis).toMatchObject({ ok: true });
    expect(body.diagnosis.message).toContain('5 tables and views');
    const wrong = await connect('wrong', connection('ledger', { password: 'no' }));
    expect(wrong.body.diagnosis.code).toBe('not_authorised');
    const missing = await connect('missing', connection('ledger', { database: 'legder' }));
    expect(missing.body.diagnosis.code).toBe('no_such_database');
  });
  it('tells its structure and its records', async () => {
    const { body } = await server.ask('GET', '/api/systems/ledger/dataset?dataset=post');
    expect(body.fields[1]).toMatchObject({ name: 'acct_no', references: 'acct.acct_no', nullable: false });
    const query = new URLSearchParams({ dataset: 'post', filter: "kind = 'REF' AND amt < 0", sort: 'amt', limit: '3' });
    const { body: rows } = await server.ask('GET', `/api/systems/ledger/rows?${query.toString()}`);
    expect(rows.rows).toHaveLength(3);
    expect(rows.rows.every((r: { values: string[] }) => Number(r.values[4]) < 0)).toBe(true);
  });

  const document = (mode: string): object => ({
    versicle: 1,
    name: `Postings ${mode}`,
    source: { primary: { alias: 'p', dataset: 'files/postings.csv' } },
    target: {
      dataset: 'ledger/post',
      key: ['ref'],
      fields: [
        { name: 'ref', type: 'varchar(20)', nullable: false },
        { name: 'acct_no', type: 'varchar(12)', nullable: false },
        { name: 'pst_on', type: 'date', nullable: false },
        { name: 'kind', type: 'char(3)', nullable: false },
        { name: 'amt', type: 'numeric(10,2)', nullable: false },
      ],
    },
    lines: ['ref', 'acct', 'day', 'kind', 'amt'].map((source, i) => ({
      id: `l${i + 1}`,
      target: ['ref', 'acct_no', 'pst_on', 'kind', 'amt'][i],
      kind: 'straight',
      source: `p.${source}`,
    })),
    write: { mode, existing: 'overwrite' },
  });
  const failures = async (mapping: string): Promise<{ line: string; row: number; message: string }[]> =>
    (await server.ask('GET', `/api/failures?mapping=${mapping}`)).body as never;

  it('takes postings in its hours and at its pace only', async () => {
    const lines = Array.from({ length: 130 }, (_, i) => `E-${i},A10000,2026-08-01,PAS,1`);
    server.file('postings.csv', `ref,acct,day,kind,amt\n${lines.join('\n')}\n`);
    const hour = new Date().getUTCHours();
    await standins.faults('ledger', { opensAt: (hour + 3) % 24, closesAt: (hour + 4) % 24 });
    const { mapping, plan } = await server.mapping(document('insert') as never);
    // That is nothing about a record: the run ends, says so, and can go on later.
    const closed = await server.run(plan);
    expect(closed).toMatchObject({ state: 'broken', counts: { delivered: 0, failed: 0 } });
    expect(closed.error).toContain('postings are taken from');
    await standins.faults('ledger', { opensAt: 0, closesAt: 0 });
    // A minute's turn in the middle lets more through, never more than two minutes' worth.
    const { delivered } = (await server.run(plan)).counts as { delivered: number };
    expect(delivered).toBeGreaterThanOrEqual(100);
    const refused = await failures(mapping);
    if (delivered < 130) expect(refused.some((f) => f.message.includes('no more than 100 postings'))).toBe(true);
  });
  it('is sent records only while its window is open, at its pace, as its settings are by then', async () => {
    await standins.faults('ledger', { opensAt: 0, closesAt: 0, postingsPerMinute: 0 });
    const lines = Array.from({ length: 25 }, (_, i) => `W-${i},A10000,2026-08-01,PAS,1`);
    server.file('postings.csv', `ref,acct,day,kind,amt\n${lines.join('\n')}\n`);
    const { plan } = await server.mapping({ ...document('insert'), name: 'In its window' } as never);
    const clock = (hours: number): string => new Date(Date.now() + hours * 3_600_000).toISOString().slice(11, 16);
    const set = (patch: object): Promise<Reply> =>
      server.ask('PUT', '/api/systems/ledger', { name: 'ledger', connection: connection('ledger', patch as never) });
    await set({ windows: `${clock(2)}–${clock(3)} UTC`, pace: '60 a minute' });
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    const detail = () => server.api('getRun', 'GET', `/runs/${run}`);
    while ((await detail()).opens === null) await new Promise((r) => setTimeout(r, 50));
    await server.restart('SIGKILL');
    while ((await detail()).log.filter((l) => l.message.includes('waits until it opens')).length < 2)
      await new Promise((r) => setTimeout(r, 50));
    expect(await detail()).toMatchObject({ state: 'running', counts: { delivered: 0 } });
    expect((await set({ windows: 'at night' })).status).toBe(400);
    const before = Date.now();
    await set({ windows: '', pace: '60 a minute' });
    const ended = await server.ended(run);
    expect(ended).toMatchObject({ state: 'finished', opens: null, counts: { read: 25, delivered: 25 } });
    // Ten at a time, ten seconds apart: the first at once.
    expect(Date.now() - before).toBeGreaterThan(18_000);
    await set({});
  }, 120_000);
  it('takes records as arrays, and refuses those that its constraints refuse', async () => {
    const lines = Array.from({ length: 3000 }, (_, i) => `N-${i},A10000,2026-08-01,PAS,${(i + 1) / 4}`);
    await standins.faults('ledger', { opensAt: 0, closesAt: 0, postingsPerMinute: 0 });
    lines[10] = 'N-10,A99999,2026-08-01,PAS,1';
    lines[1500] = 'N-1500,A10007,2014-08-01,PAS,1';
    lines[2999] = 'N-2999,A10007,2026-08-01,XXX,1';
    server.file('postings.csv', `ref,acct,day,kind,amt\n${lines.join('\n')}\n`);
    const { mapping, plan } = await server.mapping(document('upsert') as never);
    const run = await server.run(plan);
    expect(run.counts).toMatchObject({ read: 3000, delivered: 2997, failed: 3 });
    const failed = await failures(mapping);
    expect(failed.map((f) => [f.row, f.line]).sort((a, b) => Number(a[0]) - Number(b[0]))).toEqual([
      [11, 'l2'],
      [1501, 'l3'],
      [3000, 'l4'],
    ]);
    const { body } = await server.ask(
      'GET',
      `/api/systems/ledger/rows?dataset=post&limit=1&filter=${encodeURIComponent("ref = 'N-42'")}`,
    );
    expect(body.rows[0].values.slice(0, 5)).toEqual(['N-42', 'A10000', '2026-08-01', 'PAS', '10.75']);
    // The same records once more are there already: nothing doubles.
    expect((await server.run(plan)).counts).toMatchObject({ unchanged: 2997, delivered: 0, failed: 3 });
  });
  it('has its tables made by a run', async () => {
    await connect('warehouse', connection('warehouse'));
    server.file('areas.csv', 'area,visits\nQuay,12\nHill,7\n');
    const { plan } = await server.mapping({
      versicle: 1,
      name: 'Visits',
      source: { primary: { alias: 'a', dataset: 'files/areas.csv' } },
      target: {
        dataset: 'warehouse/visits',
        key: ['area'],
        fields: [
          { name: 'area', type: 'varchar(20)', nullable: false },
          { name: 'visits', type: 'integer' },
        ],
      },
      lines: [
        { id: 'l1', target: 'area', kind: 'straight', source: 'a.area' },
        { id: 'l2', target: 'visits', kind: 'straight', source: 'a.visits' },
      ],
      write: { mode: 'insert' },
    } as never);
    expect((await server.run(plan)).counts).toMatchObject({ delivered: 2 });
    const { body } = await server.ask('GET', '/api/systems/warehouse/datasets');
    expect(body.map((d: { name: string }) => d.name).sort()).toEqual(['area', 'visits']);
  });
  it('is told to misbehave like the others, and said so', async () => {
    await standins.faults('ledger', { lockedOut: true });
    // Connections that are open already stay; a changed connection makes new ones.
    const locked = await connect('locked', connection('ledger'));
    expect(locked.body.diagnosis.code).toBe('not_authorised');
    await standins.faults('ledger', { lockedOut: false, status: 503 });
    const down = await connect('down', connection('ledger'));
    expect(down.body.diagnosis.ok).toBe(false);
    await standins.faults('ledger', { status: null });
    expect((await server.ask('POST', '/api/systems/down/test')).body.ok).toBe(true);
  });
});
