import { itemsDocument, RunningServer } from '../testing/running-server.ts';

let server: RunningServer;
beforeAll(async () => {
  server = await RunningServer.start();
  await server.connect();
});
afterAll(() => server.close());

const items = (rows: readonly string[]): void => server.file('items.csv', `no,name,price\n${rows.join('\n')}\n`);
const target = (dataset: string, more: object[] = []): object => ({
  ...(itemsDocument()['target'] as { fields: object[] }),
  dataset,
  fields: [...(itemsDocument()['target'] as { fields: object[] }).fields, ...more],
});
const STAMPS = [
  { name: 'load_id', type: 'bigint' },
  { name: 'loaded_at', type: 'timestamptz' },
];
const stampLines = [
  { id: 'l4', target: 'load_id', kind: 'rule', rule: ':run_number' },
  { id: 'l5', target: 'loaded_at', kind: 'rule', rule: ':run_started_at' },
];
const lines = itemsDocument()['lines'] as object[];

describe('new revisions', () => {
  it('are added where a record differs, whichever run stamps it; the ones before end', async () => {
    items(['1,Saddle,"1,00"', '2,Bell,"2,00"', '3,Chain,x']);
    const { plan } = await server.mapping(
      itemsDocument('items.csv', {
        target: target('store/item_history', STAMPS),
        lines: [...lines, ...stampLines],
        write: { mode: 'new revision' },
      }),
    );
    const first = await server.run(plan);
    expect(first.counts).toMatchObject({ read: 3, delivered: 2, failed: 1 });
    expect((await server.run(plan)).counts).toMatchObject({ delivered: 0, unchanged: 2, failed: 1 });
    items(['1,Saddle,"1,50"', '2,Bell,"2,00"', '3,Chain,"3,00"']);
    await server.restart('SIGKILL');
    const third = await server.run(plan);
    expect(third.counts).toMatchObject({ delivered: 2, unchanged: 1, failed: 0 });
    const { fields, rows } = await server.api('getRows', 'GET', '/systems/store/rows?dataset=item_history');
    expect(fields).toEqual(['no', 'name', 'price', 'load_id', 'loaded_at', 'revision', 'valid_from', 'valid_to']);
    const shown = rows.map(({ values: [no, , price, load, , revision, , to] }) => [
      no,
      price,
      load,
      revision,
      to === null,
    ]);
    expect(shown.sort()).toEqual([
      ['1', '1.00', String(first.id), '1', false],
      ['1', '1.50', String(third.id), '2', true],
      ['2', '2.00', String(first.id), '1', true],
      ['3', '3.00', String(third.id), '1', true],
    ]);
  });

  it('are refused where they can’t be kept, before anything is written', async () => {
    const refused = async (patch: object, sql?: string): Promise<string> => {
      if (sql !== undefined) {
        const { id } = await server.api('createPlan', 'POST', '/plans', {
          document: {
            versicle: 1,
            kind: 'plan',
            name: 'Table',
            steps: [{ id: 'make', kind: 'sql', system: 'store', sql }],
          } as never,
        });
        const { run } = await server.api('startPlan', 'POST', `/plans/${id}/start`, {});
        await server.ended(run);
      }
      const { id } = await server.api('createMapping', 'POST', '/mappings', {
        document: itemsDocument('items.csv', { write: { mode: 'new revision' }, ...patch }),
      });
      return (await server.ask('POST', `/api/mappings/${id}/publish`, {})).body.detail as string;
    };
    items(['1,Saddle,"1,00"']);
    expect(await refused({ target: target('files/out.csv') })).toContain('can’t be changed in part');
    expect(await refused({ target: target('store/no_number') }, 'CREATE TABLE no_number (no varchar PRIMARY KEY, name text, price numeric)')).toContain('New revisions are numbered in a field “revision”'); // prettier-ignore
    expect(await refused({ target: target('store/no_key') }, 'CREATE TABLE no_key (no varchar PRIMARY KEY, revision int, name text, price numeric)')).toContain('goes by the key (no, revision)'); // prettier-ignore
    const own = { name: 'revision', type: 'integer' };
    expect(
      await refused({
        target: target('store/own', [own]),
        lines: [...lines, { id: 'l4', target: 'revision', kind: 'constant', value: 1 }],
      }),
    ).toContain('a field that each revision of a record gets by itself');
  });
});

describe('what a run stamps', () => {
  it('makes no other record of one that is compared', async () => {
    items(['1,Saddle,"1,00"', '2,Bell,"2,00"']);
    const { mapping } = await server.mapping(
      itemsDocument('items.csv', { target: target('store/stamped', STAMPS), lines: [...lines, ...stampLines] }),
    );
    const { id: plan } = await server.api('createPlan', 'POST', '/plans', {
      document: {
        versicle: 1,
        kind: 'plan',
        name: 'Stamped',
        steps: [{ id: 'load', kind: 'mapping', mapping, changes: 'compare' }],
      } as never,
    });
    const first = await server.run(plan);
    items(['1,Saddle,"1,00"', '2,Bell,"2,50"']);
    const second = await server.run(plan);
    expect(second.counts).toMatchObject({ unchanged: 1, delivered: 1 });
    expect((await server.rows('stamped')).map((r) => [r[0], r[2], r[3]])).toEqual([
      ['1', '1.00', String(first.id)],
      ['2', '2.50', String(second.id)],
    ]);
  });
});

describe('a database that lets no tables be made', () => {
  it('says so at publishing', async () => {
    await server.api('createSystem', 'POST', '/systems', {
      id: 'closed',
      name: 'Closed',
      connection: { kind: 'embedded', name: 'closed', newTables: 'refused' },
    });
    const { id } = await server.api('createMapping', 'POST', '/mappings', {
      document: itemsDocument('items.csv', { target: target('closed/item') }),
    });
    const { status, body } = await server.ask('POST', `/api/mappings/${id}/publish`, {});
    expect([status, body.detail]).toEqual([422, expect.stringContaining('its settings say that none is made')]);
  });
});
