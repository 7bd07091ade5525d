import type { RunDetail } from '@versicle/contract';
import { RunningServer, itemsDocument } from '../testing/running-server.ts';

let server: RunningServer;
beforeAll(async () => {
  server = await RunningServer.start();
  await server.connect();
  server.file('items.csv', 'no,name,price\n1,Bell,"3,50"\n2,Lamp,"7,00"\n3,Pump,x\n');
  server.file('parts.csv', 'no,name,price\n1,Nut,"0,10"\n');
  await server.mapping(itemsDocument());
  await server.mapping(
    itemsDocument('parts.csv', {
      name: 'Parts to store',
      target: { ...(itemsDocument()['target'] as object), dataset: 'store/part' },
    }),
  );
});
afterAll(() => server.close());

const load = (id: string, mapping: string, more: object = {}): object => ({ id, kind: 'mapping', mapping, ...more });
const sql = (id: string, text: string, more: object = {}): object => ({
  id,
  kind: 'sql',
  system: 'store',
  sql: text,
  ...more,
});
let made = 0;
async function planOf(steps: object[], more: object = {}): Promise<string> {
  const document = { versicle: 1, kind: 'plan', name: `Plan ${++made}`, steps, ...more };
  return (await server.api('createPlan', 'POST', '/plans', { document })).id;
}
const states = (run: RunDetail): Record<string, string> =>
  Object.fromEntries(run.steps.map((s) => [s.id, s.runs.map((r) => r.state).join(',')]));

