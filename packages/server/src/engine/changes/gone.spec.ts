import fc from 'fast-check';
import type { RunDetail } from '@versicle/contract';
import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import { counts, csv, Loads } from '../../testing/loads.ts';
import { itemsDocument, RunningServer } from '../../testing/running-server.ts';

let server: RunningServer;
beforeAll(async () => {
  server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '7' });
  await server.connect();
});
afterAll(() => server.close());
const loads = new Loads(() => server);

/** Nobody is asked, whatever goes. */
const deletes = { vanished: 'delete', removesAtMost: 1 };
const row = (no: number, price = '1,00', name = 'Bell'): string => `${no},${name},"${price}"`;
const numbers = (from: number, to: number): number[] => Array.from({ length: to - from + 1 }, (_, i) => from + i);
const rowsOf = (...of: number[]): string => csv(...of.map((no) => row(no)));
const there = async (table: string): Promise<number[]> =>
  (await server.rows(table)).map(([no]) => Number(no)).sort((a, b) => a - b);
const logOf = (run: RunDetail): string => run.log.map((l) => l.message).join('\n');

describe('what is gone from the source', () => {
  it.each(['all', 'compare'])('is deleted where it was delivered before, and nothing else (%s)', async (changes) => {
    const { plan, file, table } = await loads.make({ changes, ...deletes });
    server.file(file, rowsOf(...numbers(1, 20)));
    expect(counts(await server.run(plan))).toMatchObject({ read: 20, delivered: 20 });
    await loads.statement(`INSERT INTO ${table} VALUES ('99', 'by others', 1)`);
    server.file(file, rowsOf(...numbers(3, 21)));
    const second = await server.run(plan);
    expect(counts(second)).toMatchObject({ read: 19, failed: 0 });
    expect(second.gone).toEqual({ how: 'deleted', done: 2, asked: 0 });
    expect(logOf(second)).toContain(
      `2 records that were delivered before are gone from the source, and deleted in store/${table}`,
    );
    expect(second.log.at(-1)!.message).toContain('2 records gone');
    expect(await there(table)).toEqual([...numbers(3, 21), 99]);
    // It comes back, and goes again.
    server.file(file, rowsOf(...numbers(1, 21)));
    expect((await server.run(plan)).gone).toMatchObject({ done: 0 });
    expect(await there(table)).toEqual([...numbers(1, 21), 99]);
    server.file(file, rowsOf(...numbers(2, 21)));
    expect((await server.run(plan)).gone).toMatchObject({ done: 1 });
    expect(await there(table)).toEqual([...numbers(2, 21), 99]);
  });

  it('is marked, with places filled; what comes back is sent as it is', async () => {
    const fields = [
      ...(itemsDocument()['target'] as { fields: object[] }).fields,
      { name: 'left_on', label: 'Left on', type: 'date' },
    ];
    const lines = [
      ...(itemsDocument()['lines'] as object[]),
      { id: 'l4', target: 'left_on', kind: 'rule', rule: 'CAST(NULL AS date)' },
    ];
    const mark = { vanished: { mark: { left_on: '{{today}}', name: 'gone by {{who}}' } }, removesAtMost: 1 };
    const { plan, file, table } = await loads.make(
      { changes: 'compare', ...mark },
      { target: { fields }, lines },
      { variables: { who: 'us' } },
    );
    server.file(file, rowsOf(1, 2, 3));
    await server.run(plan);
    server.file(file, rowsOf(1, 3));
    const run = await server.run(plan);
    expect(run.gone).toEqual({ how: 'marked', done: 1, asked: 0 });
    const today = new Date().toISOString().slice(0, 10);
    expect(await server.rows(table)).toEqual([
      ['1', 'Bell', '1.00', null],
      ['2', 'gone by us', '1.00', today],
      ['3', 'Bell', '1.00', null],
    ]);
    // Marked once: the next run has nothing to do with it.
    expect((await server.run(plan)).gone).toMatchObject({ done: 0 });
    server.file(file, rowsOf(1, 2, 3));
    expect(counts(await server.run(plan))).toMatchObject({ unchanged: 2, delivered: 1 });
    expect((await server.rows(table))[1]).toEqual(['2', 'Bell', '1.00', null]);
  });

  it('is not what a filter or skip leaves out, nor what fails', async () => {
    server.file('left-out.csv', rowsOf(...numbers(1, 9)));
    const { plan, table } = await loads.make(
      { changes: 'compare', ...deletes },
      {
        source: { primary: { alias: 'i', dataset: 'files/left-out.csv' }, filter: "i.name <> 'Filtered'" },
        skips: [
          { id: 's1', when: "i.name = 'Skipped'", reason: 'not wanted' },
          { id: 's2', when: "name = 'Late'", reason: 'not wanted', at: 'mapped' },
        ],
      },
    );
    await server.run(plan);
    server.file(
      'left-out.csv',
      csv(
        row(1),
        row(2, '1,00', 'Filtered'),
        row(3, '1,00', 'Skipped'),
        row(4, '1,00', 'Late'),
        row(5, 'x'),
        row(6, '1,00', 'a name that is too long'),
        'Sum,Filtered,"9,00"',
        row(8),
      ),
    );
    const run = await server.run(plan);
    expect(counts(run)).toMatchObject({ read: 8, failed: 2 });
    expect(run.gone).toMatchObject({ done: 2 });
    expect(await there(table)).toEqual([1, 2, 3, 4, 5, 6, 8]);
  });

  it('can’t be told while a failed record has no key; then it stays', async () => {
    const { plan, file, table } = await loads.make({ ...deletes });
    server.file(file, rowsOf(1, 2, 3));
    await server.run(plan);
    for (const broken of ['a number of too many letters,Bell,"1,00"', '2,"Bell', ',Bell,"1,00"']) {
      server.file(file, csv(row(1), broken));
      const run = await server.run(plan);
      expect(run.counts.failed).toBe(1);
      expect(run.gone).toMatchObject({ done: 0 });
      expect(logOf(run)).toContain('nothing is told gone: the key of 1 failed record can’t be told');
      expect(await there(table)).toEqual([1, 2, 3]);
    }
    server.file(file, rowsOf(1));
    expect((await server.run(plan)).gone).toMatchObject({ done: 2 });
    expect(await there(table)).toEqual([1]);
  });

  it('is asked about where it is more than may go: yes does it, no leaves it to be asked about again', async () => {
    const { plan, file, table } = await loads.make({ changes: 'compare', vanished: 'delete' });
    server.file(file, rowsOf(...numbers(1, 10)));
    await server.run(plan);
    server.file(file, rowsOf(1, 2));
    const asks = await server.run(plan);
    expect(asks).toMatchObject({ state: 'asks', gone: { how: 'deleted', done: 0, asked: 8 } });
    expect(asks.error).toContain('8 records of 10 that were delivered to');
    expect(await there(table)).toHaveLength(10);
    await server.api('cancelRun', 'POST', `/runs/${asks.id}/cancel`);
    expect((await server.ended(asks.id)).state).toBe('cancelled');
    const again = await server.run(plan);
    expect(again).toMatchObject({ state: 'asks', counts: { unchanged: 2 }, gone: { asked: 8 } });
    await server.restart('SIGKILL');
    await server.api('replaceAll', 'POST', `/runs/${again.id}/replace`);
    const done = await server.ended(again.id);
    expect(done).toMatchObject({ state: 'finished', gone: { done: 8, asked: 0 } });
    expect(await there(table)).toEqual([1, 2]);
    // An empty file is a file in which all are gone.
    server.file(file, csv());
    expect((await server.run(plan)).state).toBe('asks');
  });

  it('that came back by a later run is not deleted by a yes to an earlier question', async () => {
    const { mapping, plan, file, table } = await loads.make({ vanished: 'delete' });
    const whole = await loads.planOf(mapping, {});
    server.file(file, rowsOf(1, 2, 3));
    await server.run(plan);
    server.file(file, rowsOf(1));
    const asks = await server.run(plan);
    expect(asks.state).toBe('asks');
    server.file(file, rowsOf(1, 2, 3));
    await server.run(whole);
    await server.api('replaceAll', 'POST', `/runs/${asks.id}/replace`);
    const done = await server.ended(asks.id);
    expect(done).toMatchObject({ state: 'finished', gone: { done: 0 } });
    expect(logOf(done)).toContain('a later run has delivered records of this mapping since');
    expect(await there(table)).toEqual([1, 2, 3]);
  });

  it('is told by whole runs only, and by what the key is now', async () => {
    const { mapping, plan, file, table, document } = await loads.make({ ...deletes });
    server.file(file, rowsOf(1, 2, 3));
    await server.run(plan);
    const part = await server.run(plan, 1);
    expect(part.gone).toMatchObject({ done: 0 });
    expect(logOf(part)).toContain('nothing is told gone: it reads a part of the records');
    const { target } = document as { target: object };
    await loads.statement(`ALTER TABLE ${table} DROP CONSTRAINT ${table}_pkey, ADD UNIQUE (no, name)`);
    await loads.publish(mapping, { ...document, target: { ...target, key: ['no', 'name'] } });
    server.file(file, csv(row(1), row(2, '1,00', 'Lamp')));
    const run = await server.run(plan);
    expect(logOf(run)).toContain('3 records that were delivered before are not known by the key as it is now');
    expect(run.gone).toMatchObject({ done: 0 });
    server.file(file, csv(row(1), row(2, '1,00', 'Pump')));
    expect((await server.run(plan)).gone).toMatchObject({ done: 1 });
    expect(await server.rows(table)).toEqual([
      ['1', 'Bell', '1.00'],
      ['2', 'Bell', '1.00'],
      ['2', 'Pump', '1.00'],
      ['3', 'Bell', '1.00'],
    ]);
  });

  it('is known also after a run that broke off and was given up', async () => {
    const { plan, file, table } = await loads.make({ changes: 'compare', ...deletes });
    server.file(file, rowsOf(...numbers(1, 150)));
    await server.run(plan);
    server.file(file, csv(...numbers(1, 149).map((no) => row(no, '2,00'))));
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.delivered === 0);
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    await server.ended(run);
    expect(await there(table)).toHaveLength(150);
    const next = await server.run(plan);
    // What the cancelled run had changed already the target has as it is.
    expect(next.counts.unchanged + next.counts.delivered).toBe(149);
    expect((await server.rows(table)).filter(([, , price]) => price !== '2.00')).toEqual([]);
    expect(next.gone).toMatchObject({ done: 1 });
    expect(await there(table)).toEqual(numbers(1, 149));
  });

  it('is right after kills in the middle', async () => {
    const { plan, file, table } = await loads.make({ changes: 'compare', ...deletes });
    server.file(file, rowsOf(...numbers(1, 700)));
    await server.run(plan);
    server.file(file, csv(...numbers(1, 60).map((no) => row(no, '2,00'))));
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.delivered === 0);
    await server.restart('SIGKILL');
    while (((await server.api('getRun', 'GET', `/runs/${run}`)).gone?.done ?? 0) === 0)
      if ((await server.api('getRun', 'GET', `/runs/${run}`)).state === 'finished') break;
    await server.restart('SIGKILL');
    const ended = await server.ended(run);
    expect(counts(ended)).toMatchObject({ read: 60, delivered: 60 });
    expect(ended.gone).toMatchObject({ done: 640 });
    expect(await there(table)).toEqual(numbers(1, 60));
  });

  it('leaves the table as replacing its content would, whatever comes and goes', async () => {
    const { plan, file, table } = await loads.make({ changes: 'compare', ...deletes });
    const whole = await loads.make({ removesAtMost: 1 }, { write: { mode: 'replace', existing: 'overwrite' } });
    await fc.assert(
      fc.asyncProperty(
        fc.uniqueArray(fc.record({ no: fc.integer({ min: 1, max: 30 }), price: fc.constantFrom('1,00', '2,00') }), {
          selector: (r) => r.no,
          maxLength: 30,
        }),
        async (records) => {
          const text = csv(...records.map((r) => row(r.no, r.price)));
          server.file(file, text);
          server.file(whole.file, text);
          const [some, all] = [await server.run(plan), await server.run(whole.plan)];
          expect([some.state, all.state]).toEqual(['finished', 'finished']);
          expect(await server.rows(table)).toEqual(await server.rows(whole.table));
        },
      ),
      { numRuns: 4 },
    );
  });

  it('that others refer to stays, and the run says so until it can go', async () => {
    const { plan, file, table } = await loads.make({ ...deletes });
    server.file(file, rowsOf(...numbers(1, 9)));
    await server.run(plan);
    await loads.statement(`CREATE TABLE part_of_${table} (no varchar(8) REFERENCES ${table})`);
    await loads.statement(`INSERT INTO part_of_${table} VALUES ('4')`);
    server.file(file, rowsOf(1, 2));
    const broken = await server.run(plan);
    expect(broken).toMatchObject({ state: 'broken', counts: { unchanged: 2 }, gone: { done: 6 } });
    expect(broken.error).toContain('1 record of 7 that are gone from the source could not be deleted');
    expect(broken.error).toContain('4: ');
    expect(await there(table)).toEqual([1, 2, 4]);
    await loads.statement(`DROP TABLE part_of_${table}`);
    await server.api('takeUpRun', 'POST', `/runs/${broken.id}/take-up`);
    expect(await server.ended(broken.id)).toMatchObject({ state: 'finished', gone: { done: 7 } });
    expect(await there(table)).toEqual([1, 2]);
  });

  it('stays where another mapping delivers it, too', async () => {
    const { plan, file, table } = await loads.make({ ...deletes });
    const other = await loads.make({ ...deletes }, { target: { dataset: `store/${table}` } });
    server.file(file, rowsOf(1, 2, 3));
    server.file(other.file, rowsOf(3, 4));
    await server.run(plan);
    await server.run(other.plan);
    server.file(file, rowsOf(1));
    expect((await server.run(plan)).gone).toMatchObject({ done: 1 });
    expect(await there(table)).toEqual([1, 3, 4]);
  });

  it('is refused where it can’t be told, in a sentence', async () => {
    const { mapping } = await loads.make({});
    const refusal = (step: object, more: object = {}): Promise<string> =>
      loads.planOf(mapping, step, more).then(
        () => 'kept',
        (error: Error) => error.message,
      );
    const watermark = { changes: 'watermark', watermark: { field: 'CAST(i.name AS timestamp)' } };
    expect(await refusal({ ...watermark, ...deletes })).toContain('nothing tells what is gone');
    expect(await refusal({ vanished: { mark: {} } })).toContain('Say which fields are to be set');
    expect(await refusal({ vanished: { mark: { state: 'gone' } } })).toContain('The target has no field “state”');
    expect(await refusal({ vanished: { mark: { no: '1' } } })).toContain('part of the key');
    expect(await refusal({ vanished: { mark: { name: '{{nobody}}' } } })).toContain('neither a variable of the plan');
    const { source } = itemsDocument() as { source: { primary: { dataset: string } } };
    const made = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    const trigger = { id: 't', kind: 'file', dataset: made.document.source.primary.dataset, then: 'move:done' };
    expect(source.primary.dataset).toContain('files/');
    expect(await refusal(deletes, { triggers: [trigger] })).toContain('moved away or marked');
    const keyless = await loads.make({}, { target: { key: [] }, write: { mode: 'append', existing: 'overwrite' } });
    await expect(loads.planOf(keyless.mapping, deletes)).rejects.toThrow('the mapping has none');
    const keeps = await loads.make({}, { write: { mode: 'upsert', existing: 'keep' } });
    await expect(loads.planOf(keeps.mapping, deletes)).rejects.toThrow('leaves records alone');
    const into = await loads.make(
      {},
      { target: { dataset: 'files/out.csv' }, write: { mode: 'append', existing: 'overwrite' } },
    );
    await expect(loads.planOf(into.mapping, deletes)).rejects.toThrow('in databases only');
  });
});

