import { Aborted, chunkEncodings, type Delivery, type Value } from '@versicle/core';
import { DatabaseError } from './database.ts';
import { isDatabaseOutage } from './outage.ts';
import { Listener } from './tcp/listener.ts';
import { ServerDatabase, type ServerAddress } from './tcp/server.ts';
import { SessionLock } from './tcp/session-lock.ts';
import { CuttingProxy } from './testing/cutting-proxy.ts';
import { eachHome } from './testing/homes.ts';
import { postgresPrograms, PostgresServer } from './testing/postgres-server.ts';

const code = (work: Promise<unknown>): Promise<unknown> =>
  work.then(
    () => 'done',
    (error: unknown) => (error instanceof DatabaseError ? error.code : error),
  );

eachHome('the port', (home) => {
  it('gives the same values, whatever the type, and takes them back', async () => {
    const [row] = await home().query(
      `SELECT 5 AS i, 9007199254740993::int8 AS j, 1.10::numeric AS n, 0.1::float8 + 0.2 AS f, true AS b, 'ß'::text AS t, NULL::text AS nothing,
              '2026-03-29'::date AS d, '2026-03-29 01:30:00.5+02'::timestamptz AS z, '1 day 02:03:04'::interval AS v,
              '{"b": 1.10, "a": [12345678901234567890]}'::json AS doc, '{"b": 1.10}'::jsonb AS docb, ARRAY['a', NULL, 'b"c'] AS list, '\\x00ff'::bytea AS bytes`,
    );
    expect({ ...row, bytes: Buffer.from(row!['bytes'] as Uint8Array).toString('hex') }).toEqual({
      i: 5,
      j: '9007199254740993',
      n: '1.10',
      f: 0.30000000000000004,
      b: true,
      t: 'ß',
      nothing: null,
      d: '2026-03-29',
      z: '2026-03-28 23:30:00.5+00',
      v: '1 day 02:03:04',
      doc: '{"b": 1.10, "a": [12345678901234567890]}',
      docb: '{"b": 1.10}',
      list: ['a', null, 'b"c'],
      bytes: '00ff',
    });
    expect(
      await home().query('SELECT $1::text[] AS list, $2::int AS i, $3::jsonb AS doc, $4::boolean AS b', [
        ['x', null],
        7,
        '{"a":1}',
        false,
      ]),
    ).toEqual([{ list: ['x', null], i: 7, doc: '{"a": 1}', b: false }]);
  });

  it('runs a list of statements as one: all of them, or none', async () => {
    await home().exec('CREATE TABLE pair (a int PRIMARY KEY); INSERT INTO pair VALUES (1)');
    const [, found] = await home().transaction([
      { sql: 'INSERT INTO pair VALUES ($1)', params: [2] },
      { sql: 'SELECT a FROM pair ORDER BY a' },
    ]);
    expect(found).toEqual([{ a: 1 }, { a: 2 }]);
    expect(
      await code(home().transaction([{ sql: 'INSERT INTO pair VALUES (3)' }, { sql: 'INSERT INTO pair VALUES (1)' }])),
    ).toBe('23505');
    expect(await home().query('SELECT count(*)::int AS n FROM pair')).toEqual([{ n: 2 }]);
  });

  it('says what the database refuses by its SQLSTATE, and goes on', async () => {
    expect(await code(home().query('SELECT 1 / 0'))).toBe('22012');
    expect(await code(home().exec('SELECT * FROM nowhere'))).toBe('42P01');
    expect(await code(home().query('SELECT $1::int AS n', ['x']))).toBe('22P02');
    expect(await home().query('SELECT 1 AS n')).toEqual([{ n: 1 }]);
  });

  it('keeps what a session does together, and takes it back when it throws', async () => {
    await home().exec('CREATE TABLE copied (a int, b text)');
    const rows = await home().inTransaction(async (session) => {
      const text = new TextEncoder().encode('1\tx\\ty\n2\t\\N\n');
      expect(await session.copy!('copied', 'a, b', text)).toBe(2);
      expect(await session.copy!('copied', null, text)).toBe(2);
      expect((await session.query('UPDATE copied SET a = a + 10 WHERE b IS NULL')).count).toBe(2);
      return session.arrays('SELECT a, b FROM copied ORDER BY a');
    });
    expect(rows).toEqual([
      [1, 'x\ty'],
      [1, 'x\ty'],
      [12, null],
      [12, null],
    ]);
    await expect(
      home().inTransaction(async (session) => {
        await session.query('DELETE FROM copied');
        throw new Error('not after all');
      }),
    ).rejects.toThrow('not after all');
    expect(await home().query('SELECT count(*)::int AS n FROM copied')).toEqual([{ n: 4 }]);
  });

  const columns = [
    { name: 'no', type: 'int4' },
    { name: 'name', type: 'text' },
  ] as const;
  const chunk = (number: number, dataset: string, mode: Delivery['mode'], rows: Value[][]): Delivery => {
    const encoder = chunkEncodings.copy.encoder(columns);
    for (const row of rows) encoder.add(row);
    const content = { encoding: 'copy', of: encoder.take() } as const;
    const part = { dataset, columns, key: ['no'], rows: rows.length, content, ids: [] };
    return { source: `run-of-${dataset}`, run: 1, claim: 1, chunk: number, mode, parts: [part] };
  };

  it('loads beside a table and swaps at the end, once, and asks before most of it would go', async () => {
    await home().exec(`CREATE TABLE member (no int PRIMARY KEY, name text NOT NULL);
      INSERT INTO member SELECT n, 'old' FROM generate_series(1, 10) n`);
    const rows = Array.from({ length: 4 }, (_, i): Value[] => [i + 1, i === 2 ? null : 'new']);
    const { rejections } = await home().deliver(chunk(1, 'member', 'replace', rows));
    expect(rejections).toMatchObject([{ index: 2, code: '23502', columns: ['name'] }]);
    const swap = { source: 'run-of-member', claim: 1, table: 'member', columns: ['no', 'name'] };
    expect(await home().swap({ ...swap, mayRemove: 0.5 })).toEqual({ before: 10, after: 3, done: false });
    expect(await home().query("SELECT count(*)::int AS n FROM member WHERE name = 'old'")).toEqual([{ n: 10 }]);
    for (let n = 0; n < 2; n++)
      expect(await home().swap({ ...swap, mayRemove: null })).toEqual({ before: 10, after: 3, done: true });
    expect(await home().query('SELECT no, name FROM member ORDER BY no')).toEqual([
      { no: 1, name: 'new' },
      { no: 2, name: 'new' },
      { no: 4, name: 'new' },
    ]);
    await home().discard('run-of-member');
  });

  it('finds the rows at fault among many, by halves and one by one', async () => {
    await home().exec('CREATE TABLE odd (no int PRIMARY KEY CHECK (no % 3 <> 0), name varchar(3))');
    const rows = Array.from({ length: 300 }, (_, i): Value[] => [i + 1, i % 50 === 0 ? 'too long' : 'ok']);
    const { rejections, unchanged } = await home().deliver(chunk(1, 'odd', 'upsert', rows));
    const wrong = rows.flatMap(([no, name], index) => {
      const long = name === 'too long';
      return long || (no as number) % 3 === 0 ? [{ index, code: long ? '22001' : '23514' }] : [];
    });
    expect(rejections.map(({ index, code }) => ({ index, code }))).toEqual(wrong);
    expect(unchanged).toBe(0);
    expect(await home().query('SELECT count(*)::int AS n FROM odd')).toEqual([{ n: 300 - wrong.length }]);
    const again = await home().deliver(chunk(2, 'odd', 'upsert', rows));
    expect([again.rejections.length, again.unchanged]).toEqual([wrong.length, 300 - wrong.length]);
  });
});

