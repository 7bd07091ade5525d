import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { recordJson } from './body.ts';
import { RunningServer, type Reply } from '../../../testing/running-server.ts';

/** APIs that page, encode and refuse in their own ways: what is read and written is all of it, or said. */
describe('an API with ways of its own', () => {
  let server: RunningServer;
  let api: Server;
  let asked: string[] = [];
  const items = (from: number, to: number): object[] => Array.from({ length: to - from }, (_, i) => ({ no: from + i }));
  const json = (res: ServerResponse, body: unknown, status = 200): void =>
    void res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
  let answer = (_url: URL, _req: IncomingMessage, res: ServerResponse, _body: string): void =>
    json(res, { items: items(0, 1) });
  const settle = (endpoint: Record<string, unknown>, dataset = 'things'): Promise<Reply> =>
    server.ask('PUT', '/api/systems/odd/setting', { dataset, setting: { kind: 'endpoint', endpoint } });
  const rows = async (dataset = 'things'): Promise<Reply['body']> =>
    (await server.ask('GET', `/api/systems/odd/rows?dataset=${dataset}&limit=2000`)).body;
  /** Nobody asks any more, once what was on its way is answered. */
  const quiet = async (): Promise<void> => {
    await new Promise((r) => setTimeout(r, 150));
    const before = asked.length;
    await new Promise((r) => setTimeout(r, 200));
    expect(asked.length).toBe(before);
  };
  const paged = { kind: 'page', parameter: 'page', sizeParameter: 'size', size: 50 };

  beforeAll(async () => {
    api = createServer((req, res) => {
      const pieces: Buffer[] = [];
      req.on('data', (d: Buffer) => pieces.push(d));
      req.on('end', () => {
        const url = new URL(req.url!, 'http://x');
        asked.push(`${req.method} ${url.pathname}`);
        answer(url, req, res, Buffer.concat(pieces).toString());
      });
    });
    await new Promise<void>((resolve) => api.listen(0, '127.0.0.1', resolve));
    server = await RunningServer.start();
    await server.connect();
    await server.ask('POST', '/api/systems', {
      id: 'odd',
      name: 'Odd',
      connection: { kind: 'http', base: `http://127.0.0.1:${(api.address() as AddressInfo).port}`, auth: 'none' },
    });
  });
  beforeEach(() => (asked = []));
  afterAll(async () => {
    api.closeAllConnections();
    api.close();
    await server.close();
  });

  it('reads on after a short page, until an empty one', async () => {
    // A cap of 20, and one page that is one short.
    answer = (url, _req, res) => {
      const page = Number(url.searchParams.get('page'));
      json(res, { items: page > 4 ? [] : items((page - 1) * 20, page * 20 - (page === 2 ? 1 : 0)) });
    };
    await settle({ path: '/things', records: 'items', paging: paged });
    expect((await rows()).rows).toHaveLength(79);
  });
  it('keeps members whose names mean something to JavaScript apart from what all objects have', async () => {
    const strange =
      '{"no":1,"__proto__":{"polluted":"yes"},"constructor":{"prototype":{"polluted":"yes"}},"toString":"t"}';
    answer = (url, _req, res) =>
      void res
        .writeHead(200, { 'content-type': 'application/json' })
        .end(url.searchParams.get('page') === '1' ? `{"items":[${strange}]}` : '{"items":[]}');
    await settle({ path: '/things', records: 'items', paging: paged });
    const found = await rows();
    expect(found.fields).toEqual(
      expect.arrayContaining(['no', '__proto__.polluted', 'constructor.prototype.polluted', 'toString']),
    );
    const sent = recordJson(
      ['a', 'b', 'c'],
      ['constructor.prototype.x', 'toString', 'no'].map((name) => ({ name, type: 'text' })),
    );
    expect(sent).toBe('{"constructor":{"prototype":{"x":"a"}},"toString":"b","no":"c"}');
    // The server still does all that it did.
    expect((await server.ask('GET', '/api/systems')).status).toBe(200);
  });
  it('ends where has_more or a total says so, without another request', async () => {
    answer = (url, _req, res) => {
      const page = Number(url.searchParams.get('page'));
      json(res, { items: items((page - 1) * 50, page * 50), meta: { total: 100 } });
    };
    asked = [];
    expect((await rows()).rows).toHaveLength(100);
    expect(asked).toHaveLength(2);
  });
  it('refuses pages that say something is wrong, that repeat, or that are fewer than the total', async () => {
    const second = (body: unknown): void => {
      answer = (url, _req, res) => json(res, url.searchParams.get('page') === '1' ? { items: items(0, 50) } : body);
    };
    second({ items: null, error: { message: 'the cursor is too old' } });
    expect((await rows()).detail).toContain('the cursor is too old');
    second({ items: items(0, 50) });
    expect((await rows()).detail).toContain('a page that was read already');
    answer = (url, _req, res) =>
      json(res, { items: url.searchParams.get('page') === '1' ? items(0, 50) : [], total: 80 });
    expect((await rows()).detail).toMatch(/says that there are 80; 50 came/);
    answer = (_url, _req, res) => json(res, { error: 'no such tenant', code: 12 });
    const { body } = await settle({ path: '/single', records: '' }, 'single');
    expect(JSON.stringify(body)).toContain('no such tenant');
  });
  it('reads the encoding that an answer says it has', async () => {
    answer = (_url, _req, res) =>
      void res
        .writeHead(200, { 'content-type': 'application/json; charset=windows-1252' })
        .end(
          Buffer.from('{"items":[{"name":"Müller – 5 €"}]}'.replace('–', '\u0096').replace('€', '\u0080'), 'latin1'),
        );
    await settle({ path: '/names', records: 'items' }, 'names');
    expect((await rows('names')).rows[0].values.at(-1)).toBe('Müller – 5 €');
    answer = (_url, _req, res) =>
      void res
        .writeHead(200, { 'content-type': 'application/xml' })
        .end(Buffer.from('<?xml version="1.0" encoding="ISO-8859-1"?><l><m><n>Müller</n></m></l>', 'latin1'));
    await settle({ path: '/xml', body: 'xml', records: 'l/m' }, 'xml');
    expect((await rows('xml')).rows[0].values.at(-1)).toBe('Müller');
    answer = (_url, _req, res) => void res.end(Buffer.from('{"items":[{"name":"Müller"}]}', 'latin1'));
    expect(JSON.stringify(await rows('names'))).toContain('UTF-8');
  });
  it('cancels a run at once while it fetches from an API that never ends', async () => {
    answer = (url, _req, res) => {
      const page = Number(url.searchParams.get('page'));
      setTimeout(() => json(res, { items: items((page - 1) * 50, page * 50) }), 20);
    };
    const { plan } = await server.mapping({
      versicle: 1,
      name: 'Endless',
      source: { primary: { alias: 't', dataset: 'odd/things' } },
      target: { dataset: 'store/thing', key: ['no'], fields: [{ name: 'no', type: 'integer', nullable: false }] },
      lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 't.no' }],
      write: { mode: 'upsert' },
    });
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    while (asked.length < 10) await new Promise((r) => setTimeout(r, 10));
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    expect((await server.ended(run)).state).toBe('cancelled');
    // And the server stops at once, too; the run goes on when it starts again.
    const { run: next } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    asked = [];
    while (asked.length < 5) await new Promise((r) => setTimeout(r, 10));
    await server.restart('SIGTERM');
    answer = (_url, _req, res) => json(res, { items: [] });
    expect((await server.ended(next)).state).toBe('finished');
  });

  it('cancels at once whatever else fetches from it: a run that joins it, a trial, a profile of it', async () => {
    answer = (url, _req, res) => {
      const page = Number(url.searchParams.get('page'));
      setTimeout(() => json(res, { items: items((page - 1) * 50, page * 50) }), 20);
    };
    await settle({ path: '/things', records: 'items', paging: paged });
    server.file('nos.csv', 'no\n1\n2\n');
    const document = {
      versicle: 1,
      name: 'Joined with one that never ends',
      source: {
        primary: { alias: 't', dataset: 'odd/things' },
        joins: [{ alias: 'n', dataset: 'files/nos.csv', kind: 'left', on: 'n.no = t.no' }],
      },
      target: { dataset: 'store/joined', key: ['no'], fields: [{ name: 'no', type: 'integer', nullable: false }] },
      lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 't.no' }],
      write: { mode: 'upsert' },
    };
    const { mapping, plan } = await server.mapping(document);
    const fetching = async (): Promise<void> => {
      asked = [];
      while (asked.length < 5) await new Promise((r) => setTimeout(r, 10));
    };
    const { run } = await server.api('startPlan', 'POST', `/plans/${plan}/start`, {});
    await fetching();
    await server.api('cancelRun', 'POST', `/runs/${run}/cancel`);
    expect((await server.ended(run)).state).toBe('cancelled');
    await quiet();

    await server.api('startTrial', 'POST', `/mappings/${mapping}/trial`, { rowLimit: null });
    await fetching();
    expect((await server.api('cancelTrial', 'DELETE', `/mappings/${mapping}/trial`)).state).toBe('cancelled');
    await quiet();

    await server.ask('POST', '/api/systems/odd/profile', { dataset: 'things', rowLimit: null });
    await fetching();
    await server.restart('SIGTERM');
    await quiet();
  });

  it('fetches no other dataset of a source set any more once one of them can’t be had', async () => {
    let gone = false;
    answer = (url, _req, res) => {
      if (url.pathname === '/gone')
        return void (gone
          ? setTimeout(() => json(res, { message: 'no' }, 404), 300)
          : json(res, { items: items(0, 1) }));
      const page = Number(url.searchParams.get('page'));
      setTimeout(() => json(res, { items: items((page - 1) * 50, page * 50) }), 20);
    };
    await settle({ path: '/things', records: 'items', paging: paged });
    await settle({ path: '/gone', records: 'items', paging: { kind: 'none' } }, 'gone');
    const { plan } = await server.mapping({
      versicle: 1,
      name: 'United with one that is gone',
      source: { primary: { alias: 't', dataset: 'odd/things' }, unions: [{ dataset: 'odd/gone' }] },
      target: { dataset: 'store/united', key: ['no'], fields: [{ name: 'no', type: 'integer', nullable: false }] },
      lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 't.no' }],
      write: { mode: 'upsert' },
    });
    gone = true;
    asked = [];
    const run = await server.run(plan);
    expect(run.state).toBe('broken');
    expect(run.error).toMatch(/404/);
    expect(asked.length).toBeGreaterThan(5);
    await quiet();
  });

  /** Sends records with a path, one by one, and gives the run and its failures. */
  async function send(
    nos: (string | null)[],
    write: Record<string, unknown>,
  ): Promise<{ run: Reply['body']; failed: Reply['body'] }> {
    server.file(
      'nos.jsonl',
      nos.map((no) => JSON.stringify({ no, doc: '{"a":12345678901234567890,"b":1.10}' })).join('\n'),
    );
    await settle({ path: '/sink', write });
    const { mapping, plan } = await server.mapping({
      versicle: 1,
      name: `Sink ${Math.random()}`,
      source: { primary: { alias: 't', dataset: 'files/nos.jsonl' } },
      target: {
        dataset: 'odd/things',
        fields: [
          { name: 'no', type: 'text' },
          { name: 'doc', type: 'jsonb' },
        ],
      },
      lines: [
        { id: 'l1', target: 'no', kind: 'straight', source: 't.no' },
        { id: 'l2', target: 'doc', kind: 'rule', rule: 't.doc::jsonb' },
      ],
      write: { mode: 'insert' },
    });
    return { run: await server.run(plan), failed: (await server.ask('GET', `/api/failures?mapping=${mapping}`)).body };
  }
  it('sends nothing to an address that a value would turn into another', async () => {
    answer = (_url, _req, res) => json(res, {}, 200);
    const { run, failed } = await send(['a/b', '', '.', '..', null, 'ok'], { method: 'PUT', path: '/sink/{no}' });
    expect(run).toMatchObject({ state: 'finished', counts: { delivered: 2, failed: 4 } });
    expect(asked.filter((a) => a.startsWith('PUT')).sort()).toEqual(['PUT /sink/a%2Fb', 'PUT /sink/ok']);
    expect(failed.every((f: { line: string }) => f.line === 'l1')).toBe(true);
  });
  it('does not publish fields of which one would take the place of the other in the body', async () => {
    await settle({ path: '/sink', write: { method: 'POST', path: '/sink' } });
    const { id } = await server.api('createMapping', 'POST', '/mappings', {
      document: {
        versicle: 1,
        name: 'Clash',
        source: { primary: { alias: 't', dataset: 'files/nos.jsonl' } },
        target: { dataset: 'odd/things', fields: ['size', 'size.width'].map((name) => ({ name, type: 'text' })) },
        lines: ['size', 'size.width'].map((target, i) => ({ id: `l${i}`, target, kind: 'straight', source: 't.no' })),
        write: { mode: 'insert' },
      } as never,
    });
    const { status, body } = await server.ask('POST', `/api/mappings/${id}/publish`, {});
    expect([status, body.detail]).toEqual([
      422,
      expect.stringContaining('size and size.width can’t both be members of one JSON object'),
    ]);
  });
  it('keeps the digits of numbers in documents', async () => {
    let got = '';
    answer = (_url, req, res, body) => {
      if (req.method === 'PUT') got = body;
      json(res, {});
    };
    await send(['x'], { method: 'PUT', path: '/sink/{no}' });
    expect(got).toBe('{"no":"x","doc":{"a": 12345678901234567890, "b": 1.10}}');
  });
  it('goes on after an answer 500 for one record, and keeps what the target said', async () => {
    answer = (_url, req, res, body) =>
      req.method !== 'GET' && body.includes('"bad"') ? json(res, { message: 'kaputt' }, 500) : json(res, {});
    const { run, failed } = await send(['a', 'bad', 'c', 'd'], { method: 'PUT', path: '/sink/{no}' });
    expect(run).toMatchObject({ state: 'finished', counts: { delivered: 3, failed: 1 } });
    const detail = (await server.ask('GET', `/api/failures/${failed[0].id}`)).body;
    expect(detail).toMatchObject({ cause: 'delivery_failed', answer: '500 {"message":"kaputt"}' });
  });
  it('never sends a POST twice where the API knows no repeats; the record fails as unclear', async () => {
    let posts = 0;
    answer = (_url, req, res) => {
      if (req.method !== 'POST') return json(res, {});
      posts++;
      req.socket.destroy();
    };
    const { run, failed } = await send(['a'], { method: 'POST', path: '/sink' });
    expect(posts).toBe(1);
    expect(run).toMatchObject({ state: 'finished', counts: { delivered: 0, failed: 1 } });
    expect(failed[0].message).toContain('not clear whether the target has it');
  });
  it('looks a record up before it is sent again, where the settings say how', async () => {
    const kept = new Set<string>();
    let posts = 0;
    answer = (url, req, res, body) => {
      if (url.pathname === '/sink' && req.method === 'GET') return json(res, {});
      if (req.method === 'GET') {
        const no = decodeURIComponent(url.pathname.slice('/sink/'.length));
        return kept.has(no) ? json(res, { no }) : json(res, { message: 'none' }, 404);
      }
      posts++;
      const { no } = JSON.parse(body) as { no: string };
      // The first one is kept and its answer lost, the second is lost before it is kept.
      if (no === 'a') kept.add(no);
      if (posts <= 2) return void req.socket.destroy();
      kept.add(no);
      json(res, {}, 201);
    };
    const repeat = { by: 'look-up', path: '/sink/{no}' };
    const { run } = await send(['a', 'b'], { method: 'POST', path: '/sink', repeat });
    expect(run).toMatchObject({ state: 'finished', counts: { delivered: 2, failed: 0 } });
    expect([...kept].sort()).toEqual(['a', 'b']);
    expect(posts).toBe(3);
  });
  it('sends a replay under the key that the record had', async () => {
    const keys: (string | undefined)[] = [];
    let refuse = true;
    answer = (_url, req, res) => {
      if (req.method === 'GET') return json(res, {});
      keys.push(req.headers['idempotency-key'] as string);
      json(res, refuse ? { message: 'not now' } : {}, refuse ? 422 : 201);
    };
    const { failed } = await send(['a'], { method: 'POST', path: '/sink', repeat: { by: 'key' } });
    refuse = false;
    const { run } = (await server.ask('POST', '/api/failures/replay', { ids: [failed[0].id] })).body;
    expect(await server.ended(run)).toMatchObject({ counts: { delivered: 1 } });
    expect(new Set(keys).size).toBe(1);
  });
  it('settles how answers are read from a real one, sent with a record that must be refused', async () => {
    answer = (_url, req, res, body) => {
      if (req.method === 'GET') return json(res, {});
      const list = JSON.parse(body) as { no: string }[];
      const faults = list.flatMap(({ no }, i) => (no === 'bad' ? [{ line: i + 1, why: 'no' }] : []));
      json(res, { report: { faults } });
    };
    const write = { method: 'POST', path: '/sink', batch: 10 };
    await settle({ path: '/sink', write });
    const tried = await server.ask('POST', '/api/systems/odd/try-write', {
      dataset: 'things',
      records: '[{"no":"a"},{"no":"bad"}]',
      bad: 2,
    });
    // As it was, the answer would have been taken for a yes to all, had nobody asked.
    expect(tried.body.proposal.patch).toMatchObject({ errors: 'report.faults', errorIndex: 'line', place: 'from 1' });
    const { run } = await send(['a', 'bad', 'c'], { ...write, ...tried.body.proposal.patch });
    expect(run).toMatchObject({ state: 'finished', counts: { delivered: 2, failed: 1 } });
    const none = { dataset: 'things', records: '[{', bad: 1 };
    expect((await server.ask('POST', '/api/systems/odd/try-write', none)).body.detail).toContain('not JSON');
  });
});
