import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

/** Refused for now (429, 503), cut before it is looked at, kept and the answer lost or cut in its middle, or slow. */
export const FAULTS = ['busy', 'away', 'cut', 'lost', 'half', 'slow'] as const;
export type Fault = (typeof FAULTS)[number];

/** An API that keeps items in the order in which they came. It may know requests by a key, lose answers, and refuse. */
export class ItemApi {
  readonly items: Record<string, unknown>[] = [];
  private readonly answers = new Map<string, { status: number; body: string }>();
  /** Of the next so many requests, the answer is lost after the items were kept. */
  loses = 0;
  knowsKeys = true;
  /** Says of each request what goes wrong with it; null: nothing. */
  fault: (() => Fault | null) | null = null;
  /** What went wrong so far. */
  readonly faults: Partial<Record<Fault, number>> = {};
  private requests = 0;
  /** How answers look, in place of the list of errors. */
  answer:
    | ((
        taken: Record<string, unknown>[],
        refused: { at: number; item: Record<string, unknown> }[],
      ) => { status: number; body: unknown })
    | null = null;

  private constructor(private readonly server: Server) {}

  static async start(): Promise<ItemApi> {
    const server = createServer();
    const api = new ItemApi(server);
    server.on('request', (req, res) => void api.serve(req, res));
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    return api;
  }
  get base(): string {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  private async serve(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const pieces: Buffer[] = [];
    for await (const piece of req as AsyncIterable<Buffer>) pieces.push(piece);
    const url = new URL(req.url!, this.base);
    if (req.method === 'GET' && url.pathname === '/items') return this.page(url, res);
    if (req.method === 'GET') {
      const no = decodeURIComponent(url.pathname.slice('/items/'.length));
      const found = this.items.find((i) => String(i['no']) === no);
      return this.say(res, found ? 200 : 404, JSON.stringify(found ?? { message: 'none' }));
    }
    const fault = this.fault?.() ?? null;
    if (fault !== null) this.faults[fault] = (this.faults[fault] ?? 0) + 1;
    if (fault === 'busy') return void res.writeHead(429, { 'retry-after': '0' }).end('{"message":"too fast"}');
    if (fault === 'away') return void res.writeHead(503).end('{"message":"not now"}');
    if (fault === 'cut') return void req.socket.destroy();
    if (fault === 'slow') await new Promise((resolve) => setTimeout(resolve, 300));
    const key = req.headers['idempotency-key'];
    const before = typeof key === 'string' && this.knowsKeys ? this.answers.get(key) : undefined;
    const answer = before ?? this.keep(JSON.parse(Buffer.concat(pieces).toString()) as unknown);
    if (typeof key === 'string') this.answers.set(key, answer);
    this.requests++;
    if (fault === 'lost') return void req.socket.destroy();
    if (fault === 'half') {
      res.writeHead(answer.status, {
        'content-type': 'application/json',
        'content-length': String(answer.body.length + 9),
      });
      res.write(answer.body.slice(0, answer.body.length >> 1), () => req.socket.destroy());
      return;
    }
    if (this.loses > 0 && this.requests % 3 === 0) {
      this.loses--;
      return void req.socket.destroy();
    }
    this.say(res, answer.status, answer.body);
  }
  private keep(body: unknown): { status: number; body: string } {
    const list = (Array.isArray(body) ? body : [body]) as Record<string, unknown>[];
    const refused = list.flatMap((item, at) => (Number(item['price']) === 13 ? [{ at, item }] : []));
    const taken = list.filter((item) => Number(item['price']) !== 13);
    this.items.push(...taken);
    if (this.answer) {
      const made = this.answer(taken, refused);
      return { status: made.status, body: JSON.stringify(made.body) };
    }
    const errors = refused.map(({ at }) => ({ index: at, field: 'price', message: 'thirteen is not taken' }));
    if (!Array.isArray(body)) return { status: errors.length > 0 ? 422 : 201, body: JSON.stringify({ errors }) };
    return { status: errors.length > 0 ? 207 : 200, body: JSON.stringify({ errors }) };
  }
  private page(url: URL, res: ServerResponse): void {
    const from = Number(url.searchParams.get('offset') ?? 0);
    const list = this.items.slice(from, from + Math.min(100, Number(url.searchParams.get('limit') ?? 100)));
    this.say(res, 200, JSON.stringify({ items: list }));
  }
  private say(res: ServerResponse, status: number, body: string): void {
    res.writeHead(status, { 'content-type': 'application/json' }).end(body);
  }
  async close(): Promise<void> {
    this.server.closeAllConnections();
    await new Promise<void>((resolve) => this.server.close(() => resolve()));
  }
}
