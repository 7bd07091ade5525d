import { createHmac } from 'node:crypto';
import { appendFileSync, existsSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { RunSummary } from '@versicle/contract';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

let server: RunningServer;
beforeAll(async () => {
  server = await RunningServer.start({ VERSICLE_ARRIVALS_MS: '100' });
  await server.connect();
  server.file('items-1.csv', 'no,name,price\n1,Bell,"3,50"\n');
  await server.mapping(itemsDocument('items-*.csv'));
});
afterAll(() => server.close());

async function runsOf(plan: string, count: number): Promise<RunSummary[]> {
  for (;;) {
    const runs = await server.api('listRuns', 'GET', `/runs?plan=${plan}`);
    if (runs.length >= count && runs.every((r) => r.finishedAt !== null)) return runs.reverse();
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
}
const planOf = async (name: string, trigger: object, mapping: string): Promise<string> =>
  (
    await server.api('createPlan', 'POST', '/plans', {
      document: {
        versicle: 1,
        kind: 'plan',
        name,
        triggers: [trigger],
        steps: [{ id: 'a', kind: 'mapping', mapping }],
      } as never,
    })
  ).id;

/** Until a file was taken away, a while after the run that read it has ended. */
async function gone(path: string): Promise<void> {
  for (let i = 0; existsSync(path) && i < 200; i++) await new Promise((resolve) => setTimeout(resolve, 50));
}

describe('files that arrive', () => {
  it('start the plan when they are whole, each once, and are moved when they are worked off', async () => {
    const plan = await planOf(
      'Arrivals',
      { id: 'f', kind: 'file', dataset: 'files/items-*.csv', settled: '2 s', then: 'move:done' },
      'items-to-store',
    );
    const [first] = await runsOf(plan, 1);
    expect(first!.counts).toMatchObject({ read: 1, delivered: 1 });
    // It comes in pieces, each well within two seconds of the one before.
    const path = join(server.folder, 'items-2.csv');
    server.file('items-2.csv', 'no,name,price\n2,Lamp,"7');
    for (const piece of [',00"\n3,Pu', 'mp,"9,00"\n', '4,Saddle,"8,00"\n']) {
      await new Promise((resolve) => setTimeout(resolve, 500));
      expect(await server.api('listRuns', 'GET', `/runs?plan=${plan}`)).toHaveLength(1);
      appendFileSync(path, piece);
    }
    const runs = await runsOf(plan, 2);
    expect(runs[1]!.counts).toMatchObject({ read: 3, delivered: 3, failed: 0 });
    await gone(path);
    expect(readdirSync(join(server.folder, 'done')).sort()).toEqual(['items-1.csv', 'items-2.csv']);
    // The very same name once more, in the middle of which the server is killed.
    server.file('items-2.csv', 'no,name,price\n5,Rack,"1,00"\n');
    await new Promise((resolve) => setTimeout(resolve, 300));
    await server.restart('SIGKILL');
    const again = await runsOf(plan, 3);
    expect(again[2]!.counts).toMatchObject({ read: 1, delivered: 1 });
    await gone(path);
    expect(await server.api('listRuns', 'GET', `/runs?plan=${plan}`)).toHaveLength(3);
    expect(readdirSync(join(server.folder, 'done')).sort()).toEqual(['items-1.csv', 'items-2-2.csv', 'items-2.csv']);
  });

  it('do not wait for a clock that was ahead when they were seen and was set back', async () => {
    const clock = join(server.home, 'clock');
    writeFileSync(clock, '3600000');
    const script = join(__dirname, '../../../../scripts/clock.mjs');
    await server.restart('SIGTERM', { DEMO_CLOCK: clock, NODE_OPTIONS: `--import=${script}` });
    server.file('late-1.csv', 'no,name,price\n1,Bell,"3,50"\n');
    const target = { ...(itemsDocument()['target'] as object), dataset: 'store/late' };
    const { mapping } = await server.mapping(itemsDocument('late-*.csv', { name: 'Late', target }));
    const trigger = { id: 'f', kind: 'file', dataset: 'files/late-*.csv', settled: '1 s' };
    const plan = await planOf('Late', trigger, mapping);
    await runsOf(plan, 1);
    server.file('late-2.csv', 'no,name,price\n2,Lamp,"7,00"\n');
    await new Promise((resolve) => setTimeout(resolve, 500));
    writeFileSync(clock, '0');
    const [, second] = await runsOf(plan, 2);
    expect(second!.counts).toMatchObject({ read: 1, delivered: 1 });
    await server.restart('SIGTERM');
  });

  it('are refused where no step reads them, and where they never come', async () => {
    const reply = (trigger: object) =>
      server.ask('POST', '/api/plans', {
        document: {
          versicle: 1,
          kind: 'plan',
          name: 'No',
          triggers: [trigger],
          steps: [{ id: 'a', kind: 'mapping', mapping: 'items-to-store' }],
        },
      });
    expect(await reply({ id: 'f', kind: 'file', dataset: 'files/other.csv' })).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('No step reads files/other.csv') },
    });
    expect(await reply({ id: 'f', kind: 'file', dataset: 'nowhere/other.csv' })).toMatchObject({ status: 422 });
  });
});

