import type { JoinFigures } from '@versicle/contract';
import { RunningServer } from '../testing/running-server.ts';
import { Standins } from '../testing/standins.ts';

/** Joins with datasets of an API that can be asked for some of its records. */
describe('an API that finds records by key', () => {
  let standins: Standins;
  let server: RunningServer;
  let count = 0;

  beforeAll(async () => {
    standins = await Standins.start(1050);
    server = await RunningServer.start();
    await server.connect();
    const workshop = { base: standins.url('workshop'), auth: 'basic', user: 'workshop', password: 'spanner' };
    const membership = {
      base: standins.url('membership', '/v2'),
      auth: 'client',
      tokenUrl: standins.url('membership', '/oauth/token'),
      clientId: 'versicle',
      clientSecret: 'larkway-practice',
    };
    for (const [id, connection] of Object.entries({ workshop, membership }))
      await server.ask('POST', '/api/systems', { id, name: id, connection: { kind: 'http', ...connection } });
    const paging = { kind: 'page', parameter: 'page', sizeParameter: 'size', size: 50 };
    const bikes = { path: '/bikes', body: 'xml', records: 'bikes/bike', paging };
    const found = { ...bikes, find: { field: '@id', path: '/bikes/{key}', records: 'bike' } };
    const cursor = { kind: 'cursor', parameter: 'cursor', next: 'paging.next' };
    const members = { path: '/members', records: 'members', paging: cursor };
    const find = { field: 'external_no', path: '/members?external_no={keys}', atOnce: 40 };
    for (const [system, dataset, endpoint] of [
      ['workshop', 'bikes', found],
      ['membership', 'members', { ...members, find }],
    ] as const)
      expect((await settle(system, dataset, endpoint)).status).toBe(200);
  });
  afterAll(async () => {
    await server.close();
    await standins.close();
  });

  const settle = (system: string, dataset: string, endpoint: object) =>
    server.ask('PUT', `/api/systems/${system}/setting`, { dataset, setting: { kind: 'endpoint', endpoint } });
  /** What a join of these keys with a dataset finds, and how many requests that took. */
  const joined = async (
    keys: readonly string[],
    dataset: string,
    field: string,
  ): Promise<JoinFigures & { requests: number }> => {
    server.file(`keys-${++count}.csv`, `no\n${keys.map((k) => `"${k}"`).join('\n')}\n`);
    const { id } = await server.api('createMapping', 'POST', '/mappings', {
      document: {
        versicle: 1,
        name: `Joined ${count}`,
        source: {
          primary: { alias: 'k', dataset: `files/keys-${count}.csv` },
          joins: [{ alias: 'j', dataset, kind: 'left', on: `j."${field}" = k.no` }],
        },
        target: { dataset: 'store/joined', key: ['no'], fields: [{ name: 'no', type: 'text', required: true }] },
        lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 'k.no' }],
        write: { mode: 'upsert' },
      },
    });
    const [system] = dataset.split('/') as ['workshop' | 'membership'];
    const before = await standins.requests(system);
    const [figures] = await server.api('countJoins', 'POST', `/mappings/${id}/source-set/figures`);
    return { ...figures!, requests: (await standins.requests(system)) - before };
  };
  const bikes = (n: number): string[] => Array.from({ length: n }, (_, i) => String(7501 + i).padStart(7, '0'));
  const members = (n: number): string[] => Array.from({ length: n }, (_, i) => `L${String(i + 1).padStart(7, '0')}`);

  it('is asked for one record a request, and one that it does not have is no fault', async () => {
    const some = await joined([...bikes(3), '0009999'], 'workshop/bikes', '@id');
    expect(some).toMatchObject({ asked: 4, right: 3, left: 4, matched: 3 });
    const none = await joined(['0009999'], 'workshop/bikes', '@id');
    expect(none).toMatchObject({ asked: 1, right: 0, matched: 0 });
    expect(some.requests - none.requests).toBe(3);
  });
  it('is asked for several records a request', async () => {
    const few = await joined(members(1), 'membership/members', 'external_no');
    const more = await joined(members(100), 'membership/members', 'external_no');
    expect(more).toMatchObject({ asked: 100, right: 100, matched: 100 });
    // 1,050 members are eleven pages.
    expect(more.requests - few.requests).toBe(2);
  });
  it('is read whole where keys are many, hold commas, or are of another field', async () => {
    expect(await joined(bikes(101), 'workshop/bikes', '@id')).toMatchObject({ asked: null, right: 210, matched: 101 });
    expect(await joined([...members(2), 'A,B'], 'membership/members', 'external_no')).toMatchObject({
      asked: null,
      right: 1050,
      matched: 2,
    });
    expect(await joined(['m-000007'], 'membership/members', 'id')).toMatchObject({
      asked: null,
      right: 1050,
      matched: 1,
    });
  });
  it('must say where the keys go', async () => {
    const refused = await settle('workshop', 'bikes', { path: '/bikes', find: { field: '@id', path: '/bikes' } });
    expect(refused.status).toBe(400);
    expect(JSON.stringify(refused.body)).toContain('must name {key}');
    const find = { field: '@id', path: '/bikes/{key}' };
    const both = await settle('workshop', 'bikes', { path: '/bikes', find, parent: { dataset: 'bikes' } });
    expect(both.status).toBe(400);
    expect(JSON.stringify(both.body)).toContain('can’t be found by key as well');
  });
});
