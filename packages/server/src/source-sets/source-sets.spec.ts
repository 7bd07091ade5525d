import type { TrialState } from '@versicle/contract';
import { RunningServer } from '../testing/running-server.ts';

const TARGET = {
  dataset: 'store/member_plan',
  key: ['no'],
  fields: [
    { name: 'no', type: 'varchar(9)', required: true },
    { name: 'plan', type: 'varchar(20)' },
    { name: 'price', type: 'numeric(8,2)' },
  ],
};
const LINES = [
  { id: 'l1', target: 'no', kind: 'straight', source: 'm.no' },
  { id: 'l2', target: 'plan', kind: 'rule', rule: 'upper(t.label)' },
  { id: 'l3', target: 'price', kind: 'rule', rule: "parse_number(t.price, ',')" },
];
const JOIN = { alias: 't', dataset: 'files/tariffs.csv', kind: 'left', on: 't.code = m.tariff' };
const SOURCE = { primary: { alias: 'm', dataset: 'files/members.csv' }, joins: [JOIN] };
const document = (source: object = {}, rest: object = {}): Record<string, unknown> => ({
  versicle: 1,
  name: 'Members with their plan',
  source: { ...SOURCE, ...source },
  target: TARGET,
  lines: LINES,
  write: { mode: 'upsert' },
  ...rest,
});

