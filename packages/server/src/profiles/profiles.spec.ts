import type { Knowledge } from '@versicle/contract';
import { RunningServer } from '../testing/running-server.ts';

describe('knowing the data', () => {
  let server: RunningServer;
  const know = async (dataset: string): Promise<Knowledge> =>
    (await server.ask('GET', `/api/systems/files/knowledge?dataset=${dataset}`)).body as Knowledge;
  async function profiled(dataset: string): Promise<Knowledge> {
    await server.api('askProfile', 'POST', '/systems/files/profile', { dataset });
    for (;;) {
      const found = await know(dataset);
      if (found.state !== 'running') return found;
      await new Promise((r) => setTimeout(r, 30));
    }
  }
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    const bikes = Array.from(
      { length: 40 },
      (_, i) => `00${7500 + i};Model ${i % 3};${i === 7 ? '7.5E+03' : '2019-04-03'}`,
    );
    server.file('bikes.csv', `bike;model;bought\n${bikes.join('\n')}\n`);
    const rides = Array.from({ length: 200 }, (_, i) => `R${i};00${7500 + (i % 40)};${i % 10 === 0 ? '' : i}`);
    server.file('rides.csv', `ride;bike;minutes\n${rides.join('\n')}\n`);
  });
  afterAll(() => server.close());

  it('knows nothing before it is asked', async () => {
    expect(await know('bikes.csv')).toMatchObject({ state: 'none', result: null, history: [], lookedOver: null });
  });
  it('profiles all records, and finds keys and what stands out', async () => {
    const { state, result } = await profiled('bikes.csv');
    expect(state).toBe('done');
    expect(result!.profile).toMatchObject({ records: 40, keys: [['bike']] });
    expect(result!.profile.fields[2]!.damages).toEqual([{ what: 'scientific notation', count: 1, example: '7.5E+03' }]);
    expect(result!.quality).toMatchObject({ records: 40, clean: 39 });
    expect(result!.quality.findings[0]).toMatchObject({
      dimension: 'validity',
      field: 'bought',
      rows: [{ row: 8, value: '7.5E+03' }],
    });
  });
  it('profiles a large file in two threads, field by field the same as a small one', async () => {
    const line = (i: number): string => `N${i};${i % 2 === 0 ? 'day ticket, bought at the station' : ''};${i % 50};x`;
    const rows = Array.from({ length: 150_000 }, (_, i) => line(i));
    server.file('large.csv', `no;kind;count;same\n${rows.join('\n')}\n`);
    const { state, result } = await profiled('large.csv');
    expect(state).toBe('done');
    expect(result!.profile).toMatchObject({ records: 150_000, keys: [['no']] });
    expect(result!.profile.fields.map((f) => [f.name, f.filled, f.distinct])).toEqual([
      ['no', 150_000, 150_000],
      ['kind', 75_000, 1],
      ['count', 150_000, 50],
      ['same', 150_000, 1],
    ]);
  });
  it('finds a reference to the key of another dataset', async () => {
    const { result } = await profiled('rides.csv');
    expect(result!.references).toEqual([{ field: 'bike', in: 'files/bikes.csv.bike', share: 1 }]);
  });
  it('tells what the lines of a mapping will have against its records', async () => {
    const { mapping } = await server.mapping({
      versicle: 1,
      name: 'Rides to store',
      source: { primary: { alias: 'r', dataset: 'files/rides.csv' } },
      target: {
        dataset: 'store/ride',
        key: ['ride'],
        fields: [
          { name: 'ride', type: 'varchar(3)', nullable: false },
          { name: 'minutes', type: 'smallint', nullable: false, label: 'Minutes' },
        ],
      },
      lines: [
        { id: 'l1', target: 'ride', kind: 'straight', source: 'r.ride' },
        { id: 'l2', target: 'minutes', kind: 'straight', source: 'r.minutes' },
      ],
      write: { mode: 'upsert' },
    });
    const { ahead, of } = await server.api('targetOutlook', 'GET', `/mappings/${mapping}/target`);
    expect(of).toBe(200);
    expect(ahead).toEqual([
      expect.objectContaining({
        line: 'l1',
        count: 7,
        message: expect.stringContaining('has 4 characters; the field takes 3'),
      }),
      { line: 'l2', number: 2, label: 'Minutes', count: 20, message: 'Minutes is required and came out empty.' },
    ]);
  });
  it('keeps and shows a profile of thousands of fields, and what lines will have against some of them', async () => {
    const names = Array.from({ length: 3000 }, (_, i) => `f${i}`);
    const record = (of: (i: number) => string): string => names.map((_, i) => of(i)).join(';');
    const records = ['one', 'two', 'three'].map((word) => record((i) => (i === 2500 ? word : `${i}`)));
    server.file('wide.csv', `${names.join(';')}\n${records.join('\n')}\n`);
    const { state, result, history } = await profiled('wide.csv');
    expect(state).toBe('done');
    expect(result!.profile.fields.map((f) => f.name)).toEqual(names);
    expect(result!.profile).toMatchObject({ records: 3, keys: [['f2500']] });
    expect(history).toEqual([expect.objectContaining({ records: 3, clean: 3 })]);
    const { mapping } = await server.mapping({
      versicle: 1,
      name: 'Wide to store',
      source: { primary: { alias: 'w', dataset: 'files/wide.csv' } },
      target: { dataset: 'store/wide', key: [], fields: [{ name: 'word', type: 'varchar(3)' }] },
      lines: [{ id: 'l1', target: 'word', kind: 'straight', source: 'w.f2500' }],
      write: { mode: 'insert' },
    });
    const { ahead, of } = await server.api('targetOutlook', 'GET', `/mappings/${mapping}/target`);
    expect(of).toBe(3);
    expect(ahead).toEqual([expect.objectContaining({ line: 'l1', count: 1 })]);
  });
  it('takes checks, refuses wrong ones, and keeps a history', async () => {
    const add = (rule: string): ReturnType<RunningServer['ask']> =>
      server.ask('POST', '/api/systems/files/checks', { dataset: 'rides.csv', rule, message: 'has no minutes' });
    expect((await add('minute IS NOT NULL')).body.detail).toContain('Did you mean minutes');
    expect((await add('minutes')).body.detail).toContain('is a condition');
    const { body } = await add('minutes IS NOT NULL');
    const { result, history, checks } = await profiled('rides.csv');
    expect(checks).toEqual([body]);
    expect(result!.quality).toMatchObject({ records: 200, clean: 180 });
    expect(result!.quality.findings).toEqual([
      expect.objectContaining({
        dimension: 'consistency',
        what: 'has no minutes',
        count: 20,
        filter: 'NOT (minutes IS NOT NULL)',
      }),
    ]);
    // The rule behind the figure finds the very records.
    const { body: rows } = await server.ask(
      'GET',
      `/api/systems/files/rows?dataset=rides.csv&filter=${encodeURIComponent('NOT (minutes IS NOT NULL)')}`,
    );
    expect(rows.rows).toHaveLength(20);
    expect(history.map((h) => h.clean)).toEqual([200, 180]);
    expect(result!.references).toEqual([{ field: 'bike', in: 'files/bikes.csv.bike', share: 1 }]);
    expect((await server.ask('DELETE', `/api/checks/${body.id}`)).status).toBe(200);
    expect((await server.ask('DELETE', `/api/checks/${body.id}`)).status).toBe(404);
  });
  it('is marked as looked over until it changes', async () => {
    await server.ask('PUT', '/api/systems/files/looked-over', { dataset: 'bikes.csv', note: 'fit to be mapped' });
    expect((await know('bikes.csv')).lookedOver).toMatchObject({
      person: 'Ines Marlowe',
      note: 'fit to be mapped',
      stillTrue: true,
    });
    server.file('bikes.csv', 'bike;model;bought\n0007500;A;2019-04-03\n');
    expect((await know('bikes.csv')).lookedOver).toMatchObject({ stillTrue: false });
  });
  it('says why a dataset can not be profiled', async () => {
    const missing = await server.ask('POST', '/api/systems/files/profile', { dataset: 'nothing.csv' });
    expect(missing.body.detail).toContain('nothing.csv');
  });
  it('profiles a table of a database, landed first', async () => {
    server.file('items.csv', 'no;name;price\n1;a;1,50\n2;b;2,00\n');
    const { itemsDocument } = await import('../testing/running-server.ts');
    const { plan } = await server.mapping(itemsDocument());
    await server.run(plan);
    await server.api('askProfile', 'POST', '/systems/store/profile', { dataset: 'item' });
    let found: Knowledge;
    do found = (await server.ask('GET', '/api/systems/store/knowledge?dataset=item')).body as Knowledge;
    while (found.state === 'running');
    expect(found.result!.profile).toMatchObject({ records: 2 });
    expect(found.result!.quality.clean).toBe(2);
  });
});