describe('deliveries of a webhook', () => {
  const SECRET = 'a secret of the tests, long enough';
  const send = async (id: string, body: object): Promise<number> => {
    const text = JSON.stringify(body);
    const time = String(Math.floor(Date.now() / 1000));
    const signature = createHmac('sha256', SECRET).update(`${time}.${id}.${text}`).digest('hex');
    const { status } = await server.ask('POST', '/hooks/hook', text, {
      'Content-Type': 'application/json',
      'X-Timestamp': time,
      'X-Delivery-Id': id,
      'X-Signature': signature,
    });
    return status;
  };
  it('are each taken once, those that come meanwhile by the next run', async () => {
    await server.api('createSystem', 'POST', '/systems', {
      id: 'hook',
      name: 'Hook',
      connection: { kind: 'webhook', secret: SECRET },
    });
    const document = itemsDocument('items-*.csv', {
      name: 'Delivered items',
      source: { primary: { alias: 'i', dataset: 'hook/deliveries' } },
      target: { ...(itemsDocument()['target'] as object), dataset: 'store/delivered' },
      write: { mode: 'insert' },
    });
    const item = (n: number): object => ({ no: String(n), name: `Item ${n}`, price: '1,00' });
    expect(await send('d0', item(0))).toBe(202);
    const { mapping } = await server.mapping(document);
    const plan = await planOf('Deliveries', { id: 'd', kind: 'arrival', dataset: 'hook/deliveries' }, mapping);
    await runsOf(plan, 1);
    for (let n = 1; n <= 40; n++) {
      expect(await send(`d${n}`, item(n))).toBe(202);
      if (n === 20) await server.restart('SIGKILL');
    }
    expect(await send('d40', item(40))).toBe(200);
    for (;;) {
      const runs = await runsOf(plan, 2);
      const read = runs.reduce((sum, r) => sum + r.counts.read, 0);
      if (read >= 41) {
        expect(read).toBe(41);
        break;
      }
    }
    expect((await server.rows('delivered')).map((r) => Number(r[0])).sort((a, b) => a - b)).toEqual(
      Array.from({ length: 41 }, (_, n) => n),
    );
  });

  it('are shared out by what they are, each taken once; the rest is kept, whenever the server is killed', async () => {
    const share = async (table: string): Promise<string> => {
      const document = itemsDocument('items-*.csv', {
        name: `Shared to ${table}`,
        source: { primary: { alias: 'i', dataset: 'hook/deliveries' } },
        target: { ...(itemsDocument()['target'] as object), dataset: `store/${table}` },
        write: { mode: 'insert' },
      });
      return (await server.mapping(document)).mapping;
    };
    const by = [
      { when: "d.name = 'join'", mapping: await share('joins') },
      { when: "d.name = 'leave'", mapping: await share('leaves') },
    ];
    const { id: plan } = await server.api('createPlan', 'POST', '/plans', {
      document: {
        versicle: 1,
        kind: 'plan',
        name: 'Shared deliveries',
        triggers: [{ id: 'd', kind: 'arrival', dataset: 'hook/deliveries' }],
        steps: [{ id: 'kinds', kind: 'share', dataset: 'hook/deliveries', by }],
      } as never,
    });
    // What came before the plan was made is its first run's.
    const sum = async (): Promise<Record<'read' | 'delivered' | 'unmatched', number>> => {
      const runs = await runsOf(plan, 1);
      const of = (name: 'read' | 'delivered' | 'unmatched'): number => runs.reduce((n, r) => n + r.counts[name], 0);
      return { read: of('read'), delivered: of('delivered'), unmatched: of('unmatched') };
    };
    const before = (await sum()).read;
    const kinds = ['join', 'leave', 'ask'];
    for (let n = 0; n < 30; n++) {
      expect(await send(`s${n}`, { no: String(n), name: kinds[n % 3], price: '1,00' })).toBe(202);
      if (n % 11 === 10) await server.restart('SIGKILL');
    }
    for (let left = 30; left > 0;) left = 30 + before - (await sum()).read;
    expect(await sum()).toEqual({ read: before + 30, delivered: 20, unmatched: before + 10 });
    for (const [table, first] of [
      ['joins', 0],
      ['leaves', 1],
    ] as const)
      expect((await server.rows(table)).map((r) => Number(r[0])).sort((a, b) => a - b)).toEqual(
        Array.from({ length: 10 }, (_, n) => first + n * 3),
      );
  }, 120_000);
});
