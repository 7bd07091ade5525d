import { millisApart, readPace, refused } from '@versicle/core';
import type { Agent, Dispatcher, request } from 'undici';
import { pause } from '../../outage.ts';
import type { Answer, KindContext } from '../kind.ts';
import { Authenticator } from './authenticate.ts';
import { guardedLookup, requireAllowedHost } from '../network/guard.ts';
import { UnexpectedAnswer, type HttpAnswer } from './answers.ts';
import { BadEncoding, decodeBody } from './decode.ts';
import { readVariables } from './places.ts';
import type { Patience, Reached } from './settings.ts';

/** Bytes of one answer at the most. */
const MAX_ANSWER = 64 * 1024 ** 2;
const MAX_REDIRECTS = 5;
/** Characters of an answer that are told. */
const MOST_TOLD = 500;
/** For what is asked once, such as a token. */
export const BRIEF = { tries: 3, firstWait: 250, longestWait: 5000 };
/** What Retry-After may ask for at the most, in milliseconds. */
const LONGEST_ASKED = 600_000;

export interface HttpRequest {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  readonly url: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string;
  /** Whether it may be sent again when nobody knows what became of it. */
  readonly repeatable: boolean;
  /** Tries at the most, where fewer than usual are wanted. */
  readonly tries?: number;
  /** Ends the request that is under way. */
  readonly signal?: AbortSignal | undefined;
  /** Ends the waiting between requests; `signal` does, too. */
  readonly waitSignal?: AbortSignal;
  /** Whether nothing may be sent now: asked when its turn has come. */
  readonly isClosed?: () => boolean;
  /** Told of each try, and what came back. */
  readonly heard?: (answer: Omit<Answer, 'asked'>) => void;
}
type Asked = Omit<HttpRequest, 'repeatable'>;
/** An answer whose body comes bit by bit. */
export interface OpenAnswer extends Omit<HttpAnswer, 'text'> {
  readonly body: AsyncIterable<Buffer> & { destroy(): void };
}
type Begun = Omit<HttpAnswer, 'text'> & { readonly body?: OpenAnswer['body'] };
/** Nothing of the request has reached the API, or the API said that it did nothing. */
export class NotSent extends Error {}
/** It may not be sent now. */
export class ClosedBefore extends NotSent {}

const CLOSED = 'Its window closed before it was sent.';
/** A time-out, by whichever part of the way it came. */
const TIMEOUTS = new Set(['UND_ERR_CONNECT_TIMEOUT', 'UND_ERR_HEADERS_TIMEOUT', 'UND_ERR_BODY_TIMEOUT', 'ETIMEDOUT']);
/** The way there was never open. */
const UNREACHED = new Set([
  'ECONNREFUSED',
  'ENOTFOUND',
  'EAI_AGAIN',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'UND_ERR_CONNECT_TIMEOUT',
]);
const LOST = new Set(['ECONNRESET', 'EPIPE', 'UND_ERR_SOCKET', ...UNREACHED, ...TIMEOUTS]);
/** An answer 500 is mostly about the request itself: it is not asked for long whether it changes its mind. */
const TRIES_OF_500 = 4;

/**
 * Sends requests to one API: signs in, keeps its pace, waits as Retry-After asks (RFC 9110, 10.2.3), and tries again what
 * may be repeated. Credentials never travel to another host.
 */
export class HttpClient {
  /** Made with the first request. */
  private way: Promise<{ readonly agent: Agent; readonly request: typeof request }> | null = null;
  private readonly authenticator: Authenticator;
  private readonly base: URL;
  /** Milliseconds from one request to the next; null: none. */
  private readonly apart: number | null;

  constructor(
    private readonly connection: Reached,
    private readonly house: Pick<KindContext, 'keptSecret' | 'keepSecret' | 'turn' | 'alone'>,
    private readonly patience: Pick<Patience, 'tries' | 'firstWait' | 'longestWait'>,
    /** Tests need no real waiting. */
    private readonly wait: (ms: number, signal: AbortSignal) => Promise<void> = pause,
  ) {
    this.apart = connection.pace === undefined ? null : millisApart(readPace(connection.pace));
    this.base = new URL(connection.base.endsWith('/') ? connection.base : `${connection.base}/`);
    this.authenticator = new Authenticator(connection, house, (r) => this.once(r, {}));
  }
  private async openWay(): Promise<{ readonly agent: Agent; readonly request: typeof request }> {
    const { Agent, request } = (await import('undici')).default;
    const timeout = this.connection.timeoutSeconds * 1000;
    const agent = new Agent({
      connections: 20,
      headersTimeout: timeout,
      bodyTimeout: timeout,
      connect: { timeout: Math.min(timeout, 10_000), lookup: guardedLookup as never },
    });
    return { agent, request };
  }