describe('a plan of several steps', () => {
  it('carries them out in order, asks conditions, and adds up', async () => {
    const plan = await planOf(
      [
        load('items', 'items-to-store'),
        load('parts', 'parts-to-store', { after: ['items'] }),
        sql('good', 'CREATE TABLE IF NOT EXISTS note AS SELECT {{word}} AS word', {
          after: ['parts'],
          when: 'parts.failed = 0',
        }),
        sql('bad', 'DROP TABLE item', { after: ['items'], when: 'items.failed = 0' }),
        sql('never', 'DROP TABLE item', { after: ['bad'] }),
        sql('after_never', 'DROP TABLE item', { after: ['never'] }),
      ],
      { variables: { word: "it's" } },
    );
    const run = await server.run(plan);
    expect(run.state).toBe('finished');
    expect(states(run)).toEqual({
      items: 'finished',
      parts: 'finished',
      good: 'finished',
      bad: 'left out',
      never: '',
      after_never: '',
    });
    expect(run.counts).toMatchObject({ read: 4, failed: 1, delivered: 3 });
    expect(run.causes).toHaveLength(1);
    expect((await server.rows('note')).flat()).toEqual(["it's"]);
    const listed = await server.api('listRuns', 'GET', `/runs?plan=${plan}`);
    expect(listed.map((r) => r.id)).toEqual([run.id]);
    const within = await server.api('listRuns', 'GET', `/runs?parent=${run.id}`);
    expect(within).toHaveLength(4);
    const failed = await server.api('listFailures', 'GET', `/failures?run=${run.id}&state=any`);
    expect(failed).toHaveLength(1);
    const detail = await server.api('getPlan', 'GET', `/plans/${plan}`);
    expect(detail.sentence).toContain('Items to store');
    expect(detail.lastSteps.map((s) => s.step).sort()).toEqual(['bad', 'good', 'items', 'parts']);
  });

  it('stops after a step that fails, or goes on where it says so', async () => {
    const failing = (onFail?: string): object[] => [
      sql('wrong', 'SELECT 1/0', onFail ? { onFail } : {}),
      load('parts', 'parts-to-store', { after: ['wrong'] }),
    ];
    const stopped = await server.run(await planOf(failing()));
    expect(stopped.state).toBe('broken');
    expect(stopped.error).toMatch(/The step wrong did not end well.*division by zero/);
    expect(states(stopped)).toEqual({ wrong: 'broken', parts: '' });
    const gone = await server.run(await planOf(failing('go on')));
    expect(gone.state).toBe('finished');
    expect(states(gone)).toEqual({ wrong: 'broken', parts: 'finished' });
  });

  it('stops when more fail than it lets, and says so; what was delivered stays', async () => {
    const rows = Array.from({ length: 9000 }, (_, i) => `${i},Item,${i % 10 === 0 ? 'x' : '"1,00"'}`);
    server.file('many.csv', `no,name,price\n${rows.join('\n')}\n`);
    const { mapping } = await server.mapping(
      itemsDocument('many.csv', {
        name: 'Many',
        target: { ...(itemsDocument()['target'] as object), dataset: 'store/many' },
      }),
    );
    const alone = await server.run(await planOf([load('a', mapping)], { stop: { failedShare: 0.05 } }));
    expect(alone.state).toBe('stopped');
    expect(alone.error).toBe('stopped: 200 records of 2,000 failed, and the plan lets 5 % fail at most');
    expect(alone.counts).toMatchObject({ read: 2000, failed: 200, delivered: 1800 });
    const whole = await server.run(
      await planOf([load('a', mapping), sql('b', 'SELECT 1', { after: ['a'] })], { stop: { failed: 500 } }),
    );
    expect(whole.state).toBe('stopped');
    const { broken } = await server.api('today', 'GET', '/today');
    expect(broken.map((r) => r.id)).toEqual(expect.arrayContaining([alone.id, whole.id]));
    expect(whole.error).toContain('600 records failed, and the plan lets 500 fail at most');
    expect(states(whole)['b']).toBe('');
    expect((await server.run(await planOf([load('a', mapping)], { stop: { failedShare: 0.1 } }))).state).toBe(
      'finished',
    );
  });

  it('is taken up again where it broke', async () => {
    const plan = await planOf([
      sql('late', 'INSERT INTO later VALUES (1)'),
      load('parts', 'parts-to-store', { after: ['late'] }),
    ]);
    const broken = await server.run(plan);
    expect(broken.error).toMatch(/later/);
    await server.run(
      await planOf([sql('make', 'CREATE TABLE later (n int)'), sql('no', 'SELECT 1', { after: ['make'] })]),
    );
    await server.api('takeUpRun', 'POST', `/runs/${broken.id}/take-up`);
    const again = await waitFor(async () => {
      const run = await server.api('getRun', 'GET', `/runs/${broken.id}`);
      return run.state === 'finished' ? run : null;
    });
    expect(states(again)).toEqual({ late: 'finished', parts: 'finished' });
    expect(await server.rows('later')).toEqual([['1']]);
  });

  it('goes through the items of a list, some at a time, and through the records of a dataset', async () => {
    const insert = 'INSERT INTO seen SELECT {{place}}, {{who}}';
    await server.run(await planOf([sql('make', 'CREATE TABLE seen (place text, who text)'), sql('n', 'SELECT 1')]));
    const each = (over: object): object => ({
      id: 'all',
      kind: 'each',
      over,
      parallel: 2,
      steps: [sql('put', insert)],
    });
    const run = await server.run(
      await planOf([each({ list: ['Quay', "O'Neill", 'Mill'], as: 'place' })], { variables: { who: 'list' } }),
    );
    expect(run.state).toBe('finished');
    expect(run.steps.map((s) => [s.id, s.depth, s.runs.length])).toEqual([
      ['all', 0, 1],
      ['put', 1, 3],
    ]);
    await server.run(
      await planOf([each({ dataset: 'files/items.csv', fields: { place: 'name' } })], { variables: { who: 'file' } }),
    );
    expect((await server.rows('seen')).map((r) => r.join('/'))).toEqual([
      'Bell/file',
      'Lamp/file',
      'Mill/list',
      "O'Neill/list",
      'Pump/file',
      'Quay/list',
    ]);
    const wrong = await server.run(
      await planOf([each({ dataset: 'files/items.csv', fields: { place: 'nam' } })], { variables: { who: '' } }),
    );
    expect(wrong.error).toMatch(/has no field nam. Did you mean name/);
  });

  it('takes the filter of a variant to the very load that it names, also within an each', async () => {
    const filters = { inner: "i.no = '1'", outer: "i.no = '2'" };
    const plan = await planOf(
      [
        load('outer', 'items-to-store'),
        {
          id: 'all',
          kind: 'each',
          over: { list: ['x'], as: 'v' },
          steps: [load('inner', 'items-to-store')],
          after: ['outer'],
        },
      ],
      { variants: [{ name: 'few', filters }] },
    );
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, { variant: 'few' });
    const ended = await server.ended(run);
    const counts = ended.steps.flatMap((s) =>
      s.kind === 'mapping' ? s.runs.map((r) => [s.id, r.counts.filtered]) : [],
    );
    expect(counts).toEqual([
      ['outer', 2],
      ['inner', 2],
    ]);
    const wrong = {
      versicle: 1,
      kind: 'plan',
      name: 'W',
      steps: [sql('s', 'SELECT 1')],
      variants: [{ name: 'v', filters: { s: 'TRUE' } }],
    };
    expect(await server.ask('POST', '/api/plans', { document: wrong })).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('There is no mapping step “s”') },
    });
  });

  it('carries out another plan as a step, and never itself', async () => {
    const inner = await planOf([sql('a', 'SELECT 1'), load('b', 'parts-to-store', { after: ['a'] })]);
    const outer = await planOf([{ id: 'all', kind: 'plan', plan: inner }, sql('z', 'SELECT 2', { after: ['all'] })]);
    const run = await server.run(outer);
    expect(run.state).toBe('finished');
    expect(run.counts.delivered).toBe(0);
    expect(run.counts.unchanged).toBe(1);
    const document = (await server.api('getPlan', 'GET', `/plans/${inner}`)).document;
    const circle = { ...document, steps: [...document.steps, { id: 'c', kind: 'plan', plan: outer }] };
    expect(await server.ask('PUT', `/api/plans/${inner}`, { document: circle })).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('would never end') },
    });
  });

  it('pauses where it is, and goes on from there', async () => {
    const plan = await planOf([
      sql('a', 'SELECT pg_sleep(0.5)'),
      load('b', 'items-to-store', { after: ['a'] }),
      sql('c', 'SELECT 1', { after: ['b'] }),
    ]);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    await server.api('pauseRun', 'POST', `/runs/${run}/pause`);
    await new Promise((resolve) => setTimeout(resolve, 900));
    const paused = await server.api('getRun', 'GET', `/runs/${run}`);
    expect(paused.state).toBe('paused');
    expect(states(paused)['b']).toBe('');
    await server.restart('SIGKILL');
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect((await server.api('getRun', 'GET', `/runs/${run}`)).state).toBe('paused');
    await server.api('resumeRun', 'POST', `/runs/${run}/resume`);
    const ended = await server.ended(run);
    expect(ended.state).toBe('finished');
    expect(states(ended)).toEqual({ a: 'finished', b: 'finished', c: 'finished' });
    expect(await server.ask('POST', `/api/runs/${run}/resume`)).toMatchObject({ status: 409 });
  });

  it('is cancelled with all that it holds', async () => {
    const plan = await planOf([sql('a', 'SELECT pg_sleep(2)'), sql('b', 'SELECT 1', { after: ['a'] })]);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    const ended = await server.ended(run);
    expect(ended.state).toBe('cancelled');
    expect(states(ended)['b']).toBe('');
  });

  it('goes on where it was after a kill, and does no statement twice', async () => {
    await server.run(await planOf([sql('make', 'CREATE TABLE tally (n serial)'), sql('n', 'SELECT 1')]));
    const steps = [0, 1, 2, 3, 4, 5].map((i) =>
      sql(`s${i}`, 'INSERT INTO tally DEFAULT VALUES', i === 0 ? {} : { after: [`s${i - 1}`] }),
    );
    const plan = await planOf(steps);
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    for (let kills = 0; kills < 3; kills++) {
      await new Promise((resolve) => setTimeout(resolve, 30 + Math.random() * 150));
      await server.restart('SIGKILL');
    }
    const ended = await server.ended(run);
    expect(ended.state).toBe('finished');
    expect(await server.rows('tally')).toHaveLength(6);
  });
});

