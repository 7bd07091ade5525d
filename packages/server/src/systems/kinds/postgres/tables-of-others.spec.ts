import { randomBytes } from 'node:crypto';
import { CuttingProxy, postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import { RunningServer } from '../../../testing/running-server.ts';

const withServer = postgresPrograms() === null ? describe.skip : describe;

withServer('tables that are not made for us', () => {
  let pg: PostgresServer;
  let way: CuttingProxy;
  let server: RunningServer;
  let count = 0;
  beforeAll(async () => {
    pg = await PostgresServer.start();
    way = await CuttingProxy.to(pg.port);
    server = await RunningServer.start({ VERSICLE_OUTAGE_SECONDS: '30' });
    await server.connect();
    await server.api('createSystem', 'POST', '/systems', {
      id: 'pg',
      name: 'pg',
      connection: {
        kind: 'postgres',
        host: '127.0.0.1',
        port: way.port,
        database: 'postgres',
        user: 'ledger',
        password: PostgresServer.password,
      },
    } as never);
  });
  afterAll(async () => {
    await server.close();
    await way.end();
    await pg.stop();
  });
  /** A document of straight lines from a CSV of its own into a table. */
  async function into(
    table: string,
    fields: Record<string, string>,
    rows: (string | null)[][],
    patch: Record<string, unknown> = {},
    key: string[] = ['no'],
  ): Promise<{ document: Record<string, unknown>; name: string }> {
    const name = `load-${++count}`;
    const names = Object.keys(fields);
    const columns = names.map((_, i) => `c${i}`);
    server.file(
      `${name}.jsonl`,
      rows.map((r) => JSON.stringify(Object.fromEntries(columns.map((c, i) => [c, r[i] ?? null])))).join('\n'),
    );
    return {
      name,
      document: {
        versicle: 1,
        name,
        source: { primary: { alias: 's', dataset: `files/${name}.jsonl` } },
        target: {
          dataset: `pg/${table}`,
          key,
          fields: names.map((n) => ({ name: n, type: fields[n]! })),
        },
        lines: names.map((n, i) => ({ id: `l${i}`, target: n, kind: 'straight', source: `s.c${i}` })),
        write: { mode: 'upsert', existing: 'overwrite' },
        ...patch,
      },
    };
  }
  async function load(...args: Parameters<typeof into>) {
    const { document } = await into(...args);
    const { plan, mapping } = await server.mapping(document);
    const run = await server.run(plan);
    const failed = await server.api('listFailures', 'GET', `/failures?mapping=${mapping}&limit=500`);
    return { run, failed, plan, mapping };
  }
  async function refusal(...args: Parameters<typeof into>): Promise<string> {
    const { document } = await into(...args);
    const { id } = await server.api('createMapping', 'POST', '/mappings', { document: document as never });
    return (await server.ask('POST', `/api/mappings/${id}/publish`, {})).body.detail as string;
  }
  const insert = { write: { mode: 'insert' } };

  it('writes into the very table that was named, whatever the search path says', async () => {
    await pg.query(
      `CREATE SCHEMA ledger; CREATE TABLE ledger.item (no text PRIMARY KEY); CREATE TABLE public.item (no text PRIMARY KEY);
       CREATE TABLE public."dotted.name" (no text PRIMARY KEY)`,
    );
    expect((await load('item', { no: 'text' }, [['1'], ['2']])).run.counts.delivered).toBe(2);
    expect(
      await pg.query(
        'SELECT (SELECT count(*)::int FROM public.item) AS p, (SELECT count(*)::int FROM ledger.item) AS l',
      ),
    ).toEqual([{ p: 2, l: 0 }]);
    const datasets = (await server.api('listDatasets', 'GET', '/systems/pg/datasets')).map((d) => d.name);
    expect(datasets).toContain('"dotted.name"');
    expect((await load('"dotted.name"', { no: 'text' }, [['1']])).run.counts.delivered).toBe(1);
    await pg.query('DROP SCHEMA ledger CASCADE');
  });
  it('reads doubles with all their digits, whatever the role has as its default', async () => {
    await pg.query(
      'CREATE TABLE doubles (x double precision); INSERT INTO doubles VALUES (0.1::float8 + 0.2::float8); ALTER ROLE ledger SET extra_float_digits = 0',
    );
    const { rows } = await server.api('getRows', 'GET', '/systems/pg/rows?dataset=doubles&limit=10');
    await pg.query('ALTER ROLE ledger RESET extra_float_digits');
    expect(rows[0]!.values).toEqual(['0.30000000000000004']);
  });
  it('writes json and xml, into a unique index, beside a key with further columns, and into a table called incoming', async () => {
    await pg.query(
      `CREATE TABLE docs (no text PRIMARY KEY, j json, x xml); CREATE TABLE indexed (no text NOT NULL, v text); CREATE UNIQUE INDEX ON indexed (no);
       CREATE TABLE including (no text, v text, CONSTRAINT k PRIMARY KEY (no) INCLUDE (v)); CREATE TABLE incoming (no text PRIMARY KEY, v text);
       CREATE TABLE numbered (no integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, v text)`,
    );
    const docs: [string, Record<string, string>, string[][]] = [
      'docs',
      { no: 'text', j: 'jsonb', x: 'text' },
      [['1', '{"a":1}', '<a/>']],
    ];
    expect((await load(...docs)).run.counts).toMatchObject({ delivered: 1, failed: 0 });
    expect((await load(...docs)).run.counts).toMatchObject({ unchanged: 1, delivered: 0, failed: 0 });
    for (const table of ['indexed', 'including', 'incoming']) {
      await load(table, { no: 'text', v: 'text' }, [['1', 'a']]);
      expect(
        (
          await load(table, { no: 'text', v: 'text' }, [
            ['1', 'b'],
            ['2', 'c'],
          ])
        ).run.counts.delivered,
      ).toBe(2);
      expect(await pg.query(`SELECT v FROM ${table} ORDER BY no`)).toEqual([{ v: 'b' }, { v: 'c' }]);
    }
    expect((await load('numbered', { no: 'integer', v: 'text' }, [['7', 'a']])).run.counts.delivered).toBe(1);
  });
  it('refuses at publishing what can’t work, with the way out', async () => {
    await pg.query(
      `CREATE TABLE computed (no text PRIMARY KEY, v text, loud text GENERATED ALWAYS AS (upper(v)) STORED);
       CREATE TABLE counted (no text PRIMARY KEY, id integer GENERATED ALWAYS AS IDENTITY); CREATE VIEW seen AS SELECT * FROM counted;
       CREATE TABLE parent (no text PRIMARY KEY); CREATE TABLE child (no text REFERENCES parent ON DELETE CASCADE)`,
    );
    expect(await refusal('computed', { no: 'text', loud: 'text' }, [['1', 'x']])).toMatch(
      /loud is computed by the table/,
    );
    expect(await refusal('counted', { no: 'text', id: 'integer' }, [['1', '2']])).toMatch(
      /GENERATED ALWAYS AS IDENTITY/,
    );
    expect(await refusal('seen', { no: 'text' }, [['1']])).toMatch(/the view seen has none/);
    expect(await refusal('parent', { no: 'text' }, [['1']], { write: { mode: 'replace' } })).toMatch(
      /delete the rows of child/,
    );
  });
  it('files what the database refuses under the line whose field it is, and goes on', async () => {
    await pg.query(
      `CREATE TABLE strict (no text PRIMARY KEY, "first-name" varchar(5), "Order No" integer, mail text UNIQUE, big text);
       CREATE INDEX ON strict (big); CREATE INDEX folded ON strict (lower(mail));
       CREATE FUNCTION picky() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
         IF NEW.no = 'own' THEN RAISE EXCEPTION 'not this one' USING ERRCODE = '99001'; END IF;
         IF NEW.no = 'quiet' THEN RETURN NULL; END IF; RETURN NEW; END $$;
       CREATE TRIGGER picky BEFORE INSERT ON strict FOR EACH ROW EXECUTE FUNCTION picky()`,
    );
    const fields = { no: 'text', 'first-name': 'text', 'Order No': 'numeric', mail: 'text', big: 'text' };
    // Too long for an index, and not to be compressed.
    const long = randomBytes(6000).toString('base64');
    const rows = [
      ['1', 'Kit', '1', 'a@example.org', null],
      ['2', 'too long', '1', null, null],
      ['3', 'Kit', '99999999999', null, null],
      ['4', 'Kit', '1', 'a@example.org', null],
      ['own', 'Kit', '1', null, null],
      ['quiet', 'Kit', '1', null, null],
      ['5', 'Kit', '1', null, long],
      ['6', 'Kit', '1', 'b@example.org', null],
    ];
    for (const mode of ['insert', 'upsert', 'replace']) {
      // What replaces these may have their keys.
      await pg.query(`TRUNCATE strict${mode === 'replace' ? `; INSERT INTO strict VALUES ('1'), ('5')` : ''}`);
      const { run, failed } = await load('strict', fields, rows, { write: { mode } });
      expect(run).toMatchObject({ state: 'finished', counts: { read: 8, delivered: 2, failed: 6 } });
      expect(await pg.query('SELECT no FROM strict ORDER BY no')).toEqual([{ no: '1' }, { no: '6' }]);
      const line = Object.fromEntries(failed.map((f) => [f.row, f.line]));
      expect(line).toMatchObject({ 2: 'l1', 3: 'l2', 4: 'l3' });
      expect(failed.find((f) => f.row === 5)!.message).toContain('not this one');
      expect(failed.find((f) => f.row === 6)!.message).toMatch(/leaves it out/);
    }
  });
  it('minds row-level security, and keys that only the database holds for equal', async () => {
    await pg.query(
      `CREATE EXTENSION IF NOT EXISTS citext; CREATE TABLE mails (mail citext PRIMARY KEY, v text);
       CREATE TABLE secured (no text PRIMARY KEY, owner text); ALTER TABLE secured ENABLE ROW LEVEL SECURITY; ALTER TABLE secured FORCE ROW LEVEL SECURITY;
       CREATE ROLE clerk LOGIN PASSWORD 'c'; GRANT ALL ON secured TO clerk; CREATE POLICY own ON secured USING (owner = 'clerk') WITH CHECK (owner = 'clerk');
       CREATE SCHEMA IF NOT EXISTS versicle; GRANT ALL ON SCHEMA versicle, public TO clerk; GRANT ALL ON ALL TABLES IN SCHEMA versicle TO clerk; ALTER SCHEMA versicle OWNER TO clerk; ALTER TABLE versicle.delivery OWNER TO clerk`,
    );
    const mails = await load(
      'mails',
      { mail: 'text', v: 'text' },
      [
        ['a@example.org', '1'],
        ['A@example.org', '2'],
        ['b@example.org', '3'],
      ],
      {},
      ['mail'],
    );
    expect(mails.run).toMatchObject({ state: 'finished', counts: { delivered: 2, failed: 1 } });
    expect(await pg.query('SELECT v FROM mails ORDER BY 1')).toEqual([{ v: '1' }, { v: '3' }]);
    await server.api('createSystem', 'POST', '/systems', {
      id: 'clerk',
      name: 'clerk',
      connection: {
        kind: 'postgres',
        host: '127.0.0.1',
        port: way.port,
        database: 'postgres',
        user: 'clerk',
        password: 'c',
      },
    } as never);
    for (const mode of ['insert', 'upsert', 'replace']) {
      const { document } = await into(
        'secured',
        { no: 'text', owner: 'text' },
        [
          [`${mode}1`, 'clerk'],
          [`${mode}2`, 'other'],
        ],
        { write: { mode } },
      );
      (document['target'] as { dataset: string }).dataset = 'clerk/secured';
      const { plan } = await server.mapping(document);
      expect((await server.run(plan)).counts).toMatchObject({ delivered: 1, failed: 1 });
    }
  });
  it('finds 8,000 refused rows in one chunk', async () => {
    await pg.query('CREATE TABLE even (no integer PRIMARY KEY CHECK (no % 2 = 0))');
    const rows = Array.from({ length: 16_000 }, (_, i) => [String(i)]);
    const { run } = await load('even', { no: 'integer' }, rows, insert);
    expect(run).toMatchObject({ state: 'finished', counts: { read: 16_000, delivered: 8000, failed: 8000 } });
    expect(await pg.query('SELECT count(*)::int AS n FROM even')).toEqual([{ n: 8000 }]);
  });
  it('describes a SELECT without ever running another statement', async () => {
    await pg.query('CREATE TABLE precious (x integer); INSERT INTO precious VALUES (1)');
    for (const sql of [
      'SELECT 1) s; DELETE FROM precious; SELECT (1',
      'SELECT 1) AS s; DROP TABLE precious --',
      'WITH d AS (DELETE FROM precious RETURNING x) SELECT * FROM d',
    ]) {
      const reply = await server.ask('PUT', '/api/systems/pg/setting', {
        dataset: 'odd',
        setting: { kind: 'select', sql },
      });
      expect(reply.status).toBeGreaterThanOrEqual(400);
    }
    expect(await pg.query('SELECT * FROM precious')).toEqual([{ x: 1 }]);
  });
  it('outlives a connection that is cut while rows are read, described, written and committed', async () => {
    await pg.query(
      'CREATE TABLE many AS SELECT n, repeat(n::text, 40) AS t FROM generate_series(1, 60000) n; CREATE TABLE copied (n integer, t text)',
    );
    const cuts = setInterval(() => way.cut(), 90);
    const asked = await Promise.all(
      Array.from({ length: 6 }, (_, i) =>
        server.ask('GET', `/api/systems/pg/rows?dataset=many&limit=2000&sort=n%2B${i}`),
      ),
    );
    expect(asked.every((r) => r.status === 200 || r.status === 422 || r.status === 500)).toBe(true);
    const { document } = await into(
      'copied',
      { n: 'integer', t: 'text' },
      Array.from({ length: 5000 }, (_, i) => [String(i), 'x']),
      insert,
      [],
    );
    clearInterval(cuts);
    const { plan } = await server.mapping(document);
    const again = setInterval(() => way.cut(), 40);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    await new Promise((r) => setTimeout(r, 600));
    clearInterval(again);
    let ended = await server.ended(run);
    if (ended.state === 'broken') {
      await server.api('takeUpRun', 'POST', `/runs/${run}/take-up`);
      ended = await server.ended(run);
    }
    expect(ended).toMatchObject({ state: 'finished', counts: { delivered: 5000 } });
    expect(await pg.query('SELECT count(*)::int AS n, count(DISTINCT n)::int AS d FROM copied')).toEqual([
      { n: 5000, d: 5000 },
    ]);
    expect(server.child.exitCode).toBeNull();
  });
  /** A run whose first record is at a trigger that sleeps. */
  async function asleep(): Promise<{ table: string; run: number }> {
    const table = `slow_${++count}`;
    await pg.query(
      `CREATE TABLE ${table} (no integer, v text); CREATE SEQUENCE ${table}_met;
       CREATE FUNCTION ${table}_wait() RETURNS trigger LANGUAGE plpgsql AS $$
         BEGIN IF nextval('${table}_met') = 1 THEN PERFORM pg_sleep(3600); END IF; RETURN NEW; END $$;
       CREATE TRIGGER slow BEFORE INSERT ON ${table} FOR EACH ROW EXECUTE FUNCTION ${table}_wait()`,
    );
    const { document } = await into(table, { no: 'integer', v: 'text' }, [['1', 'a'], ['2', 'b']], insert, []); // prettier-ignore
    const { plan } = await server.mapping(document);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await pg.query(SLEEPING)).length === 0) await new Promise((r) => setTimeout(r, 20));
    return { table, run };
  }
  const SLEEPING = "SELECT pid FROM pg_stat_activity WHERE wait_event = 'PgSleep'";
  it.each(['cut', 'cut and killed'])(
    'goes on after its session was lost in the middle of a statement, and the database did not hear of it: %s',
    async (how) => {
      const { table, run } = await asleep();
      await way.cutHere();
      if (how === 'cut and killed') {
        await server.stop('SIGKILL');
        await server.restart('SIGKILL');
      }
      expect(await server.ended(run)).toMatchObject({ state: 'finished', counts: { delivered: 2, failed: 0 } });
      expect(await pg.query(`SELECT no, v FROM ${table} ORDER BY no`)).toEqual([{ no: 1, v: 'a' }, { no: 2, v: 'b' }]); // prettier-ignore
      expect(await pg.query(SLEEPING)).toEqual([]);
    },
  );
  it('writes nothing where the target knows that somebody else has taken the run on, and says so', async () => {
    const { table, run } = await asleep();
    // Nobody gets through until somebody else has said that the run is theirs.
    way.close();
    await pg.query(`SELECT pg_terminate_backend(pid) FROM (${SLEEPING}) s`);
    await pg.query('UPDATE versicle.delivery SET unchanged = 99 WHERE chunk = -1');
    way.open();
    const { state, error } = await server.ended(run);
    expect({ state, error }).toEqual({ state: 'broken', error: expect.stringContaining('a later time that this run was taken on') }); // prettier-ignore
    expect(await pg.query(`SELECT * FROM ${table}`)).toEqual([]);
  });
});
