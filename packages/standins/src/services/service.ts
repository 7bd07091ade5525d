import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Trouble } from './faults.ts';

export interface Asked {
  readonly method: string;
  readonly path: string;
  readonly query: URLSearchParams;
  readonly headers: IncomingMessage['headers'];
  readonly body: string;
  /** Where the service can be reached, as whoever asks wrote it. */
  readonly origin: string;
}
export interface Reply {
  readonly status: number;
  readonly headers?: Readonly<Record<string, string>>;
  /** Text as it is; anything else as JSON. */
  readonly body?: unknown;
}
export type Handler = (asked: Asked) => Reply | Promise<Reply>;

/** A small HTTP server on 127.0.0.1 that can be told to misbehave. */
export class Service {
  readonly trouble = new Trouble();
  private server: Server | null = null;

  constructor(
    readonly name: string,
    private readonly handler: Handler,
  ) {}

  async listen(port: number): Promise<number> {
    const server = createServer((req, res) => void this.answer(req, res));
    this.server = server;
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, '127.0.0.1', resolve);
    });
    return (server.address() as AddressInfo).port;
  }

  private async answer(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const pieces: Buffer[] = [];
    for await (const piece of req) pieces.push(piece as Buffer);
    const { slowMs } = this.trouble.faults;
    if (slowMs > 0) await new Promise((r) => setTimeout(r, slowMs));
    const trouble = this.trouble.next();
    if (trouble !== null && trouble !== 'drop') {
      res.writeHead(trouble.status, {
        'Content-Type': 'application/problem+json',
        ...(trouble.retryAfter === undefined ? {} : { 'Retry-After': String(trouble.retryAfter) }),
      });
      return void res.end(
        JSON.stringify({ title: 'Not now', status: trouble.status, detail: SENTENCES[trouble.status] ?? 'No.' }),
      );
    }
    const url = new URL(req.url ?? '/', `http://${req.headers.host ?? '127.0.0.1'}`);
    let reply: Reply;
    try {
      reply = await this.handler({
        method: req.method ?? 'GET',
        path: url.pathname,
        query: url.searchParams,
        headers: req.headers,
        body: Buffer.concat(pieces).toString('utf8'),
        origin: url.origin,
      });
    } catch (error) {
      reply = { status: 500, body: { title: 'Fault', detail: (error as Error).message } };
    }
    const text =
      reply.body === undefined ? '' : typeof reply.body === 'string' ? reply.body : JSON.stringify(reply.body);
    res.writeHead(reply.status, {
      'Content-Type': typeof reply.body === 'string' ? 'text/plain' : 'application/json',
      ...reply.headers,
    });
    if (trouble === 'drop') {
      res.write(text.slice(0, text.length / 2));
      return void setImmediate(() => res.destroy());
    }
    res.end(text);
  }

  async close(): Promise<void> {
    this.server?.closeAllConnections();
    await new Promise<void>((resolve) => (this.server ? this.server.close(() => resolve()) : resolve()));
  }
}
const SENTENCES: Record<number, string> = {
  401: 'You are not known here.',
  403: 'You may not do that.',
  429: 'Slow down.',
  503: 'Out for a moment.',
};
export const json = (body: string): Record<string, unknown> | unknown[] | null => {
  try {
    return JSON.parse(body) as Record<string, unknown>;
  } catch {
    return null;
  }
};
