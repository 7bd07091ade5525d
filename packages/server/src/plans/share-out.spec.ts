import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { RunDetail, UnmatchedRecords } from '@versicle/contract';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

/** One dataset, read once, whose records go to several mappings. */
describe('records that are shared out', () => {
  let server: RunningServer;
  const mappings: string[] = [];
  beforeAll(async () => {
    server = await RunningServer.start({ VERSICLE_CHUNK_ROWS: '50', VERSICLE_TICK_MS: '100' });
    await server.connect();
    server.file('mixed.csv', 'no,name,price\n');
    for (const table of ['cheap', 'dear', 'named']) {
      const base = itemsDocument('mixed.csv');
      const target = { ...(base['target'] as object), dataset: `store/${table}` };
      mappings.push((await server.mapping({ ...base, name: `To ${table}`, target })).mapping);
    }
  });
  afterAll(() => server.close());

  const [CHEAP, DEAR] = ["parse_number(i.price, ',') < 10", "parse_number(i.price, ',') >= 100"];
  let made = 0;
  const document = (patch: object = {}, more: object = {}): object => ({
    versicle: 1,
    kind: 'plan',
    name: `Shared ${++made}`,
    steps: [
      {
        id: 'kinds',
        kind: 'share',
        dataset: 'files/mixed.csv',
        by: [
          { when: CHEAP, mapping: mappings[0] },
          { when: DEAR, mapping: mappings[1] },
        ],
        ...patch,
      },
    ],
    ...more,
  });
  const planOf = async (patch: object = {}, more: object = {}): Promise<string> =>
    (await server.api('createPlan', 'POST', '/plans', { document: document(patch, more) as never })).id;
  const csv = (...rows: string[]): void => server.file('mixed.csv', `${['no,name,price', ...rows].join('\n')}\n`);
  const shareOf = (run: RunDetail): number => run.steps.find((s) => s.kind === 'share')!.runs[0]!.id;
  const unmatched = (run: number): Promise<UnmatchedRecords> =>
    server.api('listUnmatched', 'GET', `/runs/${run}/unmatched`);
  const nos = async (table: string): Promise<string[]> => (await server.rows(table)).map((r) => String(r[0])).sort();
  const empty = async (): Promise<void> => {
    const sql =
      'CREATE TABLE IF NOT EXISTS cheap (); CREATE TABLE IF NOT EXISTS dear (); CREATE TABLE IF NOT EXISTS named ()';
    for (const statement of [...sql.split('; '), 'DELETE FROM cheap', 'DELETE FROM dear', 'DELETE FROM named']) {
      const steps = [{ id: 'a', kind: 'sql', system: 'store', sql: statement }];
      const plan = { versicle: 1, kind: 'plan', name: `Empty ${++made}`, steps };
      await server.run((await server.api('createPlan', 'POST', '/plans', { document: plan as never })).id);
    }
  };

  it('say what the structure of their source does not know, once for all who share', async () => {
    const lines = ['{"no":"1","name":"Bell","price":"3,50"}', '{"no":"2","name":"Frame","price":"450,00","late":"x"}'];
    // Behind the first megabyte, from which the fields are learned.
    const filler = Array.from({ length: 9000 }, (_, i) => `{"no":"f${i}","name":"Seat","price":"30,00","pad":"${'x'.repeat(90)}"}`); // prettier-ignore
    server.file('mixed.jsonl', [lines[0]!, ...filler, lines[1]!].join('\n'));
    const ids: string[] = [];
    for (const table of ['low', 'high']) {
      const base = itemsDocument('mixed.jsonl');
      const target = { ...(base['target'] as object), dataset: `store/${table}` };
      ids.push((await server.mapping({ ...base, name: `To ${table}`, target })).mapping);
    }
    const by = [
      { when: CHEAP, mapping: ids[0] },
      { when: DEAR, mapping: ids[1] },
    ];
    const run = await server.run(await planOf({ dataset: 'files/mixed.jsonl', by }));
    expect([await nos('low'), await nos('high')]).toEqual([['1'], ['2']]);
    const { log } = await server.api('getRun', 'GET', `/runs/${shareOf(run)}`);
    expect(log.filter((l) => l.level === 'warning').map((l) => l.message)).toEqual([
      '1 record of files/mixed.jsonl has “late”, the first in row 9,002 of mixed.jsonl; the structure of the dataset does not know it, so it was not read',
    ]);
  });
  it('are read as when those who share them were published, whatever a day happens to bring', async () => {
    const all = '[{"no":"1","name":"Bell","price":"3,50"},{"no":"2","name":"Frame","price":"450,00"}]';
    server.file('daily.json', all);
    const ids: string[] = [];
    for (const table of ['less', 'more']) {
      const base = itemsDocument('daily.json');
      const target = { ...(base['target'] as object), dataset: `store/${table}` };
      ids.push((await server.mapping({ ...base, name: `Daily ${table}`, target })).mapping);
      // The second one knows a member that the first does not.
      server.file('daily.json', all.replace('"3,50"', '"3,50","colour":"red"'));
    }
    const by = [
      { when: CHEAP, mapping: ids[0] },
      { when: "i.colour = 'red'", mapping: ids[1] },
    ];
    const plan = await planOf({ dataset: 'files/daily.json', by });
    for (const [content, counts, less, more] of [
      ['[]', { read: 0, unmatched: 0 }, [], []],
      ['[{"no":"3","name":"Seat"}]', { read: 1, unmatched: 1 }, [], []],
      ['[{"no":"4","colour":"red","name":"Lamp","price":"500,00"}]', { read: 1, unmatched: 0 }, [], ['4']],
    ] as const) {
      server.file('daily.json', content);
      const run = await server.run(plan);
      expect(run).toMatchObject({ state: 'finished', counts: { ...counts, failed: 0 } });
      const { log } = await server.api('getRun', 'GET', `/runs/${shareOf(run)}`);
      expect(log.filter((l) => l.level === 'warning')).toEqual([]);
      expect([await nos('less').catch(() => []), await nos('more').catch(() => [])]).toEqual([less, more]);
    }
  });
  it('go each to the first that takes them; what none takes is kept, and shared out again when somebody does', async () => {
    const plan = await planOf();
    csv('1,Bell,"3,50"', '2,Frame,"450,00"', '3,Seat,"30,00"', '4,Odd,many', '5,Lamp,"9,00"');
    const run = await server.run(plan);
    expect(run.counts).toMatchObject({ read: 5, delivered: 3, unmatched: 1, failed: 1, waiting: 0 });
    expect(run.state).toBe('finished');
    expect([await nos('cheap'), await nos('dear')]).toEqual([['1', '5'], ['2']]);
    const share = shareOf(run);
    const left = await unmatched(share);
    expect(left).toMatchObject({ all: 2, open: 2 });
    expect(left.records.map((r) => [r.row, r.source['no'], r.why.slice(0, 8)])).toEqual([
      [3, '3', 'None of '],
      [4, '4', 'Whether '],
    ]);
    expect((await server.api('getRun', 'GET', `/runs/${share}`)).log.map((l) => l.message).join()).toContain(
      '5 records of files/mixed.csv shared out: 2 to To cheap, 1 to To dear, 1 to none, 1 failed',
    );
    // A plan that starts when this one has ended does not start by what a share left.
    const after = [{ id: 'a', kind: 'after', plan, on: 'either' }];
    const steps = [{ id: 'a', kind: 'sql', system: 'store', sql: 'SELECT 1' }];
    const follower = { versicle: 1, kind: 'plan', name: 'Follower', triggers: after, steps };
    const { id: next } = await server.api('createPlan', 'POST', '/plans', { document: follower as never });
    // Nobody takes them yet.
    const both = await Promise.all([1, 2].map(() => server.ask('POST', `/api/runs/${share}/unmatched/share`)));
    expect(both.map((r) => r.status).sort()).toEqual([200, 409]);
    const again = both.find((r) => r.status === 200)!.body as { run: number };
    expect((await server.ended(again.run)).counts).toMatchObject({ read: 2, unmatched: 1, failed: 1, delivered: 0 });
    expect(await unmatched(share)).toMatchObject({ all: 2, open: 0 });
    const [of] = (await server.api('listPlans', 'GET', '/plans')).filter((p) => p.id === plan);
    expect(of!.lastRun).toBe(run.id);
    await new Promise((r) => setTimeout(r, 500));
    expect(await server.api('listRuns', 'GET', `/runs?plan=${next}`)).toEqual([]);
    expect((await server.ask('POST', `/api/runs/${share}/unmatched/share`)).status).toBe(422);
    const { version } = await server.api('getPlan', 'GET', `/plans/${plan}`);
    const by = [
      { when: "i.price ~ '^[0-9,]+$' AND parse_number(i.price, ',') < 100", mapping: mappings[0] },
      { when: 'TRUE', mapping: mappings[2] },
    ];
    const changed = { ...document({ by }), name: 'Shared 1' };
    await server.api('changePlan', 'PUT', `/plans/${plan}`, { document: changed as never, version });
    const third = await server.api('shareAgain', 'POST', `/runs/${again.run}/unmatched/share`);
    // The odd one fails on its mapping's own line now.
    expect((await server.ended(third.run)).counts).toMatchObject({ read: 2, unmatched: 0, failed: 1, delivered: 1 });
    expect(await nos('cheap')).toEqual(['1', '3', '5']);
    expect(readdirSync(join(server.home, 'data', 'landed')).filter((f) => f.includes('share'))).toEqual([]);
  }, 60_000);

  it('go to every one that takes them where the plan says so, and fail where it does not keep what none takes', async () => {
    await empty();
    const plan = await planOf({
      all: true,
      rest: 'fail',
      by: [
        { when: CHEAP, mapping: mappings[0] },
        { when: "i.name LIKE 'B%'", mapping: mappings[2] },
      ],
    });
    csv('1,Bell,"3,50"', '2,Brake,"45,00"', '3,Seat,"30,00"');
    const run = await server.run(plan);
    expect(run.counts).toMatchObject({ read: 4, delivered: 3, unmatched: 0, failed: 1 });
    expect([await nos('cheap'), await nos('named')]).toEqual([['1'], ['1', '2']]);
    const { records } = await unmatched(shareOf(run));
    expect(records.map((r) => r.source['name'])).toEqual(['Seat']);
    // What nothing is for is not begun.
    csv('9,Seat,"30,00"');
    const idle = await server.run(plan);
    expect(idle.steps.map((s) => s.runs[0]?.state)).toEqual(['finished', 'left out', 'left out']);
  }, 60_000);

  it('may be shared out again once more where the second time was cancelled before it began', async () => {
    await empty();
    const plan = await planOf();
    csv('1,Bell,"30,00"', '2,Seat,"40,00"');
    const share = shareOf(await server.run(plan));
    const { version, document: now } = await server.api('getPlan', 'GET', `/plans/${plan}`);
    const { by } = now.steps[0] as never as { by: object[] };
    const changed = { ...now, steps: [{ ...now.steps[0], by: [...by, { when: "i.no = '1'", mapping: mappings[2] }] }] };
    await server.api('changePlan', 'PUT', `/plans/${plan}`, { document: changed as never, version });
    // Something else has the database meanwhile.
    const steps = [{ id: 'a', kind: 'sql', system: 'store', sql: 'SELECT pg_sleep(4)' }];
    const sleeper = { versicle: 1, kind: 'plan', name: 'Sleeper', steps };
    const { id } = await server.api('createPlan', 'POST', '/plans', { document: sleeper as never });
    const asleep = await server.api('startPlan', 'POST', `/plans/${id}/start`, {});
    const { run } = await server.api('shareAgain', 'POST', `/runs/${share}/unmatched/share`);
    const detail = () => server.api('getRun', 'GET', `/runs/${run}`);
    while (!(await detail()).steps.some((s) => s.runs[0]?.state === 'queued'))
      await new Promise((r) => setTimeout(r, 30));
    expect(await unmatched(share)).toMatchObject({ open: 0 });
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    expect(await unmatched(share)).toMatchObject({ all: 2, open: 2 });
    expect((await detail()).counts).toMatchObject({ read: 0, unmatched: 0 });
    await server.ended(asleep.run);
    const third = await server.api('shareAgain', 'POST', `/runs/${share}/unmatched/share`);
    expect((await server.ended(third.run)).counts).toMatchObject({ read: 2, unmatched: 1, delivered: 1 });
    expect(await nos('named')).toEqual(['1']);
  }, 60_000);
  it('arrive once each, whenever the server is killed', async () => {
    await empty();
    const plan = await planOf();
    const rows = Array.from({ length: 900 }, (_, i) => `${i},Thing,"${i % 3 === 0 ? 5 : i % 3 === 1 ? 500 : 50},00"`);
    csv(...rows);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    for (const pause of [150, 400, 900]) {
      await new Promise((r) => setTimeout(r, pause));
      await server.restart('SIGKILL');
      const { counts: c } = await server.api('getRun', 'GET', `/runs/${run}`);
      expect(c.read).toBe(c.filtered + c.skipped + c.unchanged + c.unmatched + c.failed + c.waiting + c.delivered);
    }
    const ended = await server.ended(run);
    expect(ended.counts).toMatchObject({ read: 900, unmatched: 300, failed: 0 });
    expect(ended.counts.delivered + ended.counts.unchanged).toBe(600);
    expect(await nos('cheap')).toEqual(rows.flatMap((_, i) => (i % 3 === 0 ? [String(i)] : [])).sort());
    expect((await nos('dear')).length).toBe(300);
    expect(await unmatched(shareOf(ended))).toMatchObject({ all: 300, open: 300 });
  }, 120_000);

  it('may be the first N only, and have figures for the steps that come after', async () => {
    await empty();
    csv('1,Bell,"3,50"', '2,Seat,"30,00"', '3,Frame,"450,00"');
    const base = document() as { steps: object[] };
    const note = {
      id: 'note',
      kind: 'sql',
      system: 'store',
      sql: "INSERT INTO named (no) VALUES ('noted')",
      after: ['kinds'],
      when: 'kinds.unmatched = 1 AND kinds.delivered = 1',
    };
    const plan = (
      await server.api('createPlan', 'POST', '/plans', { document: { ...base, steps: [...base.steps, note] } as never })
    ).id;
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, { rowLimit: 2 });
    expect((await server.ended(run)).counts).toMatchObject({ read: 2, delivered: 1, unmatched: 1 });
    expect(await nos('named')).toEqual(['noted']);
  }, 60_000);

  it('are kept also where they hold what no database keeps, or what ends lines elsewhere', async () => {
    await empty();
    const plan = await planOf();
    // Where it stands in front, a file is taken for none of text.
    const many = Array.from({ length: 40_000 }, (_, i) => `c${i},Bolt,"3,00"`);
    csv('1,\u2028Bell,"30,00"', ...many, '2,"Se\u0000at","30,00"', '3,"Not \u2029 said');
    const run = await server.run(plan);
    const { records, open, all } = await unmatched(shareOf(run));
    expect(run.counts.read).toBe(run.counts.unmatched + run.counts.failed + run.counts.delivered);
    expect(records.find((r) => r.row === 1)).toMatchObject({ source: { no: '1', name: '\u2028Bell' } });
    expect(records.find((r) => r.row === 40_002)!.why).toMatch(/no database keeps|can’t be read/);
    expect(all).toBe(records.length);
    expect(open).toBeLessThan(all);
  }, 60_000);
  it('are refused where they can’t be meant', async () => {
    const wrong = async (patch: object): Promise<string> =>
      (await server.ask('POST', '/api/plans', { document: document(patch) })).body.detail;
    const by = (when: string): object => ({ by: [{ when, mapping: mappings[0] }] });
    expect(await wrong(by('i.price <'))).toMatch(/./);
    expect(await wrong(by('i.price = o.price'))).toContain('one alias');
    expect(await wrong({ by: [{ when: 'TRUE', mapping: 'nothing' }] })).toContain('no mapping “nothing”');
    expect(await wrong({ dataset: 'files/other.csv' })).toContain('reads files/mixed.csv');
    // What only the records can tell is told by the run.
    const plan = await planOf(by('i.colour = 1'));
    csv('1,Bell,"3,50"');
    const run = await server.run(plan);
    expect(run).toMatchObject({ state: 'broken', error: expect.stringContaining('colour') });
    expect(await planOf(by('i.price')).then((id) => server.run(id))).toMatchObject({
      error: expect.stringContaining('true or false'),
    });
  }, 60_000);
});
