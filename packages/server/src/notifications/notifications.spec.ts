import { createServer, type AddressInfo } from 'node:net';
import type { Notification } from '@versicle/contract';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';
import { Standins } from '../testing/standins.ts';
import { sendsAt } from './setting.ts';

describe('quiet hours', () => {
  const at = (text: string): Date => new Date(text);
  it.each([
    ['2026-08-03T20:59:00Z', '2026-08-03T20:59:00Z'],
    ['2026-08-03T21:00:00Z', '2026-08-04T05:00:00Z'],
    ['2026-08-04T04:59:00Z', '2026-08-04T05:00:00Z'],
    ['2026-08-04T05:00:00Z', '2026-08-04T05:00:00Z'],
    // The clock goes back in that night.
    ['2026-10-24T22:00:00Z', '2026-10-25T06:00:00Z'],
  ])('what comes up at %s is sent at %s', (now, then) => {
    expect(sendsAt({ from: '22:00', to: '06:00', zone: 'Europe/London' }, at(now))).toEqual(at(then));
  });
  it('lie within a day, or there are none', () => {
    const lunch = { from: '12:00', to: '13:00', zone: 'UTC' };
    expect(sendsAt(lunch, at('2026-08-03T12:30:00Z'))).toEqual(at('2026-08-03T13:00:00Z'));
    expect(sendsAt(lunch, at('2026-08-03T13:30:00Z'))).toEqual(at('2026-08-03T13:30:00Z'));
    expect(sendsAt(null, at('2026-08-03T12:30:00Z'))).toEqual(at('2026-08-03T12:30:00Z'));
  });
});

