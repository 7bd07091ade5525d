import { routes } from '@versicle/contract';
import { itemsDocument, RunningServer } from '../testing/running-server.ts';

describe('requests', () => {
  let server: RunningServer;
  beforeAll(async () => (server = await RunningServer.start()));
  afterAll(() => server.close());

  it('answers problems as RFC 9457 has them', async () => {
    const reply = await server.ask('GET', '/api/systems/nowhere');
    expect(reply).toMatchObject({
      status: 404,
      body: { title: 'Not found', status: 404, detail: expect.stringContaining('“nowhere”') },
    });
    expect(reply.type).toMatch(/^application\/problem\+json/);
  });
  it('names every part of a request that is wrong', async () => {
    const reply = await server.ask('POST', '/api/systems', { id: 'Bad Id', name: '' });
    expect(reply.status).toBe(400);
    expect(reply.body.faults.map((f: { path: string }) => f.path)).toEqual(['id', 'name', 'connection']);
  });
  it('refuses a body that is not JSON, and one that is too large', async () => {
    expect(await server.ask('POST', '/api/systems', '{"id":')).toMatchObject({
      status: 400,
      body: { detail: 'The body of the request is not JSON.' },
    });
    const large = await server.ask('POST', '/api/systems', JSON.stringify({ id: 'x'.repeat(34_000_000) }));
    expect(large).toMatchObject({ status: 413, body: { detail: 'The request is larger than 32 MB.' } });
  });
  it('refuses characters that no database keeps, wherever they stand, before anybody else meets them', async () => {
    const { id, document, version } = await server.api('createMapping', 'POST', '/mappings', {
      document: itemsDocument(),
    });
    for (const text of ['a\u0000b', 'a\ud83d']) {
      const saved = await server.ask('PUT', `/api/mappings/${id}/draft`, {
        document: { ...document, purpose: text },
        version,
      });
      expect([saved.status, saved.body.detail]).toEqual([
        400,
        expect.stringMatching(/document\.purpose: There is a character that can’t be kept/),
      ]);
    }
    expect((await server.ask('GET', '/api/systems/a%00b')).status).toBe(400);
    expect((await server.ask('GET', '/runs/%ZZ')).body).toMatchObject({ status: 400, detail: expect.any(String) });
    expect((await server.ask('GET', '/api/failures?mapping=a%00b')).status).toBe(400);
    for (const page of ['today', 'mappings', 'lines', 'codes', 'plans', 'failures'])
      expect((await server.ask('GET', `/api/${page}`)).status).toBe(200);
  });
  it('knows what it does not have', async () => {
    expect(await server.ask('GET', '/api/nothing')).toMatchObject({
      status: 404,
      body: { detail: expect.stringContaining('/api/openapi.json') },
    });
    expect((await server.ask('GET', '/api/runs/12')).body.detail).toBe(
      'There is no run 12; the list of runs has those that there are.',
    );
    expect((await server.ask('GET', '/api/runs/one')).status).toBe(400);
  });
  it('refuses requests from other sites’ pages and under other names', async () => {
    expect((await server.ask('GET', '/api/systems', undefined, { Origin: 'http://example.org' })).status).toBe(403);
    expect((await server.ask('GET', '/api/systems', undefined, { Origin: server.address })).status).toBe(200);
    // What a browser asks for another site's page without saying its origin: pictures, scripts, downloads.
    for (const site of ['cross-site', 'same-site'])
      expect((await server.ask('GET', '/api/systems', undefined, { 'Sec-Fetch-Site': site })).status).toBe(403);
    expect((await server.ask('GET', '/api/systems', undefined, { 'Sec-Fetch-Site': 'same-origin' })).status).toBe(200);
    const { request } = await import('node:http');
    const status = await new Promise((resolve) =>
      request(`${server.address}/api/systems`, { headers: { Host: 'example.org' } }, (r) =>
        resolve(r.statusCode),
      ).end(),
    );
    expect(status).toBe(403);
  });
  it('refuses who can’t say who they are, and nobody who asks the same at that moment', async () => {
    const asks = Array.from({ length: 40 }, (_, i) =>
      server.ask('GET', '/api/systems', undefined, i % 2 === 0 ? { 'X-Person': '%' } : {}),
    );
    const said = (await Promise.all(asks)).map((r) => r.status);
    expect(said).toEqual(said.map((_, i) => (i % 2 === 0 ? 400 : 200)));
  });
  it('sends a content policy without inline script or eval', async () => {
    const response = await fetch(`${server.address}/api/health`);
    const policy = response.headers.get('content-security-policy') ?? '';
    expect(policy).toContain("script-src 'self';");
    expect(policy).not.toContain('unsafe-eval');
    expect(response.headers.get('x-powered-by')).toBeNull();
  });
  it('describes itself in OpenAPI 3.1, every route of the contract', async () => {
    const { body } = await server.ask('GET', '/api/openapi.json');
    expect(body.openapi).toBe('3.1.0');
    const ids = Object.values(body.paths as Record<string, Record<string, { operationId: string }>>).flatMap((p) =>
      Object.values(p).map((o) => o.operationId),
    );
    expect(ids.sort()).toEqual(Object.keys(routes).sort());
    expect(
      body.paths['/api/plans/{id}/start'].post.requestBody.content['application/json'].schema.properties.rowLimit,
    ).toBeDefined();
  });
  it('tells open pages what happens', async () => {
    const response = await fetch(`${server.address}/api/events`);
    expect(response.headers.get('content-type')).toBe('text/event-stream');
    const reader = response.body!.getReader();
    await server.connect();
    let heard = '';
    while (!heard.includes('"waiting"')) heard += new TextDecoder().decode((await reader.read()).value);
    expect(heard).toMatch(/data: \{"type":"waiting","waiting":\{"systems":0/);
    await reader.cancel();
  });
});
