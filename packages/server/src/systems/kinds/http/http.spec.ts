import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { RunningServer, type Reply } from '../../../testing/running-server.ts';
import { Standins } from '../../../testing/standins.ts';

/** Endpoints as people set them down. */
const members = {
  path: '/members',
  records: 'members',
  paging: { kind: 'cursor', parameter: 'cursor', next: 'paging.next' },
  write: { method: 'POST', path: '/members/batch', batch: 50, member: 'members', repeat: { by: 'key' } },
};
const client = (standins: Standins): Record<string, unknown> => ({
  kind: 'http',
  base: standins.url('membership', '/v2'),
  auth: 'client',
  tokenUrl: standins.url('membership', '/oauth/token'),
  clientId: 'versicle',
  clientSecret: 'larkway-practice',
  testPath: '/plans',
});

describe('an HTTP API', () => {
  let standins: Standins;
  let server: RunningServer;
  let odd: Server;
  let oddPort: number;
  const seen: { path: string; authorization: string | undefined; host: string | undefined }[] = [];
  let count = 0;
  const connect = (connection: Record<string, unknown>, id = `api-${++count}`): Promise<Reply> =>
    server.ask('POST', '/api/systems', { id, name: id, connection });
  const diagnosis = async (patch: Record<string, unknown>): Promise<{ code: string; message: string }> => {
    const reply = await connect({ ...client(standins), ...patch });
    if (reply.status !== 200) throw new Error(JSON.stringify(reply.body));
    return reply.body.diagnosis;
  };
  const settle = (system: string, dataset: string, endpoint: Record<string, unknown>): Promise<Reply> =>
    server.ask('PUT', `/api/systems/${system}/setting`, { dataset, setting: { kind: 'endpoint', endpoint } });
  const rows = async (system: string, dataset: string, query = ''): Promise<Reply['body']> =>
    (await server.ask('GET', `/api/systems/${system}/rows?dataset=${dataset}${query}`)).body;

  beforeAll(async () => {
    standins = await Standins.start(1050);
    server = await RunningServer.start();
    await server.connect();
    odd = createServer((req, res) => {
      seen.push({ path: req.url!, authorization: req.headers.authorization, host: req.headers.host });
      if (req.url === '/html') return void res.setHeader('Content-Type', 'text/html').end('<h1>Sign in</h1>');
      if (req.url === '/away')
        return void res.writeHead(302, { Location: `http://localhost:${oddPort}/elsewhere` }).end();
      if (req.url === '/metadata') return void res.writeHead(302, { Location: 'http://169.254.169.254/latest' }).end();
      if (req.url === '/loop') return void res.writeHead(302, { Location: '/loop' }).end();
      if (req.url === '/silent') return;
      if (req.url?.startsWith('/round')) return void res.end('{"items":[{"a":1}],"next":"same"}');
      if (req.url?.startsWith('/linked')) {
        const page = Number(new URL(req.url, 'http://x').searchParams.get('p') ?? 1);
        if (page < 3) res.setHeader('Link', `</linked?p=${page + 1}>; rel="next", </linked>; rel="first"`);
        return void res.end(JSON.stringify([{ n: page }]));
      }
      res.end('[{"a":1}]');
    });
    await new Promise<void>((resolve) => odd.listen(0, '127.0.0.1', resolve));
    oddPort = (odd.address() as AddressInfo).port;
    await connect(client(standins), 'membership');
    await settle('membership', 'members', members);
  });
  afterAll(async () => {
    odd.closeAllConnections();
    odd.close();
    await server.close();
    await standins.close();
  });

  describe('test', () => {
    it('signs in and says what is set down', async () => {
      const { body } = await server.ask('POST', '/api/systems/membership/test');
      expect(body).toMatchObject({ ok: true, code: 'ok', sees: ['members'] });
    });
    it('tells apart what can be wrong', async () => {
      expect(await diagnosis({ base: 'http://nowhere.invalid/' })).toMatchObject({ code: 'name_not_found' });
      expect(await diagnosis({ base: 'http://127.0.0.1:1/', auth: 'none' })).toMatchObject({ code: 'refused' });
      expect(await diagnosis({ clientSecret: 'wrong' })).toMatchObject({ code: 'not_authorised' });
      expect(await diagnosis({ auth: 'bearer', token: 'old' })).toMatchObject({ code: 'not_authorised' });
      expect(await diagnosis({ testPath: '/nothing' })).toMatchObject({ code: 'no_such_path' });
      const html = { base: `http://127.0.0.1:${oddPort}`, auth: 'none', testPath: '/html' };
      expect(await diagnosis(html)).toMatchObject({
        code: 'unexpected_answer',
        message: expect.stringContaining('web page'),
      });
      const smtp = `http://127.0.0.1:${standins.ports.smtp}`;
      expect(await diagnosis({ base: smtp, auth: 'none' })).toMatchObject({ code: 'unexpected_answer' });
      await standins.faults('membership', { status: 403 });
      expect(await diagnosis({ auth: 'none' })).toMatchObject({ code: 'not_permitted' });
      await standins.faults('membership', { status: null });
      expect(
        await diagnosis({ base: `http://127.0.0.1:${oddPort}`, auth: 'none', testPath: '/silent', timeoutSeconds: 1 }),
      ).toMatchObject({ code: 'timed_out' });
      const tls = `https://127.0.0.1:${standins.ports.membership}`;
      expect(await diagnosis({ base: tls, auth: 'none' })).toMatchObject({ code: 'unexpected_answer' });
    });
    it('refuses metadata addresses, by number, by name and by redirect', async () => {
      for (const host of ['169.254.169.254', '[fe80::1]', 'metadata.google.internal', '[::ffff:169.254.169.254]'])
        expect((await connect({ ...client(standins), base: `http://${host}/` })).status).toBe(422);
      const away = await diagnosis({ base: `http://127.0.0.1:${oddPort}`, auth: 'none', testPath: '/metadata' });
      expect(away.message).toContain('link-local or metadata');
    });
    it('does not carry credentials to another host, and ends in a circle of redirects', async () => {
      const base = `http://127.0.0.1:${oddPort}`;
      seen.length = 0;
      await diagnosis({ base, auth: 'bearer', token: 'mine', testPath: '/away' });
      expect(seen).toEqual([
        { path: '/away', authorization: 'Bearer mine', host: `127.0.0.1:${oddPort}` },
        { path: '/elsewhere', authorization: undefined, host: `localhost:${oddPort}` },
      ]);
      expect((await diagnosis({ base, auth: 'none', testPath: '/loop' })).message).toContain('without an end');
    });
    it('refuses a header that is none', async () => {
      const { status, body } = await connect({ ...client(standins), headers: 'X-A: b\nnonsense' });
      expect(status).toBe(422);
      expect(body.detail).toContain('nonsense');
    });
  });

  it('signs in by authorization code with PKCE, and refreshes by itself', async () => {
    const connection = {
      ...client(standins),
      auth: 'code',
      authorizeUrl: standins.url('membership', '/oauth/authorize'),
    };
    const made = await connect(connection, 'by-code');
    expect(made.body.diagnosis).toMatchObject({
      code: 'not_authorised',
      message: expect.stringContaining('Nobody has agreed yet'),
    });
    const begun = await server.ask('POST', '/api/systems/by-code/sign-in', { origin: server.address });
    const agreed = await fetch(begun.body.url, { redirect: 'manual' });
    const back = await fetch(agreed.headers.get('location')!, { redirect: 'manual' });
    expect([back.status, back.headers.get('location')]).toEqual([302, '/systems/by-code']);
    const system = (await server.ask('GET', '/api/systems/by-code')).body;
    expect(system.diagnosis).toMatchObject({ code: 'ok' });
    expect(JSON.stringify(system)).not.toContain('refresh-');
    // A second use of the same answer is refused, and one that was not begun here.
    const again = await server.ask(
      'GET',
      new URL(agreed.headers.get('location')!).pathname + new URL(agreed.headers.get('location')!).search,
    );
    expect(again.body.detail).toContain('was not begun here');
    // After a restart only the refresh token is left, and is enough.
    await server.restart('SIGTERM');
    expect((await server.ask('POST', '/api/systems/by-code/test')).body.code).toBe('ok');
  });

  describe('reading', () => {
    it('follows a cursor to the end, flattens, and has a dataset for what repeats', async () => {
      const found = await rows('membership', 'members', '&limit=2000');
      expect(found.rows).toHaveLength(1050);
      expect(new Set(found.rows.map((r: { values: string[] }) => r.values[1])).size).toBe(1050);
      expect(found.fields).toEqual(expect.arrayContaining(['_key', 'external_no', 'address.town']));
      const phones = await rows('membership', 'members%2Fphones', '&limit=3');
      expect(phones.fields).toEqual(['_key', '_parent_key', '_position', 'kind', 'number']);
    });
    it('reads each record once through 429s, 503s and dropped connections', async () => {
      await standins.faults('membership', { perMinute: 1500, unavailableEvery: 7, dropEvery: 5 });
      const found = await rows('membership', 'members', '&limit=2000');
      await standins.faults('membership', { perMinute: 0, unavailableEvery: 0, dropEvery: 0 });
      const numbers = found.rows.map((r: { values: string[] }) => r.values[found.fields.indexOf('external_no')]);
      expect(numbers).toHaveLength(1050);
      expect(new Set(numbers).size).toBe(1050);
    });
    it('gets a new token when the old one has ended', async () => {
      await standins.faults('membership', { lockedOut: true });
      expect((await rows('membership', 'members')).detail).toContain('gave no token');
      await standins.faults('membership', { lockedOut: false });
      expect((await rows('membership', 'members')).rows).toHaveLength(100);
    });
    it('reads XML by page, signed in by user and password', async () => {
      await connect(
        {
          kind: 'http',
          base: standins.url('workshop'),
          auth: 'basic',
          user: 'workshop',
          password: 'spanner',
          testPath: '/bikes',
        },
        'workshop',
      );
      const settled = await settle('workshop', 'orders', {
        path: '/orders',
        body: 'xml',
        records: 'orders/order',
        paging: { kind: 'page', parameter: 'page', sizeParameter: 'size', size: 50 },
      });
      expect(settled.body.parts.map((p: { name: string }) => p.name)).toEqual(['orders/task', 'orders/task.part']);
      expect((await rows('workshop', 'orders', '&limit=2000')).rows).toHaveLength(420);
      const tasks = await rows('workshop', 'orders%2Ftask', '&limit=2000');
      expect(tasks.fields).toEqual(['_key', '_parent_key', '_position', '@no', 'fault']);
      expect(tasks.rows.length).toBeGreaterThan(420);
    });
    it('asks once for each record of a parent', async () => {
      await connect(
        {
          kind: 'http',
          base: standins.url('docks'),
          auth: 'key',
          keyHeader: 'X-Api-Key',
          key: 'dock-practice',
          testPath: '/stations',
        },
        'docks',
      );
      await settle('docks', 'stations', { path: '/stations', records: 'stations' });
      await settle('docks', 'status', {
        path: '/stations/{code}/status',
        records: '',
        parent: { dataset: 'stations', parallel: 5 },
      });
      const found = await rows('docks', 'status');
      expect(found.rows).toHaveLength(23);
      expect(found.fields).toEqual(['_parent_key', '_key', 'station', 'bikes', 'free', 'locked']);
      const wrong = await settle('docks', 'wrong', { path: '/stations/{id}/status', parent: { dataset: 'stations' } });
      expect(wrong.body.detail).toContain('the parent has no such field');
    });
    it('follows Link headers, and stops at a page that was read already', async () => {
      await connect(
        {
          kind: 'http',
          base: `http://127.0.0.1:${oddPort}`,
          auth: 'none',
          variables: 'site = north quay\nyear_from=2025',
        },
        'odd',
      );
      await settle('odd', 'linked', { path: '/linked', records: '', paging: { kind: 'link' } });
      expect((await rows('odd', 'linked')).rows.map((r: { values: string[] }) => r.values[1])).toEqual(['1', '2', '3']);
      await settle('odd', 'round', {
        path: '/round',
        records: 'items',
        paging: { kind: 'cursor', parameter: 'c', next: 'next' },
      });
      expect((await rows('odd', 'round', '&limit=50')).detail).toContain('round in circles');
    });
    it('fills periods and variables into path and query', async () => {
      seen.length = 0;
      await settle('odd', 'since', { path: '/since', records: '', query: [{ name: 'from', value: '{{today-7d}}' }] });
      expect(seen.at(-1)!.path).toBe(`/since?from=${new Date(Date.now() - 7 * 86_400_000).toISOString().slice(0, 10)}`);
      const wrong = await settle('odd', 'wrong', { path: '/since', query: [{ name: 'from', value: '{{yesterday}}' }] });
      expect(wrong.body.detail).toContain('neither a variable of the connection nor a period');
      seen.length = 0;
      await settle('odd', 'of_site', { path: '/since', records: '', query: [{ name: 'site', value: '{{site}}' }] });
      expect(seen.at(-1)!.path).toBe('/since?site=north+quay');
      const near = await settle('odd', 'wrong', { path: '/since', query: [{ name: 'y', value: '{{year_form}}' }] });
      expect(near.body.detail).toContain('Did you mean {{year_from}}?');
    });
    it('says what came instead of records', async () => {
      const html = await settle('odd', 'page', { path: '/html', records: null });
      expect(html.body.detail).toContain('did not answer with JSON');
      const path = await settle('odd', 'path', { path: '/x', records: 'data.items' });
      expect(path.body.detail).toContain('nothing at “data.items”');
    });
  });

  it('fetches 100,000 records through 429s, 503s and dropped connections, each once', async () => {
    const many = await Standins.start(100_000);
    try {
      await connect(client(many), 'many');
      await settle('many', 'members', { ...members, write: null });
      const { plan } = await server.mapping({
        versicle: 1,
        name: 'All members',
        source: { primary: { alias: 'm', dataset: 'many/members' } },
        target: { dataset: 'store/everyone', key: ['no'], fields: [{ name: 'no', type: 'text', nullable: false }] },
        lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 'm.external_no' }],
        write: { mode: 'insert' },
      });
      await many.faults('membership', { perMinute: 30_000, unavailableEvery: 41, dropEvery: 37 });
      const run = await server.run(plan);
      // A record that came twice would have failed as a duplicate.
      expect(run).toMatchObject({ state: 'finished', counts: { read: 100_000, delivered: 100_000, failed: 0 } });
      const [last] = (await server.ask('GET', '/api/systems/store/rows?dataset=everyone&sort=-no&limit=1')).body.rows;
      expect(last.values).toEqual(['L0100000']);
      expect(await many.requests('membership')).toBeGreaterThan(1040);
    } finally {
      await many.close();
    }
  });

  describe('writing', () => {
    const document = (patch: Record<string, unknown> = {}): Record<string, unknown> => ({
      versicle: 1,
      name: 'Members',
      source: { primary: { alias: 'm', dataset: 'files/new-members.csv' } },
      target: {
        dataset: 'membership/members',
        key: ['external_no'],
        fields: [
          { name: 'external_no', type: 'varchar(12)', nullable: false },
          { name: 'last_name', type: 'varchar(40)' },
          { name: 'email', type: 'text' },
          { name: 'plan', type: 'text' },
          { name: 'joined_on', type: 'date' },
        ],
      },
      lines: ['external_no', 'last_name', 'email', 'plan', 'joined_on'].map((target, i) => ({
        id: `l${i + 1}`,
        target,
        kind: 'straight',
        source: `m.${target}`,
      })),
      write: { mode: 'upsert', existing: 'overwrite' },
      ...patch,
    });
    it('sends batches; what is refused of them lies under its line, the rest arrives, also through trouble', async () => {
      const list = Array.from({ length: 230 }, (_, i) => {
        const email = i === 17 ? 'nonsense' : `p${i}@example.org`;
        return `T${String(i).padStart(6, '0')},Serle,${email},${i === 120 ? 'GOLD' : 'DAY'},2026-08-01`;
      });
      server.file('new-members.csv', `external_no,last_name,email,plan,joined_on\n${list.join('\n')}\n`);
      const { mapping, plan } = await server.mapping(document());
      await standins.faults('membership', { unavailableEvery: 3, dropEvery: 4 });
      const run = await server.run(plan);
      await standins.faults('membership', { unavailableEvery: 0, dropEvery: 0 });
      expect(run).toMatchObject({ state: 'finished', counts: { read: 230, delivered: 228, failed: 2 } });
      const failed = (await server.ask('GET', `/api/failures?mapping=${mapping}`)).body as {
        line: string;
        message: string;
      }[];
      expect(failed.map((f) => [f.line, f.message]).sort()).toEqual([
        ['l3', 'The target refused: email is not an address'],
        ['l4', 'The target refused: plan must be one of MONTHLY, YEARLY, DAY, STUDENT'],
      ]);
      const there = await rows(
        'membership',
        'members',
        `&limit=2000&filter=${encodeURIComponent("external_no LIKE 'T%'")}`,
      );
      expect(there.rows).toHaveLength(228);
    });
    it('writes XML, one record a request; what is refused of a record lies under its line', async () => {
      const write = { method: 'PUT', path: '/bikes/{@id}', batch: 1, member: 'bike' };
      const paging = { kind: 'page', parameter: 'page', sizeParameter: 'size', size: 50 };
      await settle('workshop', 'bikes', { path: '/bikes', body: 'xml', records: 'bikes/bike', paging, write });
      server.file(
        'fleet.csv',
        'id,model,wheel,bought\n0007501,TB-1,711,2021-09-19\n0007502,<M&9>,610,2020-01-01\n9999999,TB-2,610,2020-01-01\n',
      );
      const fields = ['@id', 'model', 'wheel', 'wheel.@unit', 'bought'];
      const { mapping, plan } = await server.mapping({
        versicle: 1,
        name: 'Bikes',
        source: { primary: { alias: 'b', dataset: 'files/fleet.csv' } },
        target: {
          dataset: 'workshop/bikes',
          key: ['@id'],
          fields: fields.map((name) => ({ name, type: name === 'wheel' ? 'integer' : 'text' })),
        },
        lines: fields.map((target, i) =>
          target === 'wheel.@unit'
            ? { id: `l${i}`, target, kind: 'constant', value: 'mm' }
            : { id: `l${i}`, target, kind: 'straight', source: `b.${target.replace('@', '')}` },
        ),
        write: { mode: 'upsert', existing: 'overwrite' },
      });
      expect(await server.run(plan)).toMatchObject({ state: 'finished', counts: { delivered: 1, failed: 2 } });
      const failed = (await server.ask('GET', `/api/failures?mapping=${mapping}`)).body as Record<string, string>[];
      expect(failed.map((f) => [f['line'], f['message']]).sort()).toEqual([
        ['l0', 'The target refused: The register has no such bike.'],
        ['l1', 'The target refused: model is none that the register knows'],
      ]);
      const { rows: bikes } = await rows('workshop', 'bikes', '&limit=1');
      expect(bikes[0].values.slice(1)).toEqual(['0007501', 'TB-1', 'mm', '711', '2021-09-19']);
    });
    it('does not publish what writes to a dataset that is only read', async () => {
      await connect({ kind: 'http', base: `http://127.0.0.1:${oddPort}`, auth: 'none' }, 'reader');
      await settle('reader', 'only', { path: '/x', records: '' });
      const made = await server.api('createMapping', 'POST', '/mappings', {
        document: document({
          name: 'To nowhere',
          target: { ...(document()['target'] as object), dataset: 'reader/only' },
        }),
      });
      const { status, body } = await server.ask('POST', `/api/mappings/${made.id}/publish`, {});
      expect(status).toBe(422);
      expect(body.detail).toContain('is only read');
    });
  });
});
