import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { postgresPrograms, PostgresServer } from '@versicle/postgres/testing';
import { Several } from '../testing/several.ts';

/** An API that agrees to a sign-in; each token is good for a moment, and each refresh token for one use, as is usual. */
async function strictApi(): Promise<{
  base: string;
  refreshed: () => number;
  usedTwice: () => number;
  close: () => void;
}> {
  let [issued, refreshed, usedTwice] = [0, 0, 0];
  const server = createServer((req, res) => {
    const url = new URL(req.url!, 'http://localhost');
    const say = (status: number, body: unknown): void =>
      void res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
    if (url.pathname === '/agree') {
      const back = new URL(url.searchParams.get('redirect_uri')!);
      back.search = String(new URLSearchParams({ code: 'agreed', state: url.searchParams.get('state')! }));
      return void res.writeHead(302, { location: String(back) }).end();
    }
    if (url.pathname !== '/token')
      return say(req.headers.authorization === `Bearer access-${issued}` ? 200 : 401, { items: [] });
    let text = '';
    req.on('data', (piece: Buffer) => (text += piece.toString()));
    req.on('end', () => {
      const asked = new URLSearchParams(text);
      if (asked.get('grant_type') === 'refresh_token') {
        if (asked.get('refresh_token') !== `refresh-${issued}`) {
          usedTwice++;
          return say(400, { error: 'invalid_grant' });
        }
        refreshed++;
      }
      issued++;
      // Whoever asks at the same time would use the old one meanwhile.
      setTimeout(() => say(200, { access_token: `access-${issued}`, refresh_token: `refresh-${issued}`, expires_in: 1, token_type: 'Bearer' }), 60); // prettier-ignore
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    base: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    refreshed: () => refreshed,
    usedTwice: () => usedTwice,
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}

(postgresPrograms() === null ? describe.skip : describe)('what only one of several processes may do', () => {
  it('is renewing a token of an API whose refresh tokens are good once', async () => {
    const pg = await PostgresServer.start();
    const all = await Several.on(pg, 'tokens');
    const api = await strictApi();
    const [one, other] = [await all.start(), await all.start()];
    const connection = {
      kind: 'http',
      base: api.base,
      auth: 'code',
      authorizeUrl: `${api.base}/agree`,
      tokenUrl: `${api.base}/token`,
      clientId: 'versicle',
      clientSecret: 'larkway-practice',
      testPath: '/items',
    };
    await one.ask('POST', '/api/systems', { id: 'strict', name: 'Strict', connection });
    const begun = await one.ask('POST', '/api/systems/strict/sign-in', { origin: one.address });
    const agreed = await fetch(begun.body.url, { redirect: 'manual' });
    await fetch(agreed.headers.get('location')!, { redirect: 'manual' });
    for (let round = 0; round < 5; round++) {
      // The token of before has ended by now, for both.
      await new Promise((r) => setTimeout(r, 1100));
      const said = await Promise.all([one, other, one, other].map((p) => p.ask('POST', '/api/systems/strict/test')));
      expect(said.map(({ body }) => [body.code, body.message])).toEqual(said.map(() => ['ok', expect.any(String)]));
    }
    expect(api.refreshed()).toBeGreaterThan(0);
    expect(api.usedTwice()).toBe(0);
    await all.close();
    api.close();
    await pg.stop();
  });
});
