import { itemsDocument, RunningServer, type Reply } from '../../../testing/running-server.ts';
import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';

const withServer = postgresPrograms() === null ? describe.skip : describe;

withServer('a PostgreSQL server', () => {
  let ledger: PostgresServer;
  let server: RunningServer;
  const connection = (patch: Record<string, unknown> = {}): Record<string, unknown> => ({
    kind: 'postgres',
    host: '127.0.0.1',
    port: ledger.port,
    database: 'books',
    user: 'ledger',
    password: PostgresServer.password,
    ...patch,
  });
  let count = 0;
  const connect = (patch: Record<string, unknown> = {}, id = `pg-${++count}`): Promise<Reply> =>
    server.ask('POST', '/api/systems', { id, name: id, connection: connection(patch) });
  const diagnosis = async (
    patch: Record<string, unknown>,
  ): Promise<{ code: string; message: string; sees: string[] }> => (await connect(patch)).body.diagnosis;

  beforeAll(async () => {
    ledger = await PostgresServer.start({ tls: true });
    await ledger.query('CREATE DATABASE books');
    await ledger.query(
      `CREATE TABLE account (id integer PRIMARY KEY, code varchar(8) NOT NULL UNIQUE, name text);
       COMMENT ON TABLE account IS 'Who owes what'; COMMENT ON COLUMN account.code IS 'As printed on invoices';
       CREATE SCHEMA arch; CREATE TABLE arch.posting (no bigint PRIMARY KEY, account integer REFERENCES account, cents numeric(12,2) CHECK (cents <> 0), at timestamptz);
       INSERT INTO account SELECT n, 'A' || lpad(n::text, 6, '0'), CASE WHEN n % 7 = 0 THEN NULL ELSE 'Account ' || n END FROM generate_series(1, 5000) n;
       INSERT INTO arch.posting SELECT n, 1 + n % 5000, n / 100.0, '2026-08-01 00:00Z'::timestamptz + n * interval '1 minute' FROM generate_series(1, 12000) n;
       CREATE TABLE hidden (x integer); CREATE USER reader PASSWORD 'r'; GRANT SELECT ON account TO reader;
       ANALYZE`,
      'books',
    );
    server = await RunningServer.start();
    await server.connect();
    await connect({}, 'ledger');
  });
  afterAll(async () => {
    await server.close();
    await ledger.stop();
  });

  it('tells what it sees, and never gives the password back', async () => {
    const system = (await server.ask('GET', '/api/systems/ledger')).body;
    expect(system.diagnosis).toMatchObject({ ok: true, code: 'ok' });
    expect(system.diagnosis.message).toMatch(/^PostgreSQL \d+.* 3 tables and views\.$/);
    expect(system.secretsSet).toEqual(['password']);
    expect(JSON.stringify(await server.ask('GET', '/api/systems'))).not.toContain(PostgresServer.password);
  });
  it('tells apart what can be wrong', async () => {
    expect(await diagnosis({ password: 'wrong' })).toMatchObject({ code: 'not_authorised' });
    const missing = await diagnosis({ database: 'boks' });
    expect(missing).toMatchObject({ code: 'no_such_database' });
    expect(missing.message).toContain('Did you mean books?');
    expect(missing.sees[0]).toBe('books');
    expect(await diagnosis({ port: 1 })).toMatchObject({ code: 'refused' });
    expect(await diagnosis({ host: 'nowhere.invalid' })).toMatchObject({ code: 'name_not_found' });
    expect(await diagnosis({ host: 'localhost', tls: 'on' })).toMatchObject({ code: 'tls_not_trusted' });
    expect(await diagnosis({ port: new URL(server.address).port })).toMatchObject({ code: 'unexpected_answer' });
    const forbidden = await connect({ host: '169.254.169.254' });
    expect(forbidden.status).toBe(422);
    expect(forbidden.body.detail).toContain('link-local or metadata');
  });
  it('checks a certificate against the authority that is given', async () => {
    expect(await diagnosis({ host: 'localhost', tls: 'on', authority: ledger.certificate })).toMatchObject({
      code: 'ok',
    });
    expect(await diagnosis({ tls: 'unchecked' })).toMatchObject({ code: 'ok' });
  });
  it('lists tables with comments, and counts or estimates their records', async () => {
    const { body } = await server.ask('GET', '/api/systems/ledger/datasets');
    expect(body).toEqual(
      expect.arrayContaining([
        expect.objectContaining({ name: 'account', description: 'table: Who owes what', records: 5000 }),
        expect.objectContaining({ name: 'arch.posting', records: 12000 }),
      ]),
    );
  });
  it('describes keys, references and comments', async () => {
    const { body } = await server.ask('GET', '/api/systems/ledger/dataset?dataset=arch.posting');
    expect(
      body.fields.map((f: { name: string; type: string; key: boolean; references: string | null }) => [
        f.name,
        f.type,
        f.key,
        f.references,
      ]),
    ).toEqual([
      ['no', 'bigint', true, null],
      ['account', 'integer', false, 'account.id'],
      ['cents', 'numeric(12,2)', false, null],
      ['at', 'timestamp with time zone', false, null],
    ]);
    const account = (await server.ask('GET', '/api/systems/ledger/dataset?dataset=account')).body;
    expect(account.fields[1]).toMatchObject({ name: 'code', description: 'As printed on invoices', nullable: false });
    const missing = await server.ask('GET', '/api/systems/ledger/dataset?dataset=acount');
    expect(missing.body.detail).toContain('Did you mean account?');
  });
  it('filters and sorts where the records are', async () => {
    const query = new URLSearchParams({
      dataset: 'account',
      filter: 'name IS NULL AND id > 100',
      sort: '-id',
      limit: '2',
    });
    const { body } = await server.ask('GET', `/api/systems/ledger/rows?${query.toString()}`);
    expect(body.rows.map((r: { values: string[] }) => r.values[0])).toEqual(['4998', '4991']);
    const wrong = await server.ask('GET', '/api/systems/ledger/rows?dataset=account&filter=nam%20IS%20NULL');
    expect(wrong.body.detail).toContain('Did you mean name');
  });
  it('takes a SELECT of ours as a dataset, and refuses one that does not run', async () => {
    const save = (sql: string): Promise<Reply> =>
      server.ask('PUT', '/api/systems/ledger/setting', { dataset: 'busy', setting: { kind: 'select', sql } });
    expect((await save('SELECT no FROM nothing')).body.detail).toContain('nothing');
    const saved = await save(
      'SELECT a.code, count(*) AS n FROM arch.posting p JOIN account a ON a.id = p.account GROUP BY 1 ORDER BY 1;',
    );
    expect(saved.body.fields.map((f: { name: string; type: string }) => [f.name, f.type])).toEqual([
      ['code', 'character varying(8)'],
      ['n', 'bigint'],
    ]);
    const { body } = await server.ask('GET', '/api/systems/ledger/rows?dataset=busy&limit=1');
    expect(body.rows[0].values).toEqual(['A000001', '2']);
  });
  it('writes nothing through a SELECT: it is read in a read-only transaction', async () => {
    await server.ask('PUT', '/api/systems/ledger/setting', {
      dataset: 'evil',
      setting: { kind: 'select', sql: "SELECT set_config('x.y', '1', false), nextval('s') FROM (SELECT 1) q" },
    });
    const { status } = await server.ask('GET', '/api/systems/ledger/rows?dataset=evil');
    expect(status).toBeGreaterThanOrEqual(400);
  });
  it('is read by a run, whole', async () => {
    const document = itemsDocument('items.csv', {
      name: 'Accounts to store',
      source: { primary: { alias: 'i', dataset: 'ledger/account' } },
      lines: [
        { id: 'l1', target: 'no', kind: 'straight', source: 'i.code' },
        { id: 'l2', target: 'name', kind: 'rule', rule: "coalesce(i.name, 'none')" },
        { id: 'l3', target: 'price', kind: 'rule', rule: 'i.id::numeric' },
      ],
    });
    const { plan } = await server.mapping(document);
    const run = await server.run(plan);
    expect(run).toMatchObject({ state: 'finished', counts: { read: 5000, delivered: 5000 } });
    expect(run.log.map((l) => l.message)).toContain('fetched 5,000 records');
  });
  it('is written to by a run: upsert, and what the database refuses lies under its line', async () => {
    server.file(
      'postings.csv',
      ['no,account,cents', '50001,17,1.50', '50002,99999,2.00', '50003,18,0', '50004,19,abc', ''].join('\n'),
    );
    const document = {
      versicle: 1,
      name: 'Postings',
      source: { primary: { alias: 'p', dataset: 'files/postings.csv' } },
      target: {
        dataset: 'ledger/arch.posting',
        key: ['no'],
        fields: [
          { name: 'no', type: 'bigint', nullable: false },
          { name: 'account', type: 'integer' },
          { name: 'cents', type: 'numeric(12,2)' },
        ],
      },
      lines: [
        { id: 'l1', target: 'no', kind: 'straight', source: 'p.no' },
        { id: 'l2', target: 'account', kind: 'straight', source: 'p.account' },
        { id: 'l3', target: 'cents', kind: 'straight', source: 'p.cents' },
      ],
      write: { mode: 'upsert', existing: 'overwrite' },
    };
    const { mapping, plan } = await server.mapping(document);
    const run = await server.run(plan);
    expect(run.counts).toMatchObject({ read: 4, delivered: 1, failed: 3 });
    const failed = (await server.ask('GET', `/api/failures?mapping=${mapping}`)).body as {
      cause: string;
      line: string;
      row: number;
    }[];
    expect(failed.map((f) => [f.cause, f.line]).sort()).toEqual([
      ['reference_missing', 'l2'],
      ['target_rejected', 'l3'],
      ['type_mismatch', 'l3'],
    ]);
    const rows = await ledger.query('SELECT no::text, cents::text FROM arch.posting WHERE no > 50000', 'books');
    expect(rows).toEqual([{ no: '50001', cents: '1.50' }]);
    // The same run once more changes nothing.
    expect((await server.run(plan)).counts).toMatchObject({ unchanged: 1, delivered: 0 });
    expect(await ledger.query('SELECT count(*)::int AS n FROM arch.posting WHERE no > 50000', 'books')).toEqual([
      { n: 1 },
    ]);
  });
  it('says what may not be done with the rights that a user has', async () => {
    await connect({ user: 'reader', password: 'r' }, 'reader');
    const datasets = (await server.ask('GET', '/api/systems/reader/datasets')).body as {
      name: string;
      problem: string | null;
    }[];
    expect(datasets.find((d) => d.name === 'hidden')!.problem).toContain('may not read');
    const rows = await server.ask('GET', '/api/systems/reader/rows?dataset=hidden');
    expect(rows.body.detail).toContain('permission denied');
  });
  it('keeps the password when the connection is changed without it, and takes another', async () => {
    const changed = await server.ask('PUT', '/api/systems/ledger', {
      name: 'Ledger',
      connection: connection({ password: undefined }),
    });
    expect(changed.body).toMatchObject({ name: 'Ledger', secretsSet: ['password'], diagnosis: { code: 'ok' } });
    // What was kept for one place is not sent to another, nor where others could listen.
    for (const patch of [{ host: 'localhost' }, { port: 1 }, { tls: 'off' }]) {
      const moved = await server.ask('PUT', '/api/systems/ledger', {
        name: 'Ledger',
        connection: connection({ password: undefined, ...patch }),
      });
      expect([moved.status, moved.body.faults[0].path]).toEqual([422, 'connection.password']);
    }
    const wrong = await server.ask('PUT', '/api/systems/ledger', {
      name: 'Ledger',
      connection: connection({ password: 'no' }),
    });
    expect(wrong.body.diagnosis.code).toBe('not_authorised');
    expect(wrong.body.stateSince).not.toBe(changed.body.stateSince);
    await server.ask('PUT', '/api/systems/ledger', { name: 'Ledger', connection: connection() });
  });
  it('keeps secrets where the database alone does not give them away, over a restart', async () => {
    await server.restart('SIGTERM');
    expect((await server.ask('POST', '/api/systems/ledger/test')).body.code).toBe('ok');
  });
});