describe('source sets of several datasets', () => {
  let server: RunningServer;
  const begin = async (doc: object): Promise<string> =>
    (await server.api('createMapping', 'POST', '/mappings', { document: doc })).id;
  const tried = async (id: string): Promise<TrialState> => {
    await server.api('startTrial', 'POST', `/mappings/${id}/trial`, { rowLimit: null });
    for (;;) {
      const trial = await server.api('getTrial', 'GET', `/mappings/${id}/trial`);
      if (trial.state !== 'running') return trial;
      await new Promise((r) => setTimeout(r, 50));
    }
  };
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    server.file('members.csv', 'no,name,tariff,state\n1,Ann,A,\n2,Bo,B,gone\n3,Cy,C,\n4,Di,A,\n5,Ed,X,\n');
    server.file('tariffs.csv', 'code;label;price\nA;monthly;12,50\nB;yearly;100,00\nX;odd;free\nZ;unused;1,00\n');
  });
  afterAll(() => server.close());

  it('runs over joined records, says how they came about, and files failures with the fields of both', async () => {
    const { mapping, plan } = await server.mapping(document({ filter: "m.state IS DISTINCT FROM 'gone'" }));
    const run = await server.run(plan);
    expect(run).toMatchObject({ state: 'finished', counts: { read: 4, failed: 1, delivered: 3 } });
    expect(run.log.map((l) => l.message)).toContain(
      '5 read + 0 multiplied = 0 unmatched + 1 filtered + 0 folded + 4 records',
    );
    expect(await server.rows('member_plan')).toEqual([
      ['1', 'MONTHLY', '12.50'],
      ['3', null, null],
      ['4', 'MONTHLY', '12.50'],
    ]);
    const [failed] = await server.api('listFailures', 'GET', `/failures?mapping=${mapping}`);
    const detail = await server.api('getFailure', 'GET', `/failures/${failed!.id}`);
    expect(detail).toMatchObject({ row: 5, line: 'l3', failures: [{ values: { 't.price': 'free' } }] });
    expect(detail.source).toContainEqual({ name: 't.label', value: 'odd' });
    expect(detail.source.map((f) => f.name)).not.toContain('_row');
    // Sent again through a mended rule, it needs no join.
    const { document: draft, version } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    const lines = draft.lines.map((l) =>
      l.id === 'l3' ? { ...l, rule: "try_cast(replace(t.price, ',', '.'), 'numeric')" } : l,
    );
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, { document: { ...draft, lines }, version });
    await server.api('publish', 'POST', `/mappings/${mapping}/publish`, {});
    const { run: replay } = await server.api('replay', 'POST', '/failures/replay', { ids: [failed!.id] });
    expect(await server.ended(replay)).toMatchObject({ state: 'finished', counts: { delivered: 1 } });
  });
  it('does not send records again whose fields are others since the source set was changed', async () => {
    const lines = [LINES[0]!, { id: 'l2', target: 'plan', kind: 'rule', rule: "fail('not yet')" }];
    const doc = document({ joins: [] }, { name: 'Joined later', target: { ...TARGET, dataset: 'store/later' }, lines });
    const { mapping, plan } = await server.mapping(doc);
    await server.run(plan);
    const { version } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, {
      document: document({}, { name: 'Joined later', target: { ...TARGET, dataset: 'store/later' } }),
      version,
    });
    await server.api('publish', 'POST', `/mappings/${mapping}/publish`, {});
    const [failed] = await server.api('listFailures', 'GET', `/failures?mapping=${mapping}`);
    const { run } = await server.api('replay', 'POST', '/failures/replay', { ids: [failed!.id] });
    const ended = await server.ended(run);
    expect(ended).toMatchObject({ state: 'broken' });
    expect(ended.error).toMatch(/read before the source set was changed/);
    expect(await server.api('listFailures', 'GET', `/failures?mapping=${mapping}`)).toHaveLength(5);
  });
  it('files a record that the filter can’t judge under the filter, and goes on', async () => {
    const filter = "parse_number(t.price, ',') > 20 OR m.no = '1'";
    const target = { ...TARGET, dataset: 'store/judged' };
    const { mapping, plan } = await server.mapping(
      document({ filter }, { name: 'Judged', target, lines: LINES.slice(0, 2) }),
    );
    const run = await server.run(plan);
    expect(run).toMatchObject({ state: 'finished', counts: { read: 5, filtered: 2, failed: 1, delivered: 2 } });
    expect(run.log.map((l) => l.message).join()).toContain("PostgreSQL can't work out the filter for every record");
    expect((await server.rows('judged')).map((r) => r[0])).toEqual(['1', '2']);
    const [failed] = await server.api('listFailures', 'GET', `/failures?mapping=${mapping}`);
    const detail = await server.api('getFailure', 'GET', `/failures/${failed!.id}`);
    expect(detail).toMatchObject({ row: 5, failures: [{ line: 'source.filter', values: { 't.price': 'free' } }] });
    // A filter that judges it: sent again, it is left out.
    const { document: draft, version } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    const mended = { ...draft.source, filter: "try_cast(replace(t.price, ',', '.'), 'numeric') > 20 OR m.no = '1'" };
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, {
      document: { ...draft, source: mended },
      version,
    });
    await server.api('publish', 'POST', `/mappings/${mapping}/publish`, {});
    const { run: replay } = await server.api('replay', 'POST', '/failures/replay', { ids: [failed!.id] });
    expect(await server.ended(replay)).toMatchObject({ state: 'finished', counts: { filtered: 1, delivered: 0 } });
    // A trial shows the same, stage by stage.
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, { document: draft, version: version + 1 });
    const { report } = await tried(mapping);
    expect(report!.counts).toMatchObject({ read: 5, filtered: 2, failed: 1 });
    expect(report!.stages.find((s) => s.name === 'filter')).toMatchObject({ off: 3 });
  });
  it('groups, with aggregates, and sorts', async () => {
    const { plan } = await server.mapping(
      document(
        { groupBy: ['t.label'], orderBy: ['count(*) DESC', 't.label'] },
        {
          name: 'Plans in use',
          target: {
            dataset: 'store/plan_use',
            key: [],
            fields: [
              { name: 'n', type: 'bigint' },
              { name: 'plan', type: 'text' },
              { name: 'who', type: 'text' },
            ],
          },
          lines: [
            { id: 'l1', target: 'n', kind: 'rule', rule: 'count(*)' },
            { id: 'l2', target: 'plan', kind: 'straight', source: 't.label' },
            { id: 'l3', target: 'who', kind: 'rule', rule: "string_agg(m.name, ', ' ORDER BY m.name)" },
          ],
          write: { mode: 'insert' },
        },
      ),
    );
    expect(await server.run(plan)).toMatchObject({ state: 'finished', counts: { delivered: 4 } });
    expect(await server.rows('plan_use')).toEqual(
      [
        ['2', 'monthly', 'Ann, Di'],
        ['1', 'odd', 'Ed'],
        ['1', 'yearly', 'Bo'],
        ['1', null, 'Cy'],
      ].sort((a, b) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1)),
    );
  });
  it('puts datasets below one another, and takes one record of each key', async () => {
    server.file('more.csv', 'number,name,tariff\n1,Ann again,A\n9,Flo,B\n');
    const { plan } = await server.mapping(
      document(
        { unions: [{ dataset: 'files/more.csv', columns: { no: 'number' } }], distinctOn: ['m.no'] },
        { name: 'Members of both files', target: { ...TARGET, dataset: 'store/both' }, lines: LINES.slice(0, 2) },
      ),
    );
    expect(await server.run(plan)).toMatchObject({ state: 'finished', counts: { delivered: 6 } });
    const rows = await server.rows('both');
    expect(rows.map((r) => r[0])).toEqual(['1', '2', '3', '4', '5', '9']);
  });
  it('tells what each join finds before anything runs', async () => {
    server.file('twice.csv', 'code;label;price\nA;one;1\nA;two;2\nB;three;3\nQ;nobody;4\n');
    const id = await begin(document({ joins: [{ ...JOIN, dataset: 'files/twice.csv' }] }, { name: 'Doubled' }));
    const [figures] = await server.api('countJoins', 'POST', `/mappings/${id}/source-set/figures`);
    expect(figures).toMatchObject({ left: 5, right: 4, matched: 3, doubled: 2, most: 2, unused: 1, tooMany: false });
    expect(figures!.withoutPartner).toEqual([
      { values: { 'm.tariff': 'C' }, count: 1 },
      { values: { 'm.tariff': 'X' }, count: 1 },
    ]);
    expect(figures!.severalPartners).toEqual([{ values: { 'm.tariff': 'A' }, count: 2 }]);
    expect(figures!.unusedExamples).toEqual([{ values: { 't.code': 'Q' }, count: 1 }]);
  });
  it('proposes the keys of a further dataset', async () => {
    const id = await begin(document({ joins: [] }, { name: 'Alone', lines: LINES.slice(0, 1) }));
    const [first] = await server.api('proposeKeys', 'GET', `/mappings/${id}/source-set/keys?dataset=files/tariffs.csv`);
    expect(first).toMatchObject({ on: ':alias.code = m.tariff' });
    expect(first!.reason).toContain('75 % of 4 different values of m.tariff are found in code');
  });
  it('shows sample records as the lines get them, and every stage in a trial', async () => {
    const id = await begin(document({ filter: "m.no <> '2'" }, { name: 'Sampled' }));
    const sample = await server.api('getSample', 'GET', `/mappings/${id}/sample`);
    expect(sample.fields).toEqual(['m.no', 'm.name', 'm.tariff', 'm.state', 't.code', 't.label', 't.price']);
    expect(sample.rows[0]).toMatchObject({
      row: 1,
      file: 'members.csv',
      values: ['1', 'Ann', 'A', null, 'A', 'monthly', '12,50'],
    });
    expect(sample.composed).toMatchObject({ read: 5, filtered: 1, records: 4 });
    const trial = await tried(id);
    expect(trial).toMatchObject({ state: 'done', problem: null });
    expect(trial.report!.stages.map((s) => [s.name, s.on, s.off])).toEqual([
      ['read', 5, 0],
      ['joined', 4, 1],
      ['grouped', 4, 0],
      ['skips', 4, 0],
      ['lines', 3, 1],
      ['checks', 3, 0],
      ['key', 3, 0],
    ]);
    expect(trial.report!.stages[1]!.offRecords[0]!.values[1]).toBe('Bo');
    expect(trial.report!.failures[0]).toMatchObject({ row: 5, line: 'l3' });
  });
  it('asks a database only for the keys that occur', async () => {
    server.file(
      'stock.csv',
      `code;label;price\n${Array.from({ length: 3000 }, (_, i) => `K${i};label ${i};1`).join('\n')}\nA;from the database;7,00\n`,
    );
    const stock = await server.mapping({
      ...document({}, { name: 'Stock' }),
      source: { primary: { alias: 's', dataset: 'files/stock.csv' } },
      target: {
        dataset: 'store/stock',
        key: ['code'],
        fields: ['code', 'label', 'price'].map((name) => ({ name, type: 'text' })),
      },
      lines: ['code', 'label', 'price'].map((name) => ({
        id: name,
        target: name,
        kind: 'straight',
        source: `s.${name}`,
      })),
    });
    await server.run(stock.plan);
    const id = await begin(document({ joins: [{ ...JOIN, dataset: 'store/stock' }] }, { name: 'From a database' }));
    const [figures] = await server.api('countJoins', 'POST', `/mappings/${id}/source-set/figures`);
    expect(figures).toMatchObject({ right: 1, asked: 4, matched: 2 });
  });

  describe('refuses, in a sentence,', () => {
    const join = (alias: string, on: string): object => ({ ...JOIN, alias, on });
    it.each([
      ['an alias that is used twice', [join('m', 'm.code = m.tariff')], /alias “m” is used twice/],
      [
        'a join by a dataset that comes later',
        [join('t', 't.code = u.code'), join('u', 'u.code = m.tariff')],
        /u, which comes later/,
      ],
      [
        'joins that wait for each other',
        [join('t', 't.code = u.code'), join('u', 'u.code = t.code')],
        /neither can come first/,
      ],
      ['a condition without the dataset', [join('t', "m.tariff = 'A'")], /does not name a field of t/],
      [
        'a field that stands in both',
        [JOIN, { ...join('u', 'code = m.tariff'), dataset: 'files/tariffs.csv' }],
        /write t\.code/,
      ],
      ['a condition that is no condition', [join('t', 't.code || m.tariff')], /true or false/],
    ])('%s', async (name, joins, message) => {
      const id = await begin(document({ joins }, { name }));
      const refused = await server.ask('GET', `/api/mappings/${id}/sample`);
      expect(refused.status).toBe(422);
      expect(refused.body.detail).toMatch(message);
    });
    it('a join that explodes', async () => {
      const rows = Array.from({ length: 9000 }, (_, i) => `${i},x,A`).join('\n');
      server.file('same.csv', `no,name,tariff\n${rows}\n`);
      const exploding = { primary: { alias: 'm', dataset: 'files/same.csv' } };
      const pairwise = await begin(
        document(
          { ...exploding, joins: [{ ...join('t', 't.tariff < m.tariff'), dataset: 'files/same.csv' }] },
          { name: 'Pairwise' },
        ),
      );
      const unequal = await server.ask('GET', `/api/mappings/${pairwise}/sample`);
      expect(unequal.status).toBe(200);
      const whole = await server.ask('POST', `/api/mappings/${pairwise}/source-set/figures`);
      expect(whole.body.detail).toMatch(/compares 9,000 × 9,000 records one by one/);
      const many = await begin(
        document(
          { ...exploding, joins: [{ ...join('t', 't.tariff = m.tariff'), dataset: 'files/same.csv' }] },
          { name: 'Many', lines: LINES.slice(0, 1) },
        ),
      );
      const [figures] = await server.api('countJoins', 'POST', `/mappings/${many}/source-set/figures`);
      expect(figures).toMatchObject({ tooMany: true });
      expect((await tried(many)).problem).toMatch(/makes 81,000,000 records/);
    });
    it('unions that share no field', async () => {
      server.file('alien.csv', 'x,y\n1,2\n');
      const id = await begin(
        document({ joins: [], unions: [{ dataset: 'files/alien.csv' }] }, { name: 'Alien', lines: LINES.slice(0, 1) }),
      );
      const refused = await server.ask('GET', `/api/mappings/${id}/sample`);
      expect(refused.body.detail).toMatch(/shares no field/);
    });
  });
});