describe('who is told of a plan', () => {
  let server: RunningServer;
  let standins: Standins;
  const setting = { mailSystem: null, digestHours: 24, quiet: null, address: null };
  beforeAll(async () => {
    [server, standins] = await Promise.all([
      RunningServer.start({ VERSICLE_TICK_MS: '100', VERSICLE_ARRIVALS_MS: '100', VERSICLE_SWEEP_MS: '300' }),
      Standins.start(10),
    ]);
    await server.connect();
    await mailSystem('mail', standins.ports.smtp);
    await server.api('createSystem', 'POST', '/systems', {
      id: 'hook',
      name: 'Hook',
      connection: { kind: 'webhook', secret: 'ours' } as never,
    });
    server.file('items.csv', GOOD);
    await server.mapping(itemsDocument());
  });
  afterAll(async () => {
    await server.close();
    await standins.close();
  });

  const mailSystem = (id: string, port: number): Promise<unknown> =>
    server.api('createSystem', 'POST', '/systems', {
      id,
      name: id,
      connection: { kind: 'mail', host: '127.0.0.1', port, tls: 'off', from: 'versicle@example.org' } as never,
    });
  const GOOD = 'no,name,price\n1,Bell,"3,50"\n2,Lamp,"7,00"\n';
  const BAD = 'no,name,price\n1,Bell,"3,50"\n2,Lamp,seven\n';
  let made = 0;
  async function planOf(tell: object[], more: object = {}): Promise<string> {
    const document = {
      versicle: 1,
      kind: 'plan',
      name: `Told ${++made}`,
      steps: [{ id: 'load', kind: 'mapping', mapping: 'items-to-store' }],
      tell,
      ...more,
    };
    return (await server.api('createPlan', 'POST', '/plans', { document: document as never })).id;
  }
  const of = async (plan: string): Promise<Notification[]> =>
    (await server.api('listNotifications', 'GET', '/notifications')).filter((n) => n.plan === plan).reverse();
  async function until<T>(look: () => Promise<T | null>): Promise<T> {
    for (let i = 0; ; i++) {
      const found = await look();
      if (found !== null) return found;
      if (i > 200) throw new Error('It did not come about.');
      await new Promise((again) => setTimeout(again, 50));
    }
  }
  const settled = (plan: string, n: number): Promise<Notification[]> =>
    until(async () => {
      const all = await of(plan);
      return all.length === n && all.every((m) => m.state !== 'waiting') ? all : null;
    });
  const mails = async (): Promise<{ to: string[]; text: string }[]> =>
    (await fetch(standins.url('inbox', '/mails'))).json() as never;
  async function run(plan: string, content: string): Promise<number> {
    server.file('items.csv', content);
    const { id } = await server.run(plan);
    return id;
  }

  it('hears once of failed records, and once that it runs well again', async () => {
    const plan = await planOf([
      { on: ['failed', 'recovered'], by: 'mail', to: ['ops@example.org', 'oda@example.org'] },
    ]);
    const first = await run(plan, BAD);
    await settled(plan, 2);
    await run(plan, BAD);
    await server.run(plan, 1);
    await run(plan, GOOD);
    const all = await settled(plan, 4);
    expect(all.map((m) => `${m.kind} ${m.receiver} ${m.state}`)).toEqual([
      'failed ops@example.org sent',
      'failed oda@example.org sent',
      'recovered ops@example.org sent',
      'recovered oda@example.org sent',
    ]);
    const [mail] = (await mails()).filter((m) => m.to.includes('ops@example.org'));
    const text = mail!.text.replaceAll('=\r\n', '').replaceAll('=3D', '=');
    expect(text).toContain('Subject: Told 1: 1 record failed');
    expect(text).toContain(`Run ${first} ended on`);
    expect(text).toContain('2 read, 1 delivered, 1 failed.');
    expect(text).toMatch(/- 1 record of Items to store, line 3 Price: /);
    expect(text).toContain(`${server.address}/failures?run=${first}`);
    // The mail server that was the only one stays the one, whatever is connected later.
    await mailSystem('other-mail', 9);
    // Nothing is told twice, also where what follows from a run is seen to again.
    await server.restart('SIGKILL');
    await run(plan, BAD);
    expect((await settled(plan, 6)).slice(4).map((m) => m.kind)).toEqual(['failed', 'failed']);
  });

  it('is not told each time; in the application it stands until somebody has seen it', async () => {
    const plan = await planOf([{ on: ['failed'], by: 'application' }]);
    await run(plan, BAD);
    await run(plan, BAD);
    await until(async () => ((await of(plan)).length === 1 ? true : null));
    await server.api('saveNotificationSetting', 'PUT', '/notification-setting', { ...setting, digestHours: 1 });
    await run(plan, BAD);
    expect(await of(plan)).toHaveLength(1);
    const { messages } = await server.api('today', 'GET', '/today');
    expect(messages.map((m) => m.subject)).toContain('Told 2: 1 record failed');
    const [message] = await of(plan);
    await server.api('notificationSeen', 'POST', `/notifications/${message!.id}/seen`);
    expect((await server.api('today', 'GET', '/today')).messages.filter((m) => m.plan === plan)).toEqual([]);
    await run(plan, GOOD);
  });

  it('hears of what stops, is noted, ends and is late', async () => {
    const tell = [{ on: ['stopped', 'warnings', 'finished', 'late', 'recovered'], by: 'application' }];
    const statement = [{ id: 'a', kind: 'sql', system: 'store', sql: 'SELECT * FROM nowhere' }];
    const plan = await planOf(tell, { steps: statement, expected: '2 h' });
    const { id } = await server.run(plan);
    await until(async () => ((await of(plan)).length === 1 ? true : null));
    expect(await of(plan)).toMatchObject([{ kind: 'stopped', run: id, subject: expect.stringContaining('Told 3') }]);
    const { document, version } = await server.api('getPlan', 'GET', `/plans/${plan}`);
    const steps = [{ ...statement[0]!, sql: 'SELECT pg_sleep(3)' }];
    await server.api('changePlan', 'PUT', `/plans/${plan}`, {
      document: { ...document, steps, expected: '1 s' } as never,
      version,
    });
    await server.run(plan);
    const all = await until(async () => ((await of(plan)).length >= 4 ? of(plan) : null));
    expect(new Set(all.map((m) => m.kind))).toEqual(new Set(['stopped', 'late', 'recovered', 'finished']));
    expect(all.find((m) => m.kind === 'late')!.body).toMatch(/Run \d+ has been under way for \d+ seconds?/);
  }, 40_000);

  it('is told by a webhook, signed as we ask of others', async () => {
    const { secret } = await server.api('makeNotificationSecret', 'POST', '/notification-setting/secret');
    await server.api('changeSystem', 'PUT', '/systems/hook', {
      name: 'Hook',
      connection: { kind: 'webhook', secret } as never,
    });
    const hook = `${server.address}/hooks/hook`;
    await server.api('tryNotification', 'POST', '/notification-setting/try', { means: 'webhook', to: hook });
    const plan = await planOf([{ on: ['finished'], by: 'webhook', to: [hook] }]);
    const id = await run(plan, GOOD);
    await settled(plan, 1);
    const { rows } = await server.api('getRows', 'GET', '/systems/hook/rows?dataset=deliveries&limit=10');
    const told = rows.map((r) => r.values.join(' '));
    expect(told.some((t) => t.includes('Versicle can reach you'))).toBe(true);
    expect(told.some((t) => t.includes(`Run ${id} ended`))).toBe(true);
    expect((await server.api('notificationSetting', 'GET', '/notification-setting')).signed).toBe(true);
  });

  it('is tried again where nobody takes it, and says why', async () => {
    const dead = 'http://127.0.0.1:9/hook';
    const plan = await planOf([{ on: ['finished'], by: 'webhook', to: [dead] }]);
    await run(plan, GOOD);
    const [message] = await until(async () => {
      const all = await of(plan);
      return all[0]?.problem ? all : null;
    });
    expect(message).toMatchObject({
      state: 'waiting',
      attempts: 1,
      problem: expect.stringContaining('did not take it'),
    });
    expect(Date.parse(message!.next!)).toBeGreaterThan(Date.now() + 30_000);
    expect((await server.api('today', 'GET', '/today')).messages.map((m) => m.id)).toContain(message!.id);
    await server.api('sendAgain', 'POST', `/notifications/${message!.id}/send`);
    expect(await server.ask('POST', '/api/notification-setting/try', { means: 'webhook', to: dead })).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('Nothing was sent') },
    });
    expect(
      await server.ask('POST', '/api/notification-setting/try', { means: 'webhook', to: 'http://169.254.169.254/x' }),
    ).toMatchObject({ status: 422, body: { detail: expect.stringContaining('link-local') } });
  });

  it('holds nothing up where a mail server says no word', async () => {
    const silent = createServer((socket) => socket.on('error', () => {}));
    await new Promise<void>((up) => silent.listen(0, '127.0.0.1', up));
    await mailSystem('silent', (silent.address() as AddressInfo).port);
    await server.api('saveNotificationSetting', 'PUT', '/notification-setting', { ...setting, mailSystem: 'silent' });
    const connected = new Promise((yes) => silent.once('connection', yes));
    const plan = await planOf([{ on: ['finished'], by: 'mail', to: ['ops@example.org'] }]);
    await run(plan, GOOD);
    await connected;
    // It ends while it waits for an answer, and tells why when that did not come.
    await server.restart('SIGTERM');
    const [message] = await until(async () => {
      const all = await of(plan);
      return all[0]?.problem ? all : null;
    });
    expect(message).toMatchObject({ state: 'waiting', attempts: 1 });
    silent.close();
  }, 60_000);

  it('is somebody who can be told', async () => {
    const wrong = async (tell: object, more: object = {}): Promise<string> => {
      const document = {
        versicle: 1,
        kind: 'plan',
        name: 'Wrong',
        steps: [{ id: 'a', kind: 'sql', system: 'store', sql: 'SELECT 1' }],
        tell: [tell],
        ...more,
      };
      return (await server.ask('POST', '/api/plans', { document })).body.detail;
    };
    expect(await wrong({ on: ['failed'], by: 'mail', to: [] })).toContain('Say who is told by mail');
    expect(await wrong({ on: ['failed'], by: 'mail', to: ['ops'] })).toContain('no address of mail');
    expect(await wrong({ on: ['failed'], by: 'webhook', to: ['hook'] })).toContain('no address of the web');
    expect(await wrong({ on: ['late'], by: 'application' })).toContain('by when it has to have ended well');
    for (const change of [
      { digestHours: 0 },
      { quiet: { from: '22:00', to: '22:00', zone: 'UTC' } },
      { quiet: { from: '25:00', to: '06:00', zone: 'UTC' } },
      { quiet: { from: '22:00', to: '06:00', zone: 'Nowhere/Here' } },
      { mailSystem: 'hook' },
      { address: 'larkway' },
    ])
      expect([400, 422]).toContain(
        (await server.ask('PUT', '/api/notification-setting', { ...setting, ...change })).status,
      );
  });
});
