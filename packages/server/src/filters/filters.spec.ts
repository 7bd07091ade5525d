import { RunningServer } from '../testing/running-server.ts';

describe('filters of a dataset', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    const lines = Array.from({ length: 500 }, (_, i) => `${i},${i % 7 === 0 ? '' : i % 5}`);
    server.file('stays.csv', ['no,rating', ...lines, 'broken'].join('\n'));
    const { plan } = await server.mapping({
      versicle: 1,
      name: 'Stays',
      source: { primary: { alias: 's', dataset: 'files/stays.csv' } },
      target: {
        dataset: 'store/stay',
        key: ['no'],
        fields: [
          { name: 'no', type: 'integer' },
          { name: 'rating', type: 'integer' },
        ],
      },
      lines: [
        { id: 'l1', target: 'no', kind: 'rule', rule: 's.no::integer' },
        { id: 'l2', target: 'rating', kind: 'rule', rule: "NULLIF(s.rating, '')::integer" },
      ],
      write: { mode: 'upsert' },
    });
    await server.run(plan);
  });
  afterAll(() => server.close());
  const ask = (query: string) => server.ask('GET', `/api/systems/${query}`);

  it('count what meets them among all records: of a file record by record, of a table by the database', async () => {
    const met = Array.from({ length: 500 }, (_, i) => i).filter((i) => i % 7 !== 0 && i % 5 === 3).length;
    const file = await server.api('countRows', 'GET', "/systems/files/count?dataset=stays.csv&filter=rating %3D '3'");
    // A record that can't be read meets nothing, and is one all the same.
    expect(file).toEqual({ met, all: 501 });
    const table = await server.api('countRows', 'GET', '/systems/store/count?dataset=stay&filter=rating %3D 3');
    expect(table).toEqual({ met, all: 500 });
    const rows = (query: string) => server.api('getRows', 'GET', `/systems/${query}&limit=500`);
    expect((await rows("files/rows?dataset=stays.csv&filter=rating %3D '3'")).all).toBe(501);
    expect((await rows('store/rows?dataset=stay')).all).toBe(500);
    expect((await rows('store/rows?dataset=stay&filter=rating %3D 3')).all).toBeNull();
    const none = await server.api('countRows', 'GET', '/systems/store/count?dataset=stay&filter=rating IS NULL');
    expect(none.met).toBe(500 - Array.from({ length: 500 }, (_, i) => i).filter((i) => i % 7 !== 0).length);
  });
  it('say why they can’t be used', async () => {
    for (const where of ['files/count?dataset=stays.csv', 'store/count?dataset=stay']) {
      const value = await ask(`${where}&filter=rating`);
      expect(value).toMatchObject({
        status: 422,
        body: { detail: expect.stringContaining('A filter is a condition') },
      });
      const unknown = await ask(`${where}&filter=ratnig IS NULL`);
      expect(unknown.body.detail).toContain('ratnig');
    }
    expect((await ask('nowhere/count?dataset=stay&filter=true')).status).toBe(404);
  });
  it('are kept under names, changed by their name, and forgotten', async () => {
    const keep = (name: string, condition: string) =>
      server.ask('POST', '/api/systems/files/filters', { dataset: 'stays.csv', name, condition });
    expect((await keep('Best', "rating = '5'")).body).toMatchObject([{ name: 'Best', person: 'Ines Marlowe' }]);
    const all = (await keep('all but the best', "rating <> '5'")).body as { id: number; name: string }[];
    expect(all.map((k) => k.name)).toEqual(['all but the best', 'Best']);
    const changed = (await keep('Best', "rating IN ('4', '5')")).body as { name: string; condition: string }[];
    expect(changed.map((k) => k.condition)).toEqual(["rating <> '5'", "rating IN ('4', '5')"]);
    expect((await keep('Broken', "rating = '")).body.detail).toMatch(/^The filter can't be kept: /);
    expect((await keep(' ', 'true')).status).toBe(400);
    expect(await server.api('listFilters', 'GET', '/systems/store/filters?dataset=stay')).toEqual([]);
    await server.api('forgetFilter', 'DELETE', `/filters/${all[0]!.id}`);
    expect((await server.ask('DELETE', `/api/filters/${all[0]!.id}`)).status).toBe(404);
    const left = await server.api('listFilters', 'GET', '/systems/files/filters?dataset=stays.csv');
    expect(left.map((k) => k.name)).toEqual(['Best']);
  });
});
