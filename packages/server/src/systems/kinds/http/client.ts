import type { ConnectionOf } from '@versicle/contract';
import { Agent, request, type Dispatcher } from 'undici';
import { Authenticator } from './authenticate.ts';
import { guardedLookup, requireAllowedHost } from '../network/guard.ts';

/** Bytes of one answer at the most. */
const MAX_ANSWER = 64 * 1024 ** 2;
const MAX_REDIRECTS = 5;
/** Tries of a request that may be repeated; the waits between them grow to a minute. */
const TRIES = 8;
const LONGEST_WAIT = 60_000;

export interface HttpAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly text: string;
  readonly url: string;
}
export interface HttpRequest {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH';
  readonly url: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string;
  /** Whether it may be sent again when nobody knows what became of it. */
  readonly repeatable: boolean;
  /** Tries at the most, where fewer than usual are wanted. */
  readonly tries?: number;
}

/** A time-out, by whichever part of the way it came. */
const TIMEOUTS = new Set(['UND_ERR_CONNECT_TIMEOUT', 'UND_ERR_HEADERS_TIMEOUT', 'UND_ERR_BODY_TIMEOUT', 'ETIMEDOUT']);
const LOST = new Set(['ECONNRESET', 'EPIPE', 'UND_ERR_SOCKET', 'ECONNREFUSED', ...TIMEOUTS]);

/**
 * Sends requests to one API: signs in, keeps its pace, waits as Retry-After asks (RFC 9110, 10.2.3), and tries again what
 * may be repeated. Credentials never travel to another host.
 */
export class HttpClient {
  private readonly agent: Agent;
  private readonly authenticator: Authenticator;
  private readonly base: URL;
  private free = 0;

  constructor(
    private readonly connection: ConnectionOf<'http'>,
    keep: { keptSecret(name: string): Promise<string | null>; keepSecret(name: string, value: string): Promise<void> },
    /** Tests need no real waiting. */
    private readonly wait: (ms: number) => Promise<void> = (ms) => new Promise((r) => setTimeout(r, ms)),
  ) {
    const timeout = connection.timeoutSeconds * 1000;
    this.base = new URL(connection.base.endsWith('/') ? connection.base : `${connection.base}/`);
    this.agent = new Agent({
      connections: 20,
      headersTimeout: timeout,
      bodyTimeout: timeout,
      connect: { timeout: Math.min(timeout, 10_000), lookup: guardedLookup as never },
    });
    this.authenticator = new Authenticator(connection, keep, (r) => this.once(r, {}));
  }

  /** An address below the base; what is absolute must be on the base's own host. */
  address(path: string, query: readonly { name: string; value: string }[] = []): string {
    const url = /^https?:/i.test(path) ? new URL(path) : new URL(path.replace(/^\/+/, ''), this.base);
    for (const { name, value } of query) url.searchParams.set(name, value);
    return url.href;
  }

  async send(asked: HttpRequest): Promise<HttpAnswer> {
    const tries = asked.tries ?? TRIES;
    let refreshed = false;
    for (let attempt = 1; ; attempt++) {
      let answer: HttpAnswer;
      try {
        await this.pace();
        answer = await this.follow(asked, await this.authenticator.headers());
      } catch (error) {
        const { code } = error as { code?: string };
        if (!asked.repeatable || !code || !LOST.has(code) || attempt >= tries) throw error;
        await this.wait(backOff(attempt));
        continue;
      }
      if (answer.status === 401 && !refreshed && this.authenticator.canRenew()) {
        refreshed = true;
        this.authenticator.forget();
        continue;
      }
      // 429 and 503 say that nothing was done; other 5xx may have done something.
      const again = answer.status === 429 || answer.status === 503 || (asked.repeatable && answer.status >= 500);
      if (!again || attempt >= tries) return answer;
      await this.wait(retryAfter(answer) ?? backOff(attempt));
    }
  }