  /** An address below the base; what is absolute must be on the base's own host. */
  address(path: string, query: readonly { name: string; value: string }[] = []): string {
    const url = /^https?:/i.test(path) ? new URL(path) : new URL(path.replace(/^\/+/, ''), this.base);
    for (const { name, value } of query) url.searchParams.set(name, value);
    return url.href;
  }

  /** Throws NotSent where nothing was done, and whatever came between where that is not known. */
  async send(asked: HttpRequest): Promise<HttpAnswer> {
    const tries = asked.tries ?? this.patience.tries;
    const signals = [asked.signal, asked.waitSignal].filter((s) => s !== undefined);
    const signal = AbortSignal.any(signals);
    let refreshed = false;
    let reached = false;
    const wait = (ms: number): Promise<void> =>
      this.wait(ms, signal).catch((error: Error) => {
        throw reached ? error : new NotSent(error.message);
      });
    for (let attempt = 1; ; attempt++) {
      let answer: HttpAnswer;
      let sending = false;
      try {
        await this.pace(wait);
        const credentials = await this.authenticator.headers();
        if (signal.aborted && !reached) throw new NotSent('It was cancelled before it was sent.');
        if (asked.isClosed?.()) throw reached ? new Error(CLOSED) : new ClosedBefore(CLOSED);
        sending = true;
        answer = await this.told(asked, () => this.follow(asked, credentials, (r, extra) => this.once(r, extra)));
      } catch (error) {
        const { code } = error as { code?: string };
        const unreached = !sending || (code !== undefined && UNREACHED.has(code));
        reached ||= !unreached;
        const lost = code !== undefined && LOST.has(code);
        if (signal.aborted || !lost || attempt >= tries || (!asked.repeatable && !unreached)) {
          if (reached || error instanceof NotSent || !lost) throw error;
          throw Object.assign(new NotSent((error as Error).message), { code });
        }
        await wait(this.backOff(attempt));
        continue;
      }
      if (answer.status === 401 && !refreshed && this.authenticator.canRenew()) {
        refreshed = true;
        this.authenticator.forget();
        continue;
      }
      // 429 and 503 say that nothing was done; other 5xx may have done something.
      const nothingDone = answer.status === 429 || answer.status === 503;
      reached ||= !nothingDone;
      const again = nothingDone || (asked.repeatable && answer.status >= 500);
      if (!again || attempt >= (answer.status === 500 ? Math.min(tries, TRIES_OF_500) : tries)) return answer;
      await wait(retryAfter(answer) ?? this.backOff(attempt));
    }
  }

  /** Carries out one try; whoever wants to hears what came of it. */
  private async told(asked: HttpRequest, go: () => Promise<HttpAnswer>): Promise<HttpAnswer> {
    const at = new Date();
    const tell = (status: number | null, message: string | null): void =>
      asked.heard?.({
        at,
        status,
        millis: Date.now() - at.getTime(),
        bytes: asked.body === undefined ? 0 : Buffer.byteLength(asked.body),
        message,
      });
    try {
      const answer = await go();
      tell(answer.status, answer.status < 300 && answer.status !== 207 ? null : answer.text.slice(0, MOST_TOLD));
      return answer;
    } catch (error) {
      tell(null, (error as Error).message);
      throw error;
    }
  }

  /** Asks for what comes bit by bit: the answer with its body as it comes, which may be silent for so long; 0: for ever. */
  async open(asked: Pick<HttpRequest, 'url' | 'headers'>, silence: number, signal: AbortSignal): Promise<OpenAnswer> {
    for (let refreshed = false; ; refreshed = true) {
      const credentials = await this.authenticator.headers();
      const answer = await this.follow({ ...asked, method: 'GET', signal }, credentials, (r, extra) =>
        this.begin(r, extra, signal, silence),
      );
      if (answer.status !== 401 || refreshed || !this.authenticator.canRenew()) return answer;
      answer.body.destroy();
      this.authenticator.forget();
    }
  }

