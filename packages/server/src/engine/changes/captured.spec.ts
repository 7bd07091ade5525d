import fc from 'fast-check';
import type { RunDetail } from '@versicle/contract';
import { ServerDatabase } from '@versicle/postgres';
import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import { counts, Loads } from '../../testing/loads.ts';
import { RunningServer } from '../../testing/running-server.ts';

/** Where changes are written down, and how somebody changes them. */
interface Ground {
  readonly server: RunningServer;
  /** The system that is read. */
  readonly system: string;
  sql(text: string): Promise<unknown>;
  rows(table: string): Promise<(string | null)[][]>;
}

/** The same for each way in which changes are written down. */
function tells(ground: () => Ground): void {
  let made = 0;
  const loads = new Loads(() => ground().server);
  const step = { changes: 'captured', vanished: 'delete', removesAtMost: 1 };
  /** A table with a key of several types, and a mapping of it. */
  async function table(
    columns = 'no integer, name text, at timestamptz, price numeric(8,2), PRIMARY KEY (no, at)',
    more: object = {},
    keyed = true,
  ): Promise<{ from: string; to: string; mapping: string; plan: string }> {
    const [from, to] = [`source${++made}`, `target${made}`];
    await ground().sql(`CREATE TABLE ${from} (${columns})`);
    const fields = [
      { name: 'id', type: 'text', nullable: false },
      { name: 'name', type: 'varchar(12)' },
      { name: 'price', type: 'numeric(8,2)', required: true },
    ];
    const document = {
      versicle: 1,
      name: `Captured ${from}`,
      source: { primary: { alias: 's', dataset: `${ground().system}/${from}` } },
      target: { dataset: `store/${to}`, key: ['id'], fields },
      lines: [
        { id: 'l1', target: 'id', kind: 'rule', rule: "s.no || '/' || s.at" },
        { id: 'l2', target: 'name', kind: 'straight', source: 's.name' },
        { id: 'l3', target: 'price', kind: 'straight', source: 's.price' },
      ],
      write: { mode: 'upsert', existing: 'overwrite' },
      ...more,
    };
    const { mapping } = await ground().server.mapping(document);
    return { from, to, mapping, plan: keyed ? await loads.planOf(mapping, step) : '' };
  }
  const run = (plan: string): Promise<RunDetail> => ground().server.run(plan);
  const logOf = ({ log }: RunDetail): string => log.map((l) => l.message).join('\n');
  const insert = (from: string, ...numbers: number[]): Promise<unknown> =>
    ground().sql(
      `INSERT INTO ${from} SELECT n, 'Bell', timestamptz '2026-03-01 12:00+01' + n * interval '1 hour', n FROM unnest(ARRAY[${numbers.join()}]) AS n`,
    );

  it('reads all once, and from then on what came, changed or went', async () => {
    const { from, to, plan } = await table();
    await insert(from, 1, 2, 3, 4, 5);
    const first = await run(plan);
    expect(counts(first)).toMatchObject({ read: 5, delivered: 5 });
    expect(logOf(first)).toContain('reads all records (from now on the source writes down what changes)');
    const second = await run(plan);
    expect(counts(second)).toMatchObject({ read: 0, delivered: 0 });
    expect(logOf(second)).toContain('reads what the source wrote down: 0 records came, changed or went');
    await insert(from, 6);
    await ground().sql(
      `UPDATE ${from} SET price = 9 WHERE no = 2; UPDATE ${from} SET no = 33 WHERE no = 3; DELETE FROM ${from} WHERE no = 4`,
    );
    await ground().sql(`UPDATE ${from} SET name = name WHERE no = 5`);
    const third = await run(plan);
    expect(counts(third)).toMatchObject({ read: 4, unchanged: 1, delivered: 3 });
    expect(third.gone).toMatchObject({ done: 2 });
    expect((await ground().rows(to)).map(([id, , price]) => `${id!.split('/')[0]} ${price}`).sort()).toEqual(
      ['1 1.00', '2 9.00', '33 3.00', '5 5.00', '6 6.00'].sort(),
    );
    expect(counts(await run(plan))).toMatchObject({ read: 0 });
  });

  it('goes on where it was after a run that failed, a kill, and a run of a part', async () => {
    const { from, to, plan } = await table();
    const { server } = ground();
    await insert(from, 1, 2, 3);
    await run(plan);
    await insert(from, ...Array.from({ length: 60 }, (_, i) => i + 10));
    await ground().sql(`DELETE FROM ${from} WHERE no = 1`);
    const part = await server.run(plan, 2);
    expect(counts(part)).toMatchObject({ read: 2 });
    expect(logOf(part)).toContain('stays for the next run');
    const { run: killed } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${killed}`)).counts.delivered === 0);
    await insert(from, 200);
    await server.restart('SIGKILL');
    expect(counts(await server.ended(killed))).toMatchObject({ read: 60 });
    expect(counts(await run(plan))).toMatchObject({ read: 1, delivered: 1 });
    const ids = (await ground().rows(to)).map(([id]) => Number(id!.split('/')[0]));
    expect(ids.sort((a, b) => a - b)).toEqual([2, 3, ...Array.from({ length: 60 }, (_, i) => i + 10), 200]);
  });

  it('looks at all where the table was emptied, and where the mapping is another', async () => {
    const { from, to, mapping, plan } = await table();
    await insert(from, 1, 2, 3);
    await run(plan);
    await ground().sql(`TRUNCATE ${from}`);
    await insert(from, 2);
    const all = await run(plan);
    expect(logOf(all)).toContain('so many changed that all are looked at');
    expect(all.gone).toMatchObject({ done: 2 });
    expect(await ground().rows(to)).toHaveLength(1);
    const { document } = await ground().server.api('getMapping', 'GET', `/mappings/${mapping}`);
    await loads.publish(mapping, { ...document, purpose: 'Another' });
    const other = await run(plan);
    expect(logOf(other)).toContain('reads all records (this revision has not loaded all of them yet)');
    expect(counts(other)).toMatchObject({ read: 1, unchanged: 1 });
    expect(counts(await run(plan))).toMatchObject({ read: 0 });
  });

  it('looks again at what went while a failed record has no key', async () => {
    const lines = [
      { id: 'l1', target: 'id', kind: 'rule', rule: 'CAST(s.name AS integer)' },
      { id: 'l3', target: 'price', kind: 'straight', source: 's.price' },
    ];
    const { from, to, plan } = await table(undefined, { lines });
    await ground().sql(`INSERT INTO ${from} VALUES (1, '1', '2026-01-01', 1), (2, '2', '2026-01-01', 2)`);
    await run(plan);
    await ground().sql(`DELETE FROM ${from} WHERE no = 1; INSERT INTO ${from} VALUES (3, 'three', '2026-01-01', 3)`);
    const untold = await run(plan);
    expect(untold).toMatchObject({ counts: { read: 1, failed: 1 }, gone: { done: 0 } });
    expect(logOf(untold)).toContain('nothing is told gone');
    expect(await ground().rows(to)).toHaveLength(2);
    await ground().sql(`UPDATE ${from} SET name = '3' WHERE no = 3`);
    const told = await run(plan);
    expect(told).toMatchObject({ counts: { read: 1, delivered: 1 }, gone: { done: 1 } });
    expect((await ground().rows(to)).map(([id]) => id).sort()).toEqual(['2', '3']);
  });

  it('looks at all once more where nobody was asked before what went', async () => {
    const { from, to, mapping } = await table();
    const plan = await loads.planOf(mapping, { changes: 'captured' });
    await insert(from, 1, 2, 3);
    await run(plan);
    await ground().sql(`DELETE FROM ${from} WHERE no = 1`);
    expect(counts(await run(plan))).toMatchObject({ read: 0 });
    const { document } = await ground().server.api('getPlan', 'GET', `/plans/${plan}`);
    const steps = document.steps.map((s) => ({ ...s, vanished: 'delete', removesAtMost: 1 }));
    await ground().server.api('changePlan', 'PUT', `/plans/${plan}`, { document: { ...document, steps } as never });
    const all = await run(plan);
    expect(logOf(all)).toContain('reads all records (what was delivered before is not known by its key)');
    expect(counts(all)).toMatchObject({ read: 2 });
    await ground().sql(`DELETE FROM ${from} WHERE no = 2`);
    expect((await run(plan)).gone).toMatchObject({ done: 1 });
    // What went before anybody asked stays.
    expect((await ground().rows(to)).map(([id]) => id!.split('/')[0]).sort()).toEqual(['1', '3']);
  });

  it('leaves the target as the source, whatever happens there in between', async () => {
    const { from, to, plan } = await table();
    const number = fc.integer({ min: 1, max: 9 });
    const change = fc.oneof(
      fc.record({ what: fc.constant('insert' as const), no: number }),
      fc.record({ what: fc.constant('update' as const), no: number }),
      fc.record({ what: fc.constant('rename' as const), no: number }),
      fc.record({ what: fc.constant('delete' as const), no: number }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(change, { maxLength: 12 }), async (changes) => {
        const statements = changes.map(({ what, no }) => {
          const sql = {
            insert: `INSERT INTO ${from} VALUES (${no}, 'New', '2026-02-02', ${no}) ON CONFLICT DO NOTHING`,
            update: `UPDATE ${from} SET price = price + 1 WHERE no = ${no}`,
            rename: `UPDATE ${from} SET no = no + 100 WHERE no = ${no}`,
            delete: `DELETE FROM ${from} WHERE no % 100 = ${no} AND no > ${no % 2 === 0 ? 0 : 100}`,
          }[what];
          // What is renamed may come upon one of before.
          return `BEGIN ${sql}; EXCEPTION WHEN unique_violation THEN NULL; END;`;
        });
        await ground().sql(`DO $do$ BEGIN ${statements.join(' ')} END $do$`);
        await run(plan);
        const source = (await ground().rows(from)).map(([no, name, , price]) => `${no} ${name} ${price}`).sort();
        const target = (await ground().rows(to)).map(([id, ...rest]) => [id!.split('/')[0], ...rest].join(' ')).sort();
        expect(target).toEqual(source);
      }),
      { numRuns: 4 },
    );
  });

  it('is refused where it can’t be told', async () => {
    const { mapping } = await table('no integer, at date, name text, price numeric(8,2)', {}, false);
    await expect(loads.planOf(mapping, step)).rejects.toThrow('has no primary key');
    const keyed = await table();
    const within = { id: 'e', kind: 'each', over: { list: ['a'], as: 'x' }, parallel: 1 };
    const inner = { ...step, id: 'i', kind: 'mapping', mapping: keyed.mapping };
    await expect(loads.plan([{ ...within, steps: [inner] }])).rejects.toThrow('worked off once');
    const file = await loads.make({});
    await expect(loads.planOf(file.mapping, step)).rejects.toThrow('written down by databases only');
  });
}

describe('what a database of ours wrote down by triggers', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '7', VERSICLE_TIDY_SECONDS: '1' });
    await server.connect();
  });
  afterAll(() => server.close());
  const loads = new Loads(() => server);
  const ground: Ground = {
    get server() {
      return server;
    },
    system: 'store',
    // One statement is one run of a plan.
    sql: (text) =>
      loads.statement(text.includes('; ') && !text.startsWith('DO') ? `DO $do$ BEGIN ${text}; END $do$` : text),
    rows: (table) => server.rows(table),
  };
  tells(() => ground);

  it('is not written down any more when no plan asks for it', async () => {
    await loads.statement('CREATE TABLE watched (no integer PRIMARY KEY, name text, price text)');
    await loads.statement("INSERT INTO watched VALUES (1, 'Bell', '1')");
    await loads.statement(
      "CREATE VIEW triggers_of_watched AS SELECT tgname::text FROM pg_trigger WHERE tgrelid = 'watched'::regclass AND NOT tgisinternal",
    );
    const { mapping } = await loads.make({}, { source: { primary: { alias: 'i', dataset: 'store/watched' } } });
    const plan = await loads.planOf(mapping, { changes: 'captured' });
    await server.run(plan);
    const triggers = (): Promise<(string | null)[][]> => server.rows('triggers_of_watched');
    expect(await triggers()).toHaveLength(2);
    const { document } = await server.api('getPlan', 'GET', `/plans/${plan}`);
    const steps = document.steps.map((s) => ({ ...s, changes: 'all' }));
    await server.api('changePlan', 'PUT', `/plans/${plan}`, { document: { ...document, steps } });
    for (let tries = 0; tries < 100 && (await triggers()).length > 0; tries++)
      await new Promise((r) => setTimeout(r, 100));
    expect(await triggers()).toEqual([]);
  });

  it('never stands in the way of whoever writes: a renamed key makes all of them looked at', async () => {
    await loads.statement('CREATE TABLE renamed (no integer PRIMARY KEY, name text, price text)');
    await loads.statement("INSERT INTO renamed VALUES (1, 'Bell', '1')");
    const { mapping } = await loads.make({}, { source: { primary: { alias: 'i', dataset: 'store/renamed' } } });
    const plan = await loads.planOf(mapping, { changes: 'captured' });
    await server.run(plan);
    await loads.statement('ALTER TABLE renamed RENAME COLUMN no TO nr');
    await loads.statement("INSERT INTO renamed VALUES (2, 'Lamp', '2')");
    await loads.statement('ALTER TABLE renamed RENAME COLUMN nr TO no');
    const all = await server.run(plan);
    expect(all.counts).toMatchObject({ read: 2, unchanged: 1, delivered: 1 });
  });
});

const withServer = postgresPrograms() === null ? describe.skip : describe;
for (const capture of ['triggers', 'log'])
  withServer(`what a PostgreSQL server wrote down by ${capture}`, () => {
    let ledger: PostgresServer;
    let server: RunningServer;
    beforeAll(async () => {
      ledger = await PostgresServer.start({ logical: capture === 'log' });
      server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '7', VERSICLE_TIDY_SECONDS: '1' });
      await server.connect();
      const connection = {
        kind: 'postgres',
        host: '127.0.0.1',
        port: ledger.port,
        database: 'postgres',
        user: 'ledger',
        password: PostgresServer.password,
        capture,
      };
      await server.api('createSystem', 'POST', '/systems', { id: 'pg', name: 'Ledger', connection } as never);
    });
    afterAll(async () => {
      await server.close();
      await ledger.stop();
    });
    const ground: Ground = {
      get server() {
        return server;
      },
      system: 'pg',
      sql: (text) => ledger.query(text),
      rows: async (table) =>
        table.startsWith('target')
          ? server.rows(table)
          : (await ledger.query(`SELECT * FROM ${table}`)).map((r) => Object.values(r).map((v) => String(v))),
    };
    tells(() => ground);
    const loads = new Loads(() => server);

    it('does not lose what commits later than what began after it', async () => {
      await ledger.query('CREATE TABLE late (no integer PRIMARY KEY, name text, price text)');
      const { mapping, table } = await loads.make({}, { source: { primary: { alias: 'i', dataset: 'pg/late' } } });
      const plan = await loads.planOf(mapping, { changes: 'captured' });
      await server.run(plan);
      const { port } = ledger;
      const who = { user: 'ledger', password: PostgresServer.password, ssl: false, label: 'ledger' } as const;
      const writer = new ServerDatabase({ host: '127.0.0.1', port, database: 'postgres', ...who });
      try {
        await writer.inTransaction(async (session) => {
          await session.query("INSERT INTO late VALUES (1, 'Bell', '1')");
          await ledger.query("INSERT INTO late VALUES (2, 'Lamp', '2')");
          expect(counts(await server.run(plan))).toMatchObject({ read: 1, delivered: 1 });
        });
        expect(counts(await server.run(plan))).toMatchObject({ read: 1, delivered: 1 });
        expect((await server.rows(table)).map(([no]) => no).sort()).toEqual(['1', '2']);
      } finally {
        await writer.close();
      }
    });

    it('ends as it should after a kill between telling what is gone and the end', async () => {
      await ledger.query('CREATE TABLE ends (no integer PRIMARY KEY, name text, price text)');
      await ledger.query("INSERT INTO ends SELECT n, 'Bell', '1' FROM generate_series(1, 40) AS n");
      const { mapping, table } = await loads.make({}, { source: { primary: { alias: 'i', dataset: 'pg/ends' } } });
      const plan = await loads.planOf(mapping, { changes: 'captured', vanished: 'delete', removesAtMost: 1 });
      await server.run(plan);
      await ledger.query("UPDATE ends SET price = '2' WHERE no > 5; DELETE FROM ends WHERE no = 1");
      const gone = async (id: number): Promise<number> =>
        (await server.api('getRun', 'GET', `/runs/${id}`)).gone?.done ?? 0;
      const { port } = ledger;
      const who = { user: 'ledger', password: PostgresServer.password, ssl: false, label: 'ledger' } as const;
      const other = new ServerDatabase({ host: '127.0.0.1', port, database: 'postgres', ...who });
      try {
        const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
        while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.delivered === 0);
        // What it has worked off can't be confirmed as long as somebody holds that (by triggers).
        await other.inTransaction(async (session) => {
          if (capture === 'triggers') await session.query('LOCK TABLE versicle.captured IN ACCESS EXCLUSIVE MODE');
          while ((await gone(run)) === 0);
          await new Promise((resolve) => setTimeout(resolve, 300));
          await server.restart('SIGKILL');
        });
        const ended = await server.ended(run);
        expect(counts(ended)).toMatchObject({ read: 35, delivered: 35 });
        expect(ended.gone).toMatchObject({ done: 1 });
        expect(await server.rows(table)).toHaveLength(39);
        expect(counts(await server.run(plan))).toMatchObject({ read: 0 });
      } finally {
        await other.close();
      }
    });

    it('says how to let it be written down', async () => {
      const { connection } = await server.api('getSystem', 'GET', '/systems/pg');
      await ledger.query('CREATE TABLE told (no integer PRIMARY KEY, name text, price text)');
      const { mapping } = await loads.make({}, { source: { primary: { alias: 'i', dataset: 'pg/told' } } });
      const plan = await loads.planOf(mapping, { changes: 'captured' });
      await server.run(plan);
      const put = (how: string): Promise<unknown> =>
        server.api('changeSystem', 'PUT', '/systems/pg', {
          name: 'Ledger',
          connection: { ...connection, password: PostgresServer.password, capture: how },
        } as never);
      await put('no');
      await expect(loads.planOf(mapping, { changes: 'captured' })).rejects.toThrow('writes down nothing');
      expect((await server.run(plan)).error).toContain('writes down nothing of what changes');
      // Nothing lies there for nobody.
      const left = async (): Promise<number> =>
        (
          await ledger.query(
            "SELECT 1 FROM pg_replication_slots UNION ALL SELECT 1 FROM pg_trigger WHERE tgname LIKE 'versicle%'",
          )
        ).length;
      await ledger.query("INSERT INTO told VALUES (1, 'Bell', '1')");
      for (let tries = 0; tries < 100 && (await left()) > 0; tries++) await new Promise((r) => setTimeout(r, 100));
      expect(await left()).toBe(0);
      await put(capture === 'log' ? 'triggers' : 'log');
      if (capture === 'log') expect(counts(await server.run(plan))).toMatchObject({ read: 1, delivered: 1 });
      else expect((await server.run(plan)).error).toContain('its wal_level is replica');
    });
  });