describe('what starts a plan by itself', () => {
  it('a plan that starts after another one, once', async () => {
    const first = await planOf([load('parts', 'parts-to-store')]);
    const second = await planOf([load('items', 'items-to-store')], {
      triggers: [{ id: 't', kind: 'after', plan: first }],
    });
    const never = await planOf([load('items', 'items-to-store')], {
      triggers: [{ id: 't', kind: 'after', plan: first, on: 'failure' }],
    });
    const run = await server.run(first);
    const [after] = await waitFor(async () => {
      const runs = await server.api('listRuns', 'GET', `/runs?plan=${second}`);
      return runs.length > 0 && runs[0]!.finishedAt !== null ? runs : null;
    });
    expect((await server.api('getRun', 'GET', `/runs/${after!.id}`)).trigger).toBe('t');
    await server.restart('SIGKILL');
    await server.ended(run.id);
    expect(await server.api('listRuns', 'GET', `/runs?plan=${second}`)).toHaveLength(1);
    expect(await server.api('listRuns', 'GET', `/runs?plan=${never}`)).toHaveLength(0);
  });

  it('again and again, so many seconds after it ended, until it is held', async () => {
    const plan = await planOf([load('parts', 'parts-to-store')], {
      triggers: [{ id: 'e', kind: 'every', seconds: 1 }],
    });
    const runs = await waitFor(async () => {
      const found = await server.api('listRuns', 'GET', `/runs?plan=${plan}`);
      return found.length >= 3 ? found : null;
    });
    expect(runs.every((r) => r.startedBy === 'the plan itself')).toBe(true);
    const held = await server.api('holdPlan', 'PUT', `/plans/${plan}/held`, { held: true });
    expect(held.next).toBeNull();
  });

  it('at set times, also those that passed while nothing ran, and leaves out what its plan leaves out', async () => {
    const minutely = (overlap: string): Promise<string> =>
      planOf([sql('a', 'SELECT pg_sleep(1)'), sql('b', 'SELECT 1', { after: ['a'] })], {
        overlap,
        triggers: [{ id: 's', kind: 'schedule', cron: '* * * * *', zone: 'Europe/London', missed: 'each' }],
      });
    const plan = await minutely('wait');
    expect(new Date((await server.api('getPlan', 'GET', `/plans/${plan}`)).next!).getUTCSeconds()).toBe(0);
    // The store believes that three of its times have passed.
    await server.stop('SIGKILL');
    await server.inStore((db) =>
      db.exec(
        `UPDATE plan_trigger SET next = date_trunc('minute', now()) - interval '2 minutes' WHERE plan = '${plan}'`,
      ),
    );
    await server.restart('SIGKILL');
    const runs = await waitFor(async () => {
      const found = await server.api('listRuns', 'GET', `/runs?plan=${plan}`);
      return found.length >= 3 && found.every((r) => r.finishedAt !== null) ? found : null;
    });
    expect(new Set(runs.map((r) => r.state))).toEqual(new Set(['finished']));
    const begun = runs.map((r) => [r.startedAt!, r.finishedAt!]).sort();
    for (const [i, [start]] of begun.entries()) if (i > 0) expect(start! >= begun[i - 1]![1]!).toBe(true);
    await server.api('holdPlan', 'PUT', `/plans/${plan}/held`, { held: true });
  });
});

