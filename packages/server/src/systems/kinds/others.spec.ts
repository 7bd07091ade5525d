import { createHmac } from 'node:crypto';
import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { RunningServer, type Reply } from '../../testing/running-server.ts';
import { Standins } from '../../testing/standins.ts';

describe('webhook and mail', () => {
  let standins: Standins;
  let server: RunningServer;
  beforeAll(async () => {
    standins = await Standins.start(10);
    server = await RunningServer.start();
    await server.connect();
  });
  afterAll(async () => {
    await server.close();
    await standins.close();
  });

  describe('a webhook', () => {
    let secret: string;
    let sent = 0;
    const send = (
      body: string,
      { id = `d-${++sent}`, time = String(Math.floor(Date.now() / 1000)), ...headers }: Record<string, string> = {},
      key = secret,
    ): Promise<Reply> =>
      server.ask('POST', '/hooks/sign-ups', body, {
        'X-Signature': `sha256=${createHmac('sha256', key).update(`${time}.${id}.${body}`).digest('hex')}`,
        'X-Timestamp': time,
        'X-Delivery-Id': id,
        ...headers,
      });

    it('is given a secret, shown once', async () => {
      const made = await server.ask('POST', '/api/systems', {
        id: 'sign-ups',
        name: 'Sign-ups',
        connection: { kind: 'webhook', signatureHeader: 'X-Signature', idHeader: 'X-Delivery-Id' },
      });
      secret = made.body.madeSecret;
      expect(secret).toMatch(/^[\w-]{32}$/);
      expect(JSON.stringify((await server.ask('GET', '/api/systems')).body)).not.toContain(secret);
    });
    it('keeps what is signed, once', async () => {
      expect((await send('{"member":"L1","amount":{"cents":1290}}', { id: 'a' })).status).toBe(202);
      expect((await send('{"member":"L1","amount":{"cents":1290}}', { id: 'a' })).body).toEqual({
        kept: false,
      });
      expect((await send('{"member":"L2","amount":{"cents":12345678901234567890}}', { id: 'b' })).status).toBe(202);
      const { body } = await server.ask('GET', '/api/systems/sign-ups/rows?dataset=deliveries');
      expect(body.fields).toEqual(['_received_at', '_key', 'member', 'amount.cents', '_doc']);
      expect(body.rows.map((r: { values: string[] }) => r.values.slice(2, 4))).toEqual([
        ['L1', '1290'],
        ['L2', '12345678901234567890'],
      ]);
    });
    it('turns away what is not signed, signed wrongly, or no JSON; and says nothing of other systems', async () => {
      expect((await send('{}', {}, 'another')).status).toBe(401);
      expect((await server.ask('POST', '/hooks/sign-ups', '{}')).status).toBe(401);
      expect((await send('not json')).status).toBe(400);
      const other = await server.ask('POST', '/hooks/store', '{}');
      const nothing = await server.ask('POST', '/hooks/nothing', '{}');
      expect([other.status, nothing.status]).toEqual([401, 401]);
      expect(other.body).toEqual(nothing.body);
    });
    it('turns away what is old, what is no record, and another body under an id that came before', async () => {
      const old = String(Math.floor(Date.now() / 1000) - 3600);
      expect((await send('{"member":"L9"}', { time: old })).body.title).toBe('Too old');
      for (const body of ['5', '"text"', 'null', '[]', '[1]']) expect((await send(body)).status).toBe(400);
      expect((await send('{"member":"L8"}', { id: 'a' })).status).toBe(409);
      // Without time and id, a signature of the body alone says nothing.
      const body = '{"member":"L7"}';
      const plain = createHmac('sha256', secret).update(body).digest('hex');
      expect((await server.ask('POST', '/hooks/sign-ups', body, { 'X-Signature': plain })).status).toBe(401);
    });
    it('takes a signature of the body alone from senders who know no better, and reads its encoding', async () => {
      const made = await server.ask('POST', '/api/systems', {
        id: 'plain',
        name: 'Plain',
        connection: { kind: 'webhook', signs: 'body' },
      });
      const body = Buffer.from('{"name":"Müller"}', 'latin1');
      const reply = await fetch(`${server.address}/hooks/plain`, {
        method: 'POST',
        body,
        headers: {
          'Content-Type': 'application/json; charset=iso-8859-1',
          'X-Signature': createHmac('sha256', made.body.madeSecret as string)
            .update(body)
            .digest('hex'),
        },
      });
      expect(reply.status).toBe(202);
      const { body: page } = await server.ask('GET', '/api/systems/plain/rows?dataset=deliveries');
      expect(page.rows[0].values[2]).toBe('Müller');
    });
    it('is a source like any other', async () => {
      const { plan } = await server.mapping({
        versicle: 1,
        name: 'Sign-ups to store',
        source: { primary: { alias: 's', dataset: 'sign-ups/deliveries' } },
        target: {
          dataset: 'store/sign_up',
          key: ['member'],
          fields: [
            { name: 'member', type: 'text' },
            { name: 'whole', type: 'jsonb' },
          ],
        },
        lines: [
          { id: 'l1', target: 'member', kind: 'straight', source: 's.member' },
          { id: 'l2', target: 'whole', kind: 'straight', source: 's._doc' },
        ],
        write: { mode: 'upsert', existing: 'overwrite' },
      });
      expect((await server.run(plan)).counts).toMatchObject({ read: 2, delivered: 2 });
      expect(await server.rows('sign_up')).toEqual([
        ['L1', '{"amount": {"cents": 1290}, "member": "L1"}'],
        ['L2', '{"amount": {"cents": 12345678901234567890}, "member": "L2"}'],
      ]);
    });
  });

  describe('mail', () => {
    const mail = async (patch: Record<string, unknown>): Promise<Reply> =>
      server.ask('POST', '/api/systems', {
        id: `mail-${Math.random().toString(36).slice(2, 8)}`,
        name: 'Mail',
        connection: {
          kind: 'mail',
          host: '127.0.0.1',
          port: standins.ports.smtp,
          tls: 'off',
          from: 'versicle@example.org',
          ...patch,
        },
      });
    it('is tested, and tells apart what can be wrong', async () => {
      expect((await mail({ user: 'versicle', password: 'post' })).body.diagnosis).toMatchObject({ code: 'ok' });
      expect((await mail({ user: 'versicle', password: 'no' })).body.diagnosis).toMatchObject({
        code: 'not_authorised',
      });
      expect((await mail({ port: 1 })).body.diagnosis).toMatchObject({ code: 'refused' });
    });
  });

  describe('secrets', () => {
    it('lie encrypted in the database, and their key beside it for its owner only', () => {
      const key = join(server.home, 'data/key');
      expect(statSync(key).mode & 0o777).toBe(0o600);
      expect(readFileSync(key, 'utf8')).toMatch(/^[0-9a-f]{64}\n$/);
    });
    it('a connection that is used is not deleted without saying by what', async () => {
      const { status, body } = await server.ask('DELETE', '/api/systems/sign-ups');
      expect(status).toBe(422);
      expect(body.detail).toContain('Sign-ups to store (as source)');
    });
    it('a system keeps its kind', async () => {
      const { body } = await server.ask('PUT', '/api/systems/store', {
        name: 'Store',
        connection: { kind: 'folder', root: '/tmp' },
      });
      expect(body.detail).toContain('keeps its kind');
    });
  });
});
