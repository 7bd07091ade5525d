import { RunningServer } from '../testing/running-server.ts';

describe('key maps', () => {
  let server: RunningServer;
  let bikes: { mapping: string; plan: string };
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    server.file('bikes.csv', 'frame\n0007\n0008\n');
    server.file('trips.csv', 'no,bike\n1,0007\n2,0009\n3,0008\n');
    bikes = await server.mapping({
      versicle: 1,
      name: 'Bikes to store',
      source: { primary: { alias: 'b', dataset: 'files/bikes.csv' } },
      target: { dataset: 'store/bike', key: ['id'], fields: [{ name: 'id', type: 'integer' }] },
      lines: [{ id: 'l1', target: 'id', kind: 'rule', rule: 'b.frame::integer + 100' }],
      write: { mode: 'upsert' },
    });
  });
  afterAll(() => server.close());
  const trips = {
    versicle: 1,
    name: 'Trips to store',
    source: { primary: { alias: 't', dataset: 'files/trips.csv' } },
    target: {
      dataset: 'store/trip',
      key: ['no'],
      fields: [
        { name: 'no', type: 'text' },
        { name: 'bike', type: 'integer' },
      ],
    },
    lines: [
      { id: 'l1', target: 'no', kind: 'straight', source: 't.no' },
      { id: 'l2', target: 'bike', kind: 'rule', rule: "mapped_key('Bikes to store', t.bike)" },
    ],
    write: { mode: 'upsert' },
  };

  it('are filled by deliveries once somebody asks for them, and found by rules', async () => {
    await server.run(bikes.plan);
    expect(await server.api('getKeyMap', 'GET', `/mappings/${bikes.mapping}/keys`)).toMatchObject({
      kept: false,
      keys: 0,
    });
    const { mapping, plan } = await server.mapping(trips);
    await server.run(bikes.plan);
    const map = await server.api('getKeyMap', 'GET', `/mappings/${bikes.mapping}/keys?search=107`);
    expect(map).toMatchObject({
      kept: true,
      keys: 2,
      askedBy: [{ name: 'Trips to store' }],
      found: [{ source: '0007', target: '107' }],
    });
    expect(await server.run(plan)).toMatchObject({ counts: { delivered: 2, failed: 1 } });
    expect(await server.rows('trip')).toEqual([
      ['1', '107'],
      ['3', '108'],
    ]);
    const [failed] = await server.api('listFailures', 'GET', `/failures?mapping=${mapping}`);
    expect(failed).toMatchObject({ cause: 'reference_missing', line: 'l2' });
    const sample = await server.api('getSample', 'GET', `/mappings/${mapping}/sample`);
    expect(sample.keyMaps).toEqual({
      'Bikes to store': [
        ['0007', '107'],
        ['0008', '108'],
      ],
    });
  });
  it('are brought in from a file, and mend what failed', async () => {
    const content = Buffer.from('source;target\n0009;109\n0008;208\n').toString('base64');
    expect(
      await server.api('importKeys', 'POST', `/mappings/${bikes.mapping}/keys`, { fileName: 'keys.csv', content }),
    ).toEqual({ added: 1, changed: 1 });
    const [failed] = await server.api('listFailures', 'GET', '/failures?cause=reference_missing');
    const { run } = await server.api('replay', 'POST', '/failures/replay', { ids: [failed!.id] });
    expect(await server.ended(run)).toMatchObject({ counts: { delivered: 1 } });
  });
  it('of a mapping that there is not are refused before anything runs', async () => {
    const { id } = await server.api('createMapping', 'POST', '/mappings', {
      document: {
        ...trips,
        name: 'Lost',
        lines: [trips.lines[0], { ...trips.lines[1], rule: "mapped_key('Nobody', t.bike)" }],
      },
    });
    const refused = await server.ask('POST', `/api/mappings/${id}/publish`, {});
    expect(refused.body.detail).toMatch(/mapped_key asks for the mapping “Nobody”/);
  });
});