  /** Redirects are followed by us: a request to another host goes without credentials, and without a body. */
  private async follow(asked: HttpRequest, credentials: Record<string, string>): Promise<HttpAnswer> {
    let current = asked;
    for (let hops = 0; ; hops++) {
      const own = new URL(current.url).host === this.base.host;
      const answer = await this.once(current, own ? { ...this.ownHeaders(), ...credentials } : {});
      const to = answer.headers['location'];
      if (![301, 302, 303, 307, 308].includes(answer.status) || typeof to !== 'string') return answer;
      if (hops >= MAX_REDIRECTS) throw new Error(`${asked.url} leads from one address to the next without an end.`);
      const url = new URL(to, current.url).href;
      if (asked.method !== 'GET')
        throw new Error(`${asked.url} leads to ${url}; records are not sent on to another address. Change the path.`);
      current = { ...current, url };
    }
  }
  private ownHeaders(): Record<string, string> {
    const lines = (this.connection.headers ?? '').split(/\r?\n/).filter((l) => l.trim() !== '');
    return Object.fromEntries(
      lines.map((line) => {
        const at = line.indexOf(':');
        return [line.slice(0, at).trim(), line.slice(at + 1).trim()];
      }),
    );
  }

  private async once(asked: Omit<HttpRequest, 'repeatable'>, extra: Record<string, string>): Promise<HttpAnswer> {
    const url = new URL(asked.url);
    requireAllowedHost(url.hostname);
    if (url.protocol !== 'http:' && url.protocol !== 'https:') throw new Error(`${url.protocol} is not followed.`);
    const answer = await request(url, {
      method: asked.method as Dispatcher.HttpMethod,
      headers: { accept: 'application/json, application/xml;q=0.9, */*;q=0.5', ...extra, ...asked.headers },
      ...(asked.body === undefined ? {} : { body: asked.body }),
      dispatcher: this.agent,
      signal: AbortSignal.timeout(this.connection.timeoutSeconds * 1000 * 4),
    });
    const pieces: Buffer[] = [];
    let size = 0;
    for await (const piece of answer.body as AsyncIterable<Buffer>) {
      size += piece.length;
      if (size > MAX_ANSWER) {
        answer.body.destroy();
        throw new Error(`${asked.url} answered with more than 64 MB; ask for smaller pages.`);
      }
      pieces.push(piece);
    }
    return {
      status: answer.statusCode,
      headers: answer.headers,
      text: Buffer.concat(pieces)
        .toString('utf8')
        .replace(/^\ufeff/, ''),
      url: asked.url,
    };
  }

  /** Trades an authorization code for tokens; the refresh token is kept. */
  redeem(code: string, verifier: string, redirectUri: string): Promise<string> {
    return this.authenticator.redeem(code, verifier, redirectUri);
  }

  /** Requests are spread evenly over the minute. */
  private async pace(): Promise<void> {
    const { perMinute } = this.connection;
    if (perMinute === undefined) return;
    const now = Date.now();
    const at = Math.max(now, this.free);
    this.free = at + 60_000 / perMinute;
    if (at > now) await this.wait(at - now);
  }
  async close(): Promise<void> {
    await this.agent.destroy();
  }
}

function backOff(attempt: number): number {
  return Math.min(LONGEST_WAIT, 250 * 2 ** (attempt - 1)) * (0.75 + Math.random() / 2);
}
/** Milliseconds that the answer asks to wait: seconds, or a date. */
export function retryAfter(answer: Pick<HttpAnswer, 'headers'>): number | null {
  const value = answer.headers['retry-after'];
  if (typeof value !== 'string') return null;
  const ms = /^\d+(\.\d+)?$/.test(value.trim()) ? Number(value) * 1000 : Date.parse(value) - Date.now();
  return Number.isNaN(ms) ? null : Math.min(Math.max(ms, 0), 10 * LONGEST_WAIT);
}