const onServer = postgresPrograms() === null ? describe.skip : describe;
onServer('a server', () => {
  let server: PostgresServer;
  const addressOf = (user = 'ledger', password = PostgresServer.password): ServerAddress => ({
    host: '127.0.0.1',
    port: server.port,
    database: 'postgres',
    user,
    password,
    ssl: false,
    label: 'the ledger',
  });
  const open = (user?: string, password?: string): ServerDatabase => new ServerDatabase(addressOf(user, password));
  let db: ServerDatabase;
  beforeAll(async () => {
    server = await PostgresServer.start();
    db = open();
    await db.exec('CREATE TABLE many AS SELECT n, md5(n::text) AS t FROM generate_series(1, 5000) n');
  });
  afterAll(async () => {
    await db.close();
    await server.stop();
  });

  it('is read in pieces, of one snapshot, and no longer than anybody asks', async () => {
    const found: string[][] = [];
    let pieces = 0;
    for await (const rows of db.read<string[]>('SELECT n::text, t FROM many ORDER BY many.n')) {
      if (pieces++ === 0) await db.exec('DELETE FROM many WHERE n > 4000');
      found.push(...rows);
    }
    expect([found.length, pieces, found.at(-1)![0]]).toEqual([5000, 3, '5000']);
    for await (const rows of db.read('SELECT n FROM many')) {
      expect(rows).toHaveLength(2000);
      break;
    }
    expect(await db.query("SELECT count(*)::int AS n FROM pg_stat_activity WHERE state LIKE 'idle in%'")).toEqual([
      { n: 0 },
    ]);
  });

  it('stops what is under way when the signal says so, and takes it back', async () => {
    const stop = new AbortController();
    const work = db.inTransaction(async (session) => {
      await session.exec('DELETE FROM many');
      setTimeout(() => stop.abort(), 100);
      await session.exec('SELECT pg_sleep(60)');
    }, stop.signal);
    await expect(work).rejects.toBeInstanceOf(Aborted);
    const reading = new AbortController();
    const slow = async (): Promise<void> => {
      setTimeout(() => reading.abort(), 100);
      for await (const _ of db.read('SELECT pg_sleep(60)', reading.signal));
    };
    await expect(slow()).rejects.toBeInstanceOf(Aborted);
    expect(await db.query('SELECT count(*)::int AS n FROM many')).toEqual([{ n: 4000 }]);
  });

  it('describes a SELECT without running it, and no more than one statement', async () => {
    expect(await db.describe('SELECT n, t::varchar(9) AS short, now() AS at, pg_sleep(60)::text FROM many')).toEqual([
      { name: 'n', type: 'integer' },
      { name: 'short', type: 'character varying(9)' },
      { name: 'at', type: 'timestamp with time zone' },
      { name: 'pg_sleep', type: 'text' },
    ]);
    expect(await code(db.describe('SELECT 1) s; DELETE FROM many; SELECT * FROM (SELECT 2'))).toBe('42601');
  });

  it('says that it is away, and serves again when it is back', async () => {
    const cut = db.inTransaction(async (session) => {
      const { rows } = await session.query<{ pid: number }>('SELECT pg_backend_pid() AS pid');
      await server.query(`SELECT pg_terminate_backend(${rows[0]!.pid})`);
      await session.exec('SELECT 1');
    });
    expect(await cut.then(String, isDatabaseOutage)).toBe(true);
    expect(await db.query('SELECT 1 AS n')).toEqual([{ n: 1 }]);
    const wrong = open('ledger', 'not the password');
    expect(await code(wrong.query('SELECT 1'))).toBe('28P01');
    await wrong.close();
  });

  it('asks for the right to make the journal, and takes one that is there', async () => {
    await server.query(
      "CREATE ROLE clerk LOGIN PASSWORD 'clerk'; CREATE TABLE slip (no int, name text); GRANT ALL ON slip TO clerk",
    );
    const clerk = open('clerk', 'clerk');
    const encoder = chunkEncodings.copy.encoder([{ name: 'no', type: 'int4' }]);
    encoder.add([1]);
    const delivery: Delivery = {
      source: 'clerk-run',
      run: 1,
      claim: 1,
      chunk: 1,
      mode: 'insert',
      parts: [
        {
          dataset: 'slip',
          columns: [{ name: 'no', type: 'int4' }],
          key: [],
          rows: 1,
          content: { encoding: 'copy', of: encoder.take() },
          ids: [],
        },
      ],
    };
    await expect(clerk.deliver(delivery)).rejects.toThrow('Give the user the right to create a schema');
    await db.deliver({ ...delivery, source: 'owner', chunk: 2 });
    await server.query('GRANT USAGE ON SCHEMA versicle TO clerk; GRANT SELECT, INSERT ON versicle.delivery TO clerk');
    await expect(clerk.deliver(delivery)).rejects.toThrow('may not SELECT, INSERT, UPDATE and DELETE there');
    await server.query('GRANT ALL ON versicle.delivery TO clerk');
    expect(await clerk.deliver(delivery)).toEqual({ rejections: [], unchanged: 0 });
    expect(await db.query('SELECT count(*)::int AS n FROM slip')).toEqual([{ n: 2 }]);
    await clerk.close();
  });

  it('ends what a process that hangs has open: by the name of its sessions, and after a while of doing nothing', async () => {
    await db.exec('CREATE TABLE held (n int); INSERT INTO held VALUES (1)');
    const hung = new ServerDatabase(addressOf(), { name: 'hung' });
    const idle = new ServerDatabase(addressOf(), { idleSeconds: 0.2 });
    for (const [other, end] of [
      [hung, () => db.endSessions('hung')],
      [idle, () => Promise.resolve()],
    ] as const) {
      const late = other.inTransaction(async (session) => {
        await session.query('UPDATE held SET n = n + 100');
        await end();
        // Whoever waits for the row has it as soon as that session is ended.
        await db.query('UPDATE held SET n = n + 1');
        await session.query('UPDATE held SET n = n + 100');
      });
      expect(isDatabaseOutage(await late.catch((error: unknown) => error))).toBe(true);
    }
    expect(await db.query('SELECT n FROM held')).toEqual([{ n: 3 }]);
    expect(await hung.query('SELECT 1 AS n')).toEqual([{ n: 1 }]);
    await Promise.all([hung.close(), idle.close()]);
  });

  it('ends the session that was lost in the middle of a statement before it tries again', async () => {
    await db.exec('CREATE TABLE kept (n int); INSERT INTO kept VALUES (1)');
    const way = await CuttingProxy.to(server.port);
    const far = new ServerDatabase({ ...addressOf(), port: way.port }, { name: 'far', idleSeconds: 3600 });
    const tried = far.inTransaction(async (session) => {
      await session.query('UPDATE kept SET n = n + 100');
      await session.query('SELECT pg_sleep(3600)');
    });
    tried.catch(() => undefined);
    const sleeping = "SELECT 1 FROM pg_stat_activity WHERE application_name = 'far' AND wait_event = 'PgSleep'";
    while ((await db.query(sleeping)).length === 0) await new Promise((resolve) => setTimeout(resolve, 20));
    // The server does not hear of it.
    await way.cutHere();
    expect(isDatabaseOutage(await tried.catch((error: unknown) => error))).toBe(true);
    await far.inTransaction((session) => session.query('UPDATE kept SET n = n + 1'));
    expect(await db.query('SELECT n FROM kept')).toEqual([{ n: 2 }]);
    expect(await db.query(sleeping)).toEqual([]);
    await far.close();
    await way.end();
  });

  it('is listened to, and who could not hear for a while is told so', async () => {
    const heard: string[] = [];
    let missed = (): void => undefined;
    const again = new Promise<void>((resolve) => (missed = resolve));
    const all = async (words: number): Promise<void> => {
      while (heard.length < words) await new Promise((resolve) => setTimeout(resolve, 20));
    };
    const listener = await Listener.start(addressOf(), 'news', (word) => heard.push(word), missed);
    await db.query("SELECT pg_notify('news', 'one')");
    // What is said is sent to a listener after the statement that says it: cut before, it would not be heard.
    await all(1);
    await db.query("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query LIKE 'LISTEN%'");
    await again;
    await db.query("SELECT pg_notify('news', 'two')");
    await all(2);
    expect(heard).toEqual(['one', 'two']);
    await listener.close();
  });

  it('has locks that one holds alone or several beside each other, and that end with their session', async () => {
    const take = (how: 'alone' | 'beside'): Promise<SessionLock | null> =>
      SessionLock.take(addressOf(), 77, how, () => undefined, 0);
    const one = (await take('alone'))!;
    expect(await take('beside')).toBeNull();
    await one.share();
    const other = (await take('beside'))!;
    expect(await take('alone')).toBeNull();
    await one.release();
    expect(await take('alone')).toBeNull();
    await other.release();
    const last = await take('alone');
    expect(last).not.toBeNull();
    await last!.release();
  });
});
