import { existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'csv-parse/sync';
import { ItemApi } from '../testing/item-api.ts';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

describe('what a run keeps besides', () => {
  let server: RunningServer;
  let archive: string;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    archive = join(server.home, 'archive');
    mkdirSync(archive);
    await server.api('createSystem', 'POST', '/systems', {
      id: 'archive',
      name: 'Archive',
      connection: { kind: 'folder', root: archive } as never,
    });
    server.file('items.csv', 'no,name,price\n');
    await server.mapping(itemsDocument());
  });
  afterAll(() => server.close());

  const step = (keep: object, more: object = {}): object => ({
    id: 'load',
    kind: 'mapping',
    mapping: 'items-to-store',
    keep,
    ...more,
  });
  let made = 0;
  const planOf = async (steps: object[], more: object = {}): Promise<string> => {
    const document = { versicle: 1, kind: 'plan', name: `Kept ${++made}`, steps, ...more };
    return (await server.api('createPlan', 'POST', '/plans', { document: document as never })).id;
  };
  const CONTENT = 'no,name,price\n1,Bell,"3,50"\n2,"Lamp,\nbright",x\n3,Pump,y\n';

  it('are the very files that it read, and what failed with the reasons, in folders of its own', async () => {
    const plan = await planOf([step({ read: 'archive/{{region}}/{{run}}', failed: 'archive/errors/{{run}}' })], {
      variables: { region: 'north' },
    });
    server.file('items.csv', CONTENT);
    const run = await server.run(plan);
    expect(run.counts).toMatchObject({ read: 3, delivered: 1, failed: 2 });
    expect(readFileSync(join(archive, 'north', String(run.id), 'items.csv'), 'utf8')).toBe(CONTENT);
    const failed = parse(readFileSync(join(archive, 'errors', String(run.id), 'failed.csv'), 'utf8'), {
      columns: true,
      bom: true,
    });
    expect(failed).toEqual([
      expect.objectContaining({ row: '2', file: 'items.csv', line: 'l3', no: '2', name: 'Lamp,\nbright', price: 'x' }),
      expect.objectContaining({ row: '3', cause: 'rule_error', no: '3' }),
    ]);
    expect(run.log.map((l) => l.message)).toEqual(
      expect.arrayContaining([
        `what is read is kept in archive/north/${run.id}`,
        `2 failed records are kept in archive/errors/${run.id}`,
      ]),
    );
    // Where nothing fails there is no such file.
    server.file('items.csv', 'no,name,price\n1,Bell,"3,50"\n');
    const good = await server.run(plan);
    expect(existsSync(join(archive, 'errors', String(good.id)))).toBe(false);
  });

  it('have names of their own where runs share a folder, and are whole though the server is killed', async () => {
    const plan = await planOf([
      step({ read: 'archive/shared' }),
      step({ read: 'archive/shared' }, { id: 'again', after: ['load'] }),
    ]);
    const rows = Array.from({ length: 3000 }, (_, i) => `${i},Thing,"1,00"`);
    const content = `${['no,name,price', ...rows].join('\n')}\n`;
    server.file('items.csv', content);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    await new Promise((r) => setTimeout(r, 120));
    await server.restart('SIGKILL');
    const { steps } = await server.ended(run);
    const names = steps.map((s) => `items.run-${s.runs[0]!.id}.csv`).sort();
    expect(readdirSync(join(archive, 'shared')).sort()).toEqual(names);
    for (const name of names) expect(readFileSync(join(archive, 'shared', name), 'utf8')).toBe(content);
  });

  it('are the records of an API as they were fetched', async () => {
    const api = await ItemApi.start();
    for (const no of ['1', '2']) api.items.push({ no, name: `One\u2028${no}`, price: '1,00' });
    await server.api('createSystem', 'POST', '/systems', {
      id: 'api',
      name: 'API',
      connection: { kind: 'http', base: api.base } as never,
    });
    await server.ask('PUT', '/api/systems/api/setting', {
      dataset: 'items',
      setting: { kind: 'endpoint', endpoint: { path: '/items' } },
    });
    const source = { primary: { alias: 'i', dataset: 'api/items' } };
    const { mapping } = await server.mapping({ ...itemsDocument(), name: 'Fetched', source });
    const plan = await planOf([{ ...step({ read: 'archive/api/{{run}}' }), mapping }]);
    const run = await server.run(plan);
    const lines = readFileSync(join(archive, 'api', String(run.id), 'records.jsonl'), 'utf8')
      .trimEnd()
      .split('\n');
    expect(lines.map((l) => (JSON.parse(l) as { name: string }).name)).toEqual(['One\u20281', 'One\u20282']);
    await api.close();
  });

  it('stay within their folder, or are refused', async () => {
    const wrong = async (keep: object): Promise<string> => {
      const document = { versicle: 1, kind: 'plan', name: 'Wrong', steps: [step(keep)] };
      return (await server.ask('POST', '/api/plans', { document })).body.detail;
    };
    expect(await wrong({ read: 'archive' })).toContain('no folder of a system');
    expect(await wrong({ read: 'archive/../else' })).toContain('no folder of a system');
    expect(await wrong({ read: 'archiv/x' })).toContain('Did you mean “archive”');
    expect(await wrong({ failed: 'archive/{{colour}}' })).toContain('colour');
    symlinkSync('/tmp', join(archive, 'out'));
    server.file('items.csv', 'no,name,price\n1,Bell,"3,50"\n');
    const run = await server.run(await planOf([step({ read: 'archive/out/{{run}}' })]));
    expect(run).toMatchObject({ state: 'broken', error: expect.stringContaining('leads out') });
    const climbing = await planOf([step({ read: 'archive/{{way}}' })], { variables: { way: '../up' } });
    expect(await server.run(climbing)).toMatchObject({
      state: 'broken',
      error: expect.stringContaining('no folder within'),
    });
    expect(await server.run(await planOf([step({ read: 'store/x' })]))).toMatchObject({
      error: expect.stringContaining('is no folder'),
    });
  });
});
