import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { itemsDocument, RunningServer, type Reply } from '../../../testing/running-server.ts';

/** A server whose records never end; how it answers is for each test to say. */
class Feed {
  readonly asked: { readonly url: string; readonly after: string | undefined; readonly key: string | undefined }[] = [];
  readonly open = new Set<ServerResponse>();
  answer: (req: IncomingMessage, res: ServerResponse) => void = (_, res) => void res.writeHead(500).end();
  private constructor(private readonly server: Server) {}

  static async start(): Promise<Feed> {
    const feed: Feed = new Feed(
      createServer((req, res) => {
        const after = req.headers['last-event-id'];
        feed.asked.push({ url: req.url!, after: after as string | undefined, key: req.headers['x-api-key'] as string });
        feed.open.add(res);
        res.on('close', () => feed.open.delete(res));
        feed.answer(req, res);
      }),
    );
    await new Promise<void>((resolve) => feed.server.listen(0, '127.0.0.1', resolve));
    return feed;
  }
  get address(): string {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}/events`;
  }
  async close(): Promise<void> {
    this.server.closeAllConnections();
    await new Promise((resolve) => this.server.close(resolve));
  }
}
const events = (res: ServerResponse): void =>
  void res.writeHead(200, { 'Content-Type': 'text/event-stream; charset=utf-8' }).write('retry: 50\n\n');
const event = (n: number, more = ''): string =>
  `id: ${n}\nevent: item\ndata: {"no":"${n}","name":"Item ${n}"${more}}\n\n`;

let server: RunningServer;
let feed: Feed;
beforeAll(async () => {
  server = await RunningServer.start({ VERSICLE_LISTEN_MS: '50', VERSICLE_ARRIVALS_MS: '50' });
  await server.connect();
});
afterAll(() => server.close());
beforeEach(async () => (feed = await Feed.start()));
afterEach(() => feed.close());

let made = 0;
const connect = async (patch: Record<string, unknown> = {}): Promise<string> => {
  const id = `feed-${++made}`;
  await server.api('createSystem', 'POST', '/systems', {
    id,
    name: id,
    connection: { kind: 'stream', base: feed.address, ...patch },
  });
  return id;
};
const message = async (id: string): Promise<string> =>
  (await server.api('getSystem', 'GET', `/systems/${id}`)).diagnosis!.message;
const test = async (id: string): Promise<{ ok: boolean; message: string }> =>
  server.api('testSystem', 'POST', `/systems/${id}/test`);
const until = async <T>(ask: () => Promise<T>, is: (found: T) => boolean): Promise<T> => {
  for (;;) {
    const found = await ask();
    if (is(found)) return found;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
};
const count = async (id: string): Promise<number> =>
  (await server.api('listDatasets', 'GET', `/systems/${id}/datasets`))[0]!.records!;
const rowsOf = async (id: string): Promise<Reply['body']> =>
  (await server.ask('GET', `/api/systems/${id}/rows?dataset=events&limit=2000`)).body;

describe('a stream of events', () => {
  it('is taken as it comes, each event once, whatever breaks the connection or the server', async () => {
    const ALL = 600;
    let sent = 0;
    // Each connection begins some events before the one that it should, and is cut in the middle of one.
    feed.answer = (req, res) => {
      events(res);
      let n = Math.max(0, Number(req.headers['last-event-id'] ?? 0) - 3);
      const more = (): void => {
        for (let i = 0; i < 40 && n < ALL; i++) res.write(event(++n));
        sent = Math.max(sent, n);
        if (n < ALL) res.write(event(n + 1).slice(0, 30), () => res.destroy());
      };
      setTimeout(more, 5);
    };
    const id = await connect();
    const items = itemsDocument('items.csv', {
      name: 'Items of a stream',
      source: { primary: { alias: 'i', dataset: `${id}/events` } },
      target: {
        dataset: 'store/streamed',
        key: [],
        fields: [
          { name: 'no', type: 'integer' },
          { name: 'event', type: 'text' },
        ],
      },
      lines: [
        { id: 'l1', target: 'no', kind: 'straight', source: 'i.no' },
        { id: 'l2', target: 'event', kind: 'straight', source: 'i._event' },
      ],
      write: { mode: 'insert' },
    });
    await until(
      () => count(id),
      (n) => n > 0,
    );
    const { mapping } = await server.mapping(items);
    const { id: plan } = await server.api('createPlan', 'POST', '/plans', {
      document: {
        versicle: 1,
        kind: 'plan',
        name: 'Items as they come',
        triggers: [{ id: 'd', kind: 'arrival', dataset: `${id}/events` }],
        steps: [{ id: 'items', kind: 'mapping', mapping }],
      } as never,
    });
    for (const share of [0.3, 0.6]) {
      await until(
        () => count(id),
        (n) => n > ALL * share,
      );
      await server.restart('SIGKILL');
    }
    const runs = (): Promise<number> =>
      server
        .api('listRuns', 'GET', '/runs?limit=500')
        .then((all) => all.filter((r) => r.plan === plan).reduce((n, r) => n + r.counts.delivered, 0));
    await until(runs, (n) => n >= ALL);
    expect(await count(id)).toBe(ALL);
    const rows = await server.rows('streamed');
    expect(rows.map((r) => Number(r[0])).sort((a, b) => a - b)).toEqual(Array.from({ length: ALL }, (_, n) => n + 1));
    expect(new Set(rows.map((r) => r[1]))).toEqual(new Set(['item']));
    expect(sent).toBe(ALL);
  });

  it('of JSON lines goes on after its last record, said in the address', async () => {
    feed.answer = (req, res) => {
      res.writeHead(200, { 'Content-Type': 'application/x-ndjson' });
      const after = Number(new URL(req.url!, feed.address).searchParams.get('since') ?? 0);
      for (let n = after + 1; n <= after + 3 && n <= 9; n++) res.write(`{"no":${n}}\n`);
      res.end();
    };
    const id = await connect({
      form: 'lines',
      idField: 'no',
      goesOn: 'query',
      goesOnAs: 'since',
      auth: 'key',
      key: 'k',
    });
    await until(
      () => count(id),
      (n) => n >= 9,
    );
    await until(
      () => Promise.resolve(feed.asked),
      (asked) => asked.some((a) => a.url.includes('since=9')),
    );
    expect(await count(id)).toBe(9);
    expect(new Set(feed.asked.map((a) => a.key))).toEqual(new Set(['k']));
    expect((await rowsOf(id)).rows.map((r: { values: string[] }) => r.values[2])).toEqual(
      Array.from({ length: 9 }, (_, n) => String(n + 1)),
    );
  });

  it('what has no id is not taken and said, or counts anew each time where that is wished', async () => {
    feed.answer = (_, res) => {
      events(res);
      res.write('id: a\ndata: {"no":0}\n\ndata: {"no":1}\n\ndata: {"no":1}\n\n');
    };
    const id = await connect();
    await until(
      () => message(id),
      (m) => m.includes('without an id'),
    );
    // What came before it was taken.
    expect(await count(id)).toBe(1);
    const { connection } = await server.api('getSystem', 'GET', `/systems/${id}`);
    await server.api('changeSystem', 'PUT', `/systems/${id}`, {
      name: 'Feed',
      connection: { ...connection, unnamed: 'each' },
    });
    expect(
      await until(
        () => count(id),
        (n) => n > 1,
      ),
    ).toBe(3);
    expect(await message(id)).toContain('The connection is open since');
  });

  it('what comes again under an id with another content is kept, too, and said', async () => {
    feed.answer = (_, res) => {
      events(res);
      for (const state of ['open', 'closed', 'closed', 'open']) res.write(`id: 7\ndata: {"state":"${state}"}\n\n`);
    };
    const id = await connect();
    await until(
      () => count(id),
      (n) => n === 3,
    );
    expect((await test(id)).message).toContain('2 records came under an id that had come before with another content');
    const { rows } = await rowsOf(id);
    expect(rows.map((r: { values: string[] }) => r.values[3])).toEqual(['open', 'closed', 'open']);
  });

  it('what is no record fails where it is read; a field that comes later is there', async () => {
    feed.answer = (_, res) => {
      events(res);
      res.write(`${event(1)}id: 2\ndata: not at all\n\n${event(3, ',"more":"yes"')}`);
    };
    const id = await connect();
    await until(
      () => count(id),
      (n) => n === 3,
    );
    const { fields, rows } = await rowsOf(id);
    expect(fields).toContain('more');
    expect(JSON.stringify(rows)).toContain('What was delivered is no record.');
  });

  it('says what is wrong when it does not stand, and takes what comes when it does again', async () => {
    const answers: [(res: ServerResponse) => void, string][] = [
      [
        (res) => void res.writeHead(200, { 'Content-Type': 'application/json' }).end('[]'),
        'not with server-sent events',
      ],
      [(res) => void res.writeHead(401).end(), 'does not know us'],
      [(res) => void res.writeHead(204).end(), 'status 204'],
      [(res) => void res.destroy(), 'closed the connection'],
    ];
    const [first] = answers;
    feed.answer = (_, res) => first![0](res);
    const id = await connect();
    for (const [answer, words] of answers) {
      feed.answer = (_, res) => answer(res);
      expect(await test(id)).toMatchObject({ ok: false, message: expect.stringContaining(words) });
    }
    feed.answer = (_, res) => {
      events(res);
      res.write(event(1));
    };
    await until(
      () => count(id),
      (n) => n === 1,
    );
    expect(await test(id)).toMatchObject({ ok: true, message: expect.stringContaining('1 record came so far') });
  });

  it('is let go when it is not to be taken, when it is removed, and when the server stops', async () => {
    feed.answer = (_, res) => events(res);
    const id = await connect();
    const isOpen = (n: number): Promise<unknown> =>
      until(
        () => Promise.resolve(feed.open.size),
        (open) => open === n,
      );
    await until(
      () => message(id),
      (m) => m.includes('is open since'),
    );
    const { connection } = await server.api('getSystem', 'GET', `/systems/${id}`);
    const change = (takes: string): Promise<unknown> =>
      server.api('changeSystem', 'PUT', `/systems/${id}`, { name: 'Feed', connection: { ...connection, takes } });
    await change('off');
    await isOpen(0);
    expect(await message(id)).toContain('What comes is not taken now');
    await change('on');
    await isOpen(1);
    await server.restart('SIGTERM');
    await isOpen(1);
    await server.ask('DELETE', `/api/systems/${id}`);
    await isOpen(0);
  });

  it('is asked anew after a silence, and is not set up without what tells records apart', async () => {
    feed.answer = (_, res) => events(res);
    await connect({ silenceSeconds: 1 });
    await until(
      () => Promise.resolve(feed.asked.length),
      (n) => n >= 4,
    );
    const refused = async (patch: Record<string, unknown>): Promise<string> =>
      (
        await server.ask('POST', '/api/systems', {
          id: 'no-feed',
          name: 'No',
          connection: { kind: 'stream', base: feed.address, ...patch },
        })
      ).body.detail as string;
    expect(await refused({ form: 'lines' })).toContain('which field has the id');
    expect(await refused({ goesOn: 'query' })).toContain('the value with the last id');
    expect(await refused({ base: 'http://169.254.169.254/events' })).toContain('169.254');
    expect(await refused({ headers: 'no header' })).toContain('not a header');
  });
});