describe('a plan that is due and can’t be started', () => {
  it('says why, on its page and on Today, until it can be', async () => {
    const { id: mapping } = await server.api('createMapping', 'POST', '/mappings', {
      document: { ...itemsDocument(), name: 'Not published' } as never,
    });
    const plan = await planOf([load('a', mapping)], { triggers: [{ id: 'e', kind: 'every', seconds: 1 }] });
    const stuck = await waitFor(async () => {
      const today = await server.api('today', 'GET', '/today');
      return today.stuck.find((s) => s.id === plan) ?? null;
    });
    expect(stuck.message).toContain('no published revision');
    const detail = await server.api('getPlan', 'GET', `/plans/${plan}`);
    expect(detail.triggers[0]!.problem).toBe(stuck.message);
    // It tries again by itself.
    expect(detail.next).not.toBeNull();
    await server.api('holdPlan', 'PUT', `/plans/${plan}/held`, { held: true });
    expect((await server.api('today', 'GET', '/today')).stuck).toEqual([]);
  });
});

describe('plans as documents', () => {
  it('are kept in versions, and one who saves an older one hears of it', async () => {
    const id = await planOf([load('parts', 'parts-to-store')]);
    const { document, version } = await server.api('getPlan', 'GET', `/plans/${id}`);
    const saved = await server.api('changePlan', 'PUT', `/plans/${id}`, {
      document: { ...document, purpose: 'Nightly' },
      version,
    });
    expect(saved.version).toBe(version + 1);
    expect(await server.ask('PUT', `/api/plans/${id}`, { document, version })).toMatchObject({ status: 409 });
    const versions = await server.api('listPlanVersions', 'GET', `/plans/${id}/versions`);
    expect(versions.map((v) => [v.number, v.document.purpose])).toEqual([
      [2, 'Nightly'],
      [1, undefined],
    ]);
  });
  it.each([
    [{ steps: [load('a', 'nothing')] }, /There is no mapping “nothing”/],
    [{ steps: [load('a', 'parts-to-store', { after: ['a'] })] }, /waits for itself/],
    [{ steps: [load('a', 'parts-to-stor')] }, /Did you mean “parts-to-store”/],
    [{ steps: [load('a', 'parts-to-store', { changes: 'captured' })] }, /written down by databases only/],
    [{ steps: [sql('a', 'SELECT {{nobody}}')] }, /neither a variable of the plan nor a period/],
    [
      { steps: [load('a', 'parts-to-store')], triggers: [{ id: 's', kind: 'schedule', cron: '0 0 31 2 *' }] },
      /never comes/,
    ],
  ])('refuses %#', async (part, message) => {
    const reply = await server.ask('POST', '/api/plans', {
      document: { versicle: 1, kind: 'plan', name: 'No', ...part },
    });
    expect(reply.status).toBe(422);
    expect(reply.body.detail).toMatch(message);
    expect(reply.body.faults.length).toBeGreaterThan(0);
  });
  it('starts with other variables, and only with those that it has', async () => {
    const id = await planOf([sql('a', 'CREATE TABLE {{x}} (n int)'), sql('b', 'SELECT {{region}}')], {
      variables: { region: 'n', x: 'y' },
    }).catch((e: Error) => e.message);
    expect(typeof id).toBe('string');
    expect(await server.ask('POST', `/api/plans/${id}/start`, { variables: { regio: 's' } })).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('Did you mean “region”') },
    });
  });
});

async function waitFor<T>(look: () => Promise<T | null>): Promise<T> {
  for (;;) {
    const found = await look();
    if (found !== null) return found;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}
