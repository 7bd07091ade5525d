import fc from 'fast-check';
import type { RunDetail } from '@versicle/contract';
import { ItemApi } from '../../testing/item-api.ts';
import { counts, csv, Loads } from '../../testing/loads.ts';
import { itemsDocument, RunningServer } from '../../testing/running-server.ts';

let server: RunningServer;
beforeAll(async () => {
  server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '7' });
  await server.connect();
});
afterAll(() => server.close());

const loads = new Loads(() => server);
const make = loads.make.bind(loads);
const planOf = loads.planOf.bind(loads);
const statement = loads.statement.bind(loads);
const compare = { changes: 'compare' };

describe('only what changed', () => {
  it('is told by what was delivered before, record by record', async () => {
    const { plan, file, table } = await make(compare);
    server.file(file, csv('1,Bell,"3,50"', '2,Lamp,"7,00"', '3,Pump,x'));
    expect(counts(await server.run(plan))).toMatchObject({ read: 3, unchanged: 0, failed: 1, delivered: 2 });
    expect(counts(await server.run(plan))).toMatchObject({ read: 3, unchanged: 2, failed: 1, delivered: 0 });
    // Another way to write the same is no change; another value is.
    server.file(file, csv('1,Bell,"3,5"', '2,Lamp,"7,01"', '3,Pump,"1,00"', '4,Bolt,"2,00"'));
    expect(counts(await server.run(plan))).toMatchObject({ read: 4, unchanged: 1, failed: 0, delivered: 3 });
    expect(await server.rows(table)).toEqual([
      ['1', 'Bell', '3.50'],
      ['2', 'Lamp', '7.01'],
      ['3', 'Pump', '1.00'],
      ['4', 'Bolt', '2.00'],
    ]);
    // What others do to the target is not seen; somebody may want all of it sent once more.
    await statement(`UPDATE ${table} SET name = 'else' WHERE no = '1'`);
    expect(counts(await server.run(plan))).toMatchObject({ unchanged: 4, delivered: 0 });
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, { all: true });
    expect(counts(await server.ended(run))).toMatchObject({ unchanged: 3, delivered: 1 });
  });

  it('keeps in mind what other runs and replays delivered, and not what the target refused', async () => {
    const { mapping, plan, file, table } = await make(compare);
    const whole = await planOf(mapping, {});
    server.file(file, csv('1,Bell,"1,00"', '2,Lamp,"2,00"'));
    await server.run(plan);
    server.file(file, csv('1,Bell,"1,50"', '2,Lamp,x'));
    await server.run(whole);
    // Back to what it was: the target has the newer one.
    server.file(file, csv('1,Bell,"1,00"', '2,Lamp,"2,00"'));
    expect(counts(await server.run(plan))).toMatchObject({ unchanged: 1, delivered: 1 });
    expect(await server.rows(table)).toEqual([
      ['1', 'Bell', '1.00'],
      ['2', 'Lamp', '2.00'],
    ]);
    await statement(`ALTER TABLE ${table} ADD CHECK (price <> 9)`);
    server.file(file, csv('1,Bell,"9,00"', '2,Lamp,"2,00"'));
    expect(counts(await server.run(plan))).toMatchObject({ unchanged: 1, failed: 1, delivered: 0 });
    server.file(file, csv('1,Bell,"1,00"', '2,Lamp,"2,00"'));
    // Nobody knows what the target made of the one that it refused: it is sent.
    await statement(`UPDATE ${table} SET name = 'else'`);
    expect(counts(await server.run(plan))).toMatchObject({ unchanged: 1, delivered: 1 });
  });

  it('is the content, not what is made anew for each record; a line that is new makes all of them changed', async () => {
    const fields = [
      ...(itemsDocument()['target'] as { fields: object[] }).fields,
      { name: 'mark', label: 'Mark', type: 'uuid' },
    ];
    const lines = [...(itemsDocument()['lines'] as object[]), { id: 'l4', target: 'mark', kind: 'generated' }];
    const { mapping, plan, file, document } = await make(compare, { target: { fields }, lines });
    server.file(file, csv('1,Bell,"1,00"', '2,Lamp,"2,00"'));
    await server.run(plan);
    expect(counts(await server.run(plan))).toMatchObject({ unchanged: 2, delivered: 0 });
    const [, second] = lines as { id: string }[];
    const changed = lines.map((l) =>
      l === second ? { id: 'l2', target: 'name', kind: 'rule', rule: 'upper(i.name)' } : l,
    );
    await loads.publish(mapping, { ...document, lines: changed });
    expect(counts(await server.run(plan))).toMatchObject({ unchanged: 0, delivered: 2 });
  });

  it('keeps what there is to be noted of a record that stays as it is', async () => {
    const [no, name, price] = itemsDocument()['lines'] as object[];
    const { plan, file } = await make(compare, { lines: [no, name, { ...price, onFail: 'default', default: '0' }] });
    server.file(file, csv('1,Bell,x', '2,Lamp,"2,00"'));
    const first = await server.run(plan);
    const again = await server.run(plan);
    expect(counts(again)).toMatchObject({ unchanged: 2, delivered: 0 });
    expect([first.counts.remarks, again.counts.remarks]).toEqual([1, 1]);
  });

  it('sends all where a run broke off in the middle and was given up', async () => {
    const { plan, file, table, mapping } = await make(compare);
    const whole = await planOf(mapping, {});
    server.file(file, csv('1,Bell,"1,00"', '2,Lamp,"2,00"'));
    await server.run(plan);
    server.file(file, csv(...Array.from({ length: 150 }, (_, i) => `${i + 1},New,"5,00"`)));
    const { run } = await server.api('startPlan', 'POST', `/plans/${whole}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.delivered === 0);
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    await server.ended(run);
    server.file(file, csv('1,Bell,"1,00"', '2,Lamp,"2,00"'));
    expect(counts(await server.run(plan))).toMatchObject({ unchanged: 0, delivered: 2 });
    expect((await server.rows(table)).slice(0, 1)).toEqual([['1', 'Bell', '1.00']]);
  });

  it('is right after a kill in the middle', async () => {
    const { plan, file, table } = await make(compare);
    const rows = (price: string): string => csv(...Array.from({ length: 150 }, (_, i) => `${i + 1},Bell,"${price}"`));
    server.file(file, rows('1,00'));
    await server.run(plan);
    server.file(file, rows('2,00').replace('9,Bell,"2,00"', '9,Bell,"1,00"'));
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while ((await server.api('getRun', 'GET', `/runs/${run}`)).counts.delivered === 0);
    await server.restart('SIGKILL');
    expect(counts(await server.ended(run))).toMatchObject({ read: 150, unchanged: 1, delivered: 149 });
    expect(counts(await server.run(plan))).toMatchObject({ read: 150, unchanged: 150, delivered: 0 });
    expect((await server.rows(table)).filter(([, , price]) => price !== '2.00')).toEqual([['9', 'Bell', '1.00']]);
  });

  it('leaves a table as all records would, whatever comes, fails and goes in between', async () => {
    const { plan, file, table } = await make(compare);
    const other = await make({});
    const record = fc.record({
      no: fc.integer({ min: 1, max: 12 }),
      name: fc.constantFrom('Bell', 'Lamp', 'a name that is too long'),
      price: fc.constantFrom('1,00', '2,00', 'x'),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(record, { maxLength: 20 }), async (records) => {
        const text = csv(...records.map((r) => `${r.no},${r.name},"${r.price}"`));
        server.file(file, text);
        server.file(other.file, text);
        const [some, all] = [await server.run(plan), await server.run(other.plan)];
        expect(await server.rows(table)).toEqual(await server.rows(other.table));
        const sum = ({ counts }: RunDetail): number[] => [counts.delivered + counts.unchanged, counts.failed];
        expect(sum(some)).toEqual(sum(all));
      }),
      { numRuns: 6 },
    );
  });

  it('is refused where it can’t be told', async () => {
    const keyless = await make({}, { target: { key: [] }, write: { mode: 'append', existing: 'overwrite' } });
    const whole = await make({}, { write: { mode: 'replace', existing: 'overwrite' } });
    await expect(planOf(keyless.mapping, compare)).rejects.toThrow('told by the key of the target');
    await expect(planOf(whole.mapping, compare)).rejects.toThrow('replaces all that its target has');
  });
});

describe('what is new by a field', () => {
  const watermark = { field: 'CAST(i.name AS timestamp)', overlap: '1 h' };
  const target = {
    fields: [
      { name: 'no', label: 'Number', type: 'varchar(8)', nullable: false },
      { name: 'name', label: 'At', type: 'varchar(40)' },
      { name: 'price', label: 'Price', type: 'numeric(8,2)', required: true },
    ],
  };
  const isNew = { changes: 'watermark', watermark };
  const at = (no: number, moment: string): string => `${no},${moment},"1,00"`;

  it('goes on from the highest value, looks back, and always reads what has none', async () => {
    const { plan, file } = await make(isNew, { target });
    const rows = [at(1, '2019-03-01 10:00'), at(2, '2019-03-01 12:00'), at(3, '')];
    server.file(file, csv(...rows));
    const first = await server.run(plan);
    expect(counts(first)).toMatchObject({ read: 3, filtered: 0, delivered: 3 });
    expect(first.log.map((l) => l.message).join('\n')).toContain('nothing says yet up to where');
    server.file(file, csv(...rows, at(4, '2019-03-01 11:30'), at(5, '2019-03-01 09:00'), at(6, '2019-03-01 13:00')));
    const second = await server.run(plan);
    // 4 came late, and is seen by looking back; 5 came later than that.
    expect(counts(second)).toMatchObject({ read: 6, filtered: 2, unchanged: 2, delivered: 2 });
    expect(second.log.map((l) => l.message).join('\n')).toContain(
      'reads what is new: (CAST(i.name AS timestamp)) IS NULL OR',
    );
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, { all: true });
    expect(counts(await server.ended(run))).toMatchObject({ filtered: 0, unchanged: 5, delivered: 1 });
  });

  it('does not close what failed before, and is left out for being older', async () => {
    const { mapping, plan, file } = await make(isNew, { target });
    server.file(file, csv('1,2019-03-01 10:00,x', at(2, '2019-03-05 12:00')));
    await server.run(plan);
    const open = async (): Promise<number> =>
      (await server.api('listFailures', 'GET', `/failures?mapping=${mapping}&state=open`)).length;
    expect(await open()).toBe(1);
    const second = await server.run(plan);
    expect(counts(second)).toMatchObject({ filtered: 1 });
    expect(await open()).toBe(1);
    // A variant's filter is likewise no word on what it leaves out.
    const variants = [{ name: 'some', filters: { load: "i.no = '2'" } }];
    const varied = await planOf(mapping, {}, { variants });
    const { run } = await server.api('startPlan', 'POST', `/plans/${varied}/start`, { variant: 'some' });
    expect(counts(await server.ended(run))).toMatchObject({ filtered: 1 });
    expect(await open()).toBe(1);
    server.file(file, csv(at(1, '2019-03-06 10:00'), at(2, '2019-03-05 12:00')));
    await server.run(plan);
    expect(await open()).toBe(0);
  });

  it('is not hidden by a value that lies ahead, nor by one without end', async () => {
    const { plan, file } = await make(isNew, { target });
    server.file(file, csv(at(1, '2019-03-01 10:00'), at(2, '9999-12-31 00:00'), at(3, 'infinity')));
    await server.run(plan);
    const now = new Date(Date.now() + 60_000).toISOString().slice(0, 19).replace('T', ' ');
    server.file(file, csv(at(1, '2019-03-01 10:00'), at(2, '9999-12-31 00:00'), at(3, 'infinity'), at(4, now)));
    expect(counts(await server.run(plan))).toMatchObject({ filtered: 1, unchanged: 2, delivered: 1 });
  });

  it('does not go on where a run read a part, broke off, or another revision or variable was at work', async () => {
    const { mapping, plan, file, document } = await make(isNew, { target }, { variables: { region: 'north' } });
    const rows = [at(1, '2019-03-02 10:00'), at(2, '2019-03-01 10:00')];
    server.file(file, csv(...rows));
    await server.run(plan, 1);
    expect(counts(await server.run(plan))).toMatchObject({ read: 2, filtered: 0, unchanged: 1, delivered: 1 });
    expect(counts(await server.run(plan))).toMatchObject({ filtered: 1, unchanged: 1 });
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, { variables: { region: 'south' } });
    expect(counts(await server.ended(run))).toMatchObject({ filtered: 0, unchanged: 2 });
    await loads.publish(mapping, { ...document, purpose: 'Another' });
    expect(counts(await server.run(plan))).toMatchObject({ filtered: 0, unchanged: 2 });
  });

  it('is refused where its order says nothing', async () => {
    const broken = async (watermark: object): Promise<string | null> => {
      const { plan, file } = await make({ changes: 'watermark', watermark }, { target });
      server.file(file, csv(at(1, '2019-03-01 10:00')));
      return (await server.run(plan)).error;
    };
    expect(await broken({ field: 'i.name' })).toContain('told by i.name, which is text');
    expect(await broken({ field: 'CAST(i.no AS integer)', overlap: '1 day' })).toContain('no looking back 1 day');
    expect(await broken({ field: 'i.other' })).toContain('other');
  });
});

describe('only what changed, into an API', () => {
  it('sends what is different; what was refused, or waits elsewhere, neither twice nor never', async () => {
    const api = await ItemApi.start();
    try {
      await server.api('createSystem', 'POST', '/systems', {
        id: 'api',
        name: 'API',
        connection: { kind: 'http', base: api.base, auth: 'none' } as never,
      });
      const endpoint = { path: '/items', write: { method: 'POST', path: '/items', batch: 5 } };
      await server.ask('PUT', '/api/systems/api/setting', {
        dataset: 'items',
        setting: { kind: 'endpoint', endpoint },
      });
      const { plan, file } = await make(compare, { target: { dataset: 'api/items' } });
      const row = (no: number, price: string): string => `${no},Bell,"${price}"`;
      server.file(file, csv(row(1, '1,00'), row(2, '13,00'), row(3, '1,00')));
      expect(counts(await server.run(plan))).toMatchObject({ delivered: 2, failed: 1 });
      server.file(file, csv(row(1, '1,00'), row(2, '2,00'), row(3, '3,00'), row(4, '1,00')));
      expect(counts(await server.run(plan))).toMatchObject({ unchanged: 1, delivered: 3, failed: 0 });
      expect(counts(await server.run(plan))).toMatchObject({ unchanged: 4, delivered: 0 });
      expect(api.items.map((i) => `${i['no']} ${i['price']}`)).toEqual(['1 1', '3 1', '2 2', '3 3', '4 1']);
    } finally {
      await api.close();
    }
  });
});