(postgresPrograms() === null ? describe.skip : describe)('what is gone, from a PostgreSQL server', () => {
  it('is deleted by keys of several fields and of types of their own', async () => {
    const ledger = await PostgresServer.start();
    try {
      const connection = {
        kind: 'postgres',
        host: '127.0.0.1',
        port: ledger.port,
        database: 'postgres',
        user: 'ledger',
        password: PostgresServer.password,
      };
      await server.api('createSystem', 'POST', '/systems', { id: 'pg', name: 'Ledger', connection } as never);
      await ledger.query(
        `CREATE TYPE mood AS ENUM ('Bell', 'Lamp'); CREATE TABLE item (no numeric(8,2), name mood, price numeric(8,2), PRIMARY KEY (no, name))`,
      );
      const { plan, file } = await loads.make(
        { changes: 'compare', ...deletes },
        { target: { dataset: 'pg/item', key: ['no', 'name'] } },
      );
      server.file(file, csv(row(1), row(1, '1,00', 'Lamp'), row(2), row(3)));
      expect(counts(await server.run(plan))).toMatchObject({ delivered: 4 });
      server.file(file, csv(row(1, '1,00', 'Lamp'), row(3, '2,00')));
      const run = await server.run(plan);
      expect(counts(run)).toMatchObject({ unchanged: 1, delivered: 1 });
      expect(run.gone).toMatchObject({ done: 2 });
      const left = await ledger.query('SELECT no::text, name::text, price::text FROM item ORDER BY no');
      expect(left.map((r) => Object.values(r).join(' '))).toEqual(['1.00 Lamp 1.00', '3.00 Bell 2.00']);
    } finally {
      await ledger.stop();
    }
  });
});