  /** Redirects are followed by us: a request to another host goes without credentials, and without a body. */
  private async follow<T extends Begun>(
    asked: Asked,
    credentials: Record<string, string>,
    once: (asked: Asked, extra: Record<string, string>) => Promise<T>,
  ): Promise<T> {
    let current = asked;
    for (let hops = 0; ; hops++) {
      // Credentials go to the base's own scheme, host and port only.
      const own = new URL(current.url).origin === this.base.origin;
      const asIs = { ...current, url: own ? this.withSecrets(current.url) : current.url };
      const answer = {
        ...(await once(asIs, own ? { ...this.ownHeaders(), ...credentials } : {})),
        url: current.url,
      };
      const to = answer.headers['location'];
      if (![301, 302, 303, 307, 308].includes(answer.status) || typeof to !== 'string') return answer;
      answer.body?.destroy();
      if (hops >= MAX_REDIRECTS) throw new Error(`${asked.url} leads from one address to the next without an end.`);
      const url = new URL(to, current.url).href;
      if (asked.method !== 'GET')
        throw refused(`${asked.url} leads to ${url}; records are not sent on to another address. Change the path.`);
      current = { ...current, url };
    }
  }
  /** Secret query values go along at the last moment: no message and no log has the address with them. */
  private withSecrets(address: string): string {
    const secret = readVariables(this.connection.secretQuery ?? '');
    if (secret.size === 0) return address;
    const url = new URL(address);
    for (const [name, value] of secret) url.searchParams.set(name, value);
    return url.href;
  }
  private ownHeaders(): Record<string, string> {
    const { headers = '', secretHeaders = '' } = this.connection;
    const lines = `${headers}\n${secretHeaders}`.split(/\r?\n/).filter((l) => l.trim() !== '');
    return Object.fromEntries(
      lines.map((line) => {
        const at = line.indexOf(':');
        return [line.slice(0, at).trim(), line.slice(at + 1).trim()];
      }),
    );
  }

  private async once(asked: Asked, extra: Record<string, string>): Promise<HttpAnswer> {
    const answer = await this.begin(
      asked,
      extra,
      AbortSignal.any([
        AbortSignal.timeout(this.connection.timeoutSeconds * 1000 * 4),
        ...(asked.signal ? [asked.signal] : []),
      ]),
    );
    const pieces: Buffer[] = [];
    let size = 0;
    for await (const piece of answer.body) {
      size += piece.length;
      if (size > MAX_ANSWER) {
        answer.body.destroy();
        throw new Error(`${asked.url} answered with more than 64 MB; ask for smaller pages.`);
      }
      pieces.push(piece);
    }
    const type = answer.headers['content-type'];
    try {
      const text = decodeBody(
        Buffer.concat(pieces),
        typeof type === 'string' ? type : undefined,
        // What says yes or no to records that were sent is read as well as it can be.
        answer.status >= 400 || asked.method !== 'GET',
      );
      return { status: answer.status, headers: answer.headers, text, url: asked.url };
    } catch (error) {
      throw error instanceof BadEncoding
        ? new UnexpectedAnswer(`The answer of ${asked.url} can't be read: ${error.message}.`)
        : error;
    }
  }

  /** The answer as soon as its headers are there. */
  private async begin(
    asked: Asked,
    extra: Record<string, string>,
    signal: AbortSignal,
    silence?: number,
  ): Promise<OpenAnswer> {
    const url = new URL(asked.url);
    requireAllowedHost(url.hostname);
    if (url.protocol !== 'http:' && url.protocol !== 'https:') throw new Error(`${url.protocol} is not followed.`);
    const { agent, request } = await (this.way ??= this.openWay());
    const { statusCode, headers, body } = await request(url, {
      method: asked.method as Dispatcher.HttpMethod,
      headers: { accept: 'application/json, application/xml;q=0.9, */*;q=0.5', ...extra, ...asked.headers },
      ...(asked.body === undefined ? {} : { body: asked.body }),
      ...(silence === undefined ? {} : { bodyTimeout: silence }),
      dispatcher: agent,
      signal,
    });
    // Whoever reads it hears of errors there; of one that is let go nobody needs to.
    body.on('error', () => undefined);
    return { status: statusCode, headers, body, url: asked.url };
  }

  /** Trades an authorization code for tokens; the refresh token is kept. */
  redeem(code: string, verifier: string, redirectUri: string): Promise<string> {
    return this.authenticator.redeem(code, verifier, redirectUri);
  }

  /** Requests are spread evenly, whoever sends them. */
  private async pace(wait: (ms: number) => Promise<void>): Promise<void> {
    if (this.apart === null) return;
    const until = await this.house.turn(this.apart);
    if (until > 0) await wait(until);
  }
  private backOff(attempt: number): number {
    const { firstWait, longestWait } = this.patience;
    return Math.min(longestWait, firstWait * 2 ** (attempt - 1)) * (0.75 + Math.random() / 2);
  }
  async close(): Promise<void> {
    await (await this.way)?.agent.destroy();
  }
}

/** Milliseconds that the answer asks to wait: seconds, or a date. */
export function retryAfter(answer: Pick<HttpAnswer, 'headers'>): number | null {
  const value = answer.headers['retry-after'];
  if (typeof value !== 'string') return null;
  const ms = /^\d+(\.\d+)?$/.test(value.trim()) ? Number(value) * 1000 : Date.parse(value) - Date.now();
  return Number.isNaN(ms) ? null : Math.min(Math.max(ms, 0), LONGEST_ASKED);
}
