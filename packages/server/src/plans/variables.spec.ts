import { itemsDocument, RunningServer } from '../testing/running-server.ts';

let server: RunningServer;
beforeAll(async () => {
  server = await RunningServer.start();
  await server.connect();
  server.file('items.csv', 'no,name,price\n1,Saddle,"1,00"\n2,Bell,"2,00"\n3,Chain,"3,00"\n');
  server.file('regions.csv', 'no,region\n1,north\n2,south\n3,north\n');
});
afterAll(() => server.close());

const lines = (name: object): unknown[] => [
  { id: 'l1', target: 'no', kind: 'straight', source: 'i.no' },
  { id: 'l2', target: 'name', ...name },
  { id: 'l3', target: 'price', kind: 'rule', rule: "parse_number(i.price, ',')" },
];
const mappingOf = async (name: string, patch: Record<string, unknown>): Promise<string> => {
  const target = { ...(itemsDocument()['target'] as object), dataset: `store/${name}` };
  const { id } = await server.api('createMapping', 'POST', '/mappings', {
    document: itemsDocument('items.csv', { name, target, ...patch }),
  });
  await server.api('publish', 'POST', `/mappings/${id}/publish`, {});
  return id;
};
const planOf = async (name: string, steps: unknown[], variables: Record<string, string> = {}): Promise<string> =>
  (
    await server.api('createPlan', 'POST', '/plans', {
      document: { versicle: 1, kind: 'plan', name, variables, steps } as never,
    })
  ).id;
const started = async (plan: string, how: object = {}): Promise<Awaited<ReturnType<RunningServer['ended']>>> =>
  server.ended((await server.api('startPlan', 'POST', `/plans/${plan}/start`, how)).run);

describe('variables of a plan', () => {
  it('stand in the rules of its mappings, as the plan says or as one start does', async () => {
    const mapping = await mappingOf('by_name', { lines: lines({ kind: 'rule', rule: "i.name || ' ' || :since" }) });
    const plan = await planOf('By name', [{ id: 'load', kind: 'mapping', mapping }], { since: '{{year}}' });
    const year = String(new Date().getUTCFullYear());
    expect(await server.api('getPlan', 'GET', `/plans/${plan}`)).toMatchObject({
      problems: [],
      variables: [{ name: 'since', value: '{{year}}' }],
    });
    expect((await started(plan)).counts).toMatchObject({ read: 3, delivered: 0, failed: 3 });
    await server.api('changePlan', 'PUT', `/plans/${plan}`, {
      document: {
        versicle: 1,
        kind: 'plan',
        name: 'By name',
        variables: { since: year.slice(2) },
        steps: [{ id: 'load', kind: 'mapping', mapping }],
      } as never,
    });
    await started(plan);
    expect((await server.rows('by_name')).map((r) => r[1])).toEqual([`Saddle ${year.slice(2)}`, `Bell ${year.slice(2)}`, `Chain ${year.slice(2)}`]); // prettier-ignore
    await started(plan, { variables: { since: "'" } });
    expect((await server.rows('by_name')).map((r) => r[1])).toEqual(["Saddle '", "Bell '", "Chain '"]);
  });

  it('stand in joins and filters of composed records, for each item of an each', async () => {
    const mapping = await mappingOf('by_region', {
      source: {
        primary: { alias: 'i', dataset: 'files/items.csv' },
        joins: [{ alias: 'r', dataset: 'files/regions.csv', kind: 'inner', on: 'r.no = i.no AND r.region = :region' }],
      },
      lines: lines({ kind: 'rule', rule: ':region' }),
    });
    const plan = await planOf('By region', [
      {
        id: 'regions',
        kind: 'each',
        over: { list: ['north', 'south', "o'est"], as: 'region' },
        steps: [{ id: 'load', kind: 'mapping', mapping }],
      },
    ]);
    const run = await started(plan);
    expect([run.state, run.error]).toEqual(['finished', null]);
    expect((await server.rows('by_region')).map((r) => [r[0], r[1]])).toEqual([
      ['1', 'north'],
      ['2', 'south'],
      ['3', 'north'],
    ]);
  });

  it('that nobody gives are said on the plan, and asked for at each start; nothing is written without them', async () => {
    const mapping = await mappingOf('asked', { lines: lines({ kind: 'rule', rule: ':region' }) });
    const plan = await server.api('createPlan', 'POST', '/plans', { name: 'Asked', mapping });
    expect(plan).toMatchObject({
      variables: [{ name: 'region', value: null }],
      problems: [{ severity: 'warning', message: expect.stringContaining('ask for :region') }],
    });
    const refused = await server.ask('POST', `/api/plans/${plan.id}/start`, {});
    expect([refused.status, refused.body.detail]).toEqual([422, expect.stringContaining(':region has no value here')]);
    const strange = await server.ask('POST', `/api/plans/${plan.id}/start`, { variables: { regoin: 'north' } });
    expect(strange.body.detail).toContain('Did you mean “region”?');
    expect((await started(plan.id, { variables: { region: 'west' } })).counts).toMatchObject({ delivered: 3 });
    const trial = await server.ask('POST', `/api/mappings/${mapping}/trial`, { rowLimit: null });
    expect(trial.body.detail).toContain(':region has no value here');
  });

  it('go along when failed records are sent again, and are not mixed up', async () => {
    const mapping = await mappingOf('again', {
      lines: lines({ kind: 'rule', rule: ":region || CASE WHEN i.no = '2' THEN fail('not yet') ELSE '' END" }),
    });
    const plan = await server.api('createPlan', 'POST', '/plans', { name: 'Again', mapping });
    await started(plan.id, { variables: { region: 'north' } });
    await started(plan.id, { variables: { region: 'south' } });
    const { document, version } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, {
      version,
      document: { ...document, lines: document.lines.map((l) => (l.id === 'l2' ? { ...l, rule: ':region' } : l)) },
    });
    await server.api('publish', 'POST', `/mappings/${mapping}/publish`, {});
    const records = await server.api('listFailures', 'GET', `/failures?mapping=${mapping}`);
    const sendAgain = async (ids: number[]): Promise<{ status: number; body: { run: number; detail: string } }> =>
      server.ask('POST', '/api/failures/replay', { ids }) as never;
    if (records.length > 1)
      expect((await sendAgain(records.map((r) => r.id))).body.detail).toContain('different values of :region');
    const [one] = records;
    const { body } = await sendAgain([one!.id]);
    expect((await server.ended(body.run)).counts).toMatchObject({ delivered: 1 });
    const detail = await server.api('getFailure', 'GET', `/failures/${one!.id}`);
    const rows = await server.rows('again');
    expect(rows.find((r) => r[0] === '2')![1]).toMatch(/north|south/);
    expect(detail.state).toBe('delivered');
  });
});
