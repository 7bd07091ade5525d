import { counted, refused } from '@versicle/core';
import { Deliveries } from '../deliveries/deliveries.ts';
import { UnexpectedAnswer } from '../http/answers.ts';
import { NotAuthorised } from '../http/authenticate.ts';
import { BRIEF, HttpClient, type OpenAnswer } from '../http/client.ts';
import { requireHeaders } from '../http/settings.ts';
import type { Dataset } from '@versicle/contract';
import type { Described, Found, Hears, Kind, KindContext, OpenSystem, ReadOptions, SourceBatch } from '../kind.ts';
import { diagnoseNetwork, failed } from '../network/diagnose.ts';
import { requireAllowedHost } from '../network/guard.ts';
import { EventRecords, LineRecords, type Read, type Records } from './records.ts';
import { settings, type StreamConnection } from './settings.ts';

/** A connection that is held open, over which records keep coming. They are kept as records of one dataset, `events`. */
export const stream: Kind<StreamConnection> = {
  facts: {
    kind: 'stream',
    words: 'Stream of events',
    holds: true,
    empty: 'Nothing came yet.',
    settledBy: null,
    asks: false,
    byRequest: false,
    arrives: 'deliveries',
    target: null,
  },
  settings,
  where: ({ base }) => base,
  place: ['base', 'tokenUrl', 'authorizeUrl'],
  listens: true,
  signsIn: ({ auth }) => auth === 'code',
  open: (connection, context) => new Stream(connection, context),
  check: (connection) => {
    requireAllowedHost(new URL(connection.base).hostname);
    requireHeaders(connection);
    if (connection.goesOn === 'query' && !connection.goesOnAs)
      throw refused('Say what the other side calls the value with the last id, such as “after”.', [
        { path: 'connection.goesOnAs', message: 'something must stand here' },
      ]);
    if (connection.form === 'lines' && !connection.idField && connection.unnamed === 'stop')
      throw refused(
        'Say which field has the id of a record: without it, nothing tells what came before when the connection breaks.',
        [{ path: 'connection.idField', message: 'something must stand here' }],
      );
  },
};

/** The form of what comes, as its header must say it; anything else is no stream. */
const TYPES = { events: /^text\/event-stream\b/i, lines: /json|^text\/plain|^application\/octet-stream/i };

class Stream implements OpenSystem {
  private readonly client: HttpClient;
  private readonly deliveries: Deliveries;
  private readonly closed = new AbortController();
  /** Since when it stands; null: it does not, or nobody listens to it here. */
  private since: Date | null = null;
  /** What was wrong with what came: a new connection alone does not tell. */
  private problem: Found | null = null;
  private lastAt: Date | null = null;
  /** How many ids came again with another body. */
  private changed = 0;
  readonly listen?: NonNullable<OpenSystem['listen']>;
  readonly arrivals;

  constructor(
    private readonly connection: StreamConnection,
    context: KindContext,
  ) {
    this.client = new HttpClient(connection, context, BRIEF);
    this.deliveries = new Deliveries(context, {
      dataset: 'events',
      description: 'what came over the connection',
      format: 'JSON, one object an event',
      front: {
        _received_at: (d) => d.receivedAt,
        ...(connection.form === 'events'
          ? { _event: (d) => (JSON.parse(d.headers) as { event?: string }).event ?? null }
          : {}),
      },
    });
    this.arrivals = this.deliveries.arrivals;
    if (connection.takes === 'on') this.listen = (from, hears, signal) => this.hear(from, hears, signal);
  }

  datasets(): Promise<Dataset[]> {
    return this.deliveries.datasets();
  }
  describe(dataset: string): Promise<Described> {
    return this.deliveries.describe(dataset);
  }
  read(dataset: string, options: ReadOptions): AsyncGenerator<SourceBatch> {
    return this.deliveries.read(dataset, options);
  }

  async test(): Promise<Found> {
    if (this.since === null && this.problem) return this.problem;
    const count = await this.deliveries.count();
    const came = count === 0 ? 'none came yet' : `${counted(count, 'record')} came so far`;
    if (this.since !== null)
      return {
        ok: true,
        code: 'ok',
        message: `The connection is open since ${sayTime(this.since)}; ${came}${this.lastAt === null ? '' : `, the last one at ${sayTime(this.lastAt)}`}.${this.sayChanged()}`,
        sees: [],
      };
    const ends = new AbortController();
    try {
      const answer = await this.begin(null, ends.signal);
      answer.body.destroy();
    } catch (error) {
      return this.foundOf(error);
    } finally {
      ends.abort();
    }
    const takes = this.connection.takes === 'on' ? 'What comes is taken' : 'What comes is not taken now';
    return { ok: true, code: 'ok', message: `It answers. ${takes}; ${came}.`, sees: [] };
  }
  private sayChanged(): string {
    if (this.changed === 0) return '';
    return ` ${counted(this.changed, 'record')} came under an id that had come before with another content; all are kept. Is it the id of what comes, and not of what it is about?`;
  }

  /** The answer where it is one that records come with. Throws what it is instead. */
  private async begin(from: string | null, signal: AbortSignal): Promise<OpenAnswer> {
    const { base, form, goesOn, goesOnAs = '', silenceSeconds } = this.connection;
    const url = this.client.address(base, goesOn === 'query' && from !== null ? [{ name: goesOnAs, value: from }] : []);
    const headers = {
      accept: form === 'events' ? 'text/event-stream' : 'application/x-ndjson, application/json;q=0.9, */*;q=0.5',
      'cache-control': 'no-store',
      // A header takes no more than Latin-1: what is beyond it goes as the bytes of its UTF-8.
      ...(goesOn === 'header' && from !== null ? { 'last-event-id': Buffer.from(from).toString('latin1') } : {}),
    };
    const answer = await this.client.open({ url, headers }, silenceSeconds * 1000, signal);
    const type = String(answer.headers['content-type'] ?? '');
    if (answer.status === 200 && TYPES[form].test(type)) return answer;
    answer.body.destroy();
    if (answer.status === 401 || answer.status === 403)
      throw new NotAuthorised(`It answers with status ${answer.status}: it does not know us. Check how we sign in.`);
    if (answer.status !== 200)
      throw new UnexpectedAnswer(`It answers with status ${answer.status}; a stream begins with 200.`);
    throw new UnexpectedAnswer(
      `It answers with ${type === '' ? 'something of which it does not say what it is' : `“${type.slice(0, 60)}”`}, not with ${form === 'events' ? 'server-sent events (text/event-stream)' : 'JSON lines'}.`,
    );
  }

  private async hear(from: string | null, hears: Hears, signal: AbortSignal): Promise<number | null> {
    const ends = new AbortController();
    const both = AbortSignal.any([signal, this.closed.signal, ends.signal]);
    const records = this.records();
    try {
      const answer = await this.begin(from, both);
      this.since = new Date();
      hears.opened();
      await this.takeAll(answer, records, from, hears, both);
    } catch (error) {
      // Silence is no fault: it is asked anew.
      const isSilent = this.since !== null && (error as { code?: string }).code === 'UND_ERR_BODY_TIMEOUT';
      if (!isSilent && !signal.aborted && !this.closed.signal.aborted) {
        if (this.since !== null && error instanceof UnexpectedAnswer) this.problem = this.foundOf(error);
        throw error;
      }
    } finally {
      this.since = null;
      ends.abort();
    }
    return records.wait;
  }
  private async takeAll(
    answer: OpenAnswer,
    records: Records,
    from: string | null,
    hears: Hears,
    signal: AbortSignal,
  ): Promise<void> {
    let checkpoint = from;
    const take = async (read: readonly Read[]): Promise<void> => {
      const unnamed = this.connection.unnamed === 'stop' ? read.findIndex((r) => r.id === null) : -1;
      const came = unnamed < 0 ? read : read.slice(0, unnamed);
      const before = checkpoint;
      checkpoint = (unnamed < 0 ? records.lastId : came.at(-1)?.position) ?? checkpoint;
      if (came.length > 0 || checkpoint !== before) {
        this.changed += await hears.take(came, checkpoint);
        if (came.length > 0) this.lastAt = new Date();
        this.problem = null;
      }
      if (unnamed >= 0) throw new UnexpectedAnswer(NO_ID);
    };
    for await (const bytes of answer.body) {
      await take(records.push(bytes));
      if (signal.aborted) return;
    }
    await take(records.end());
  }
  private records(): Records {
    const { form, idField = '', only = '' } = this.connection;
    if (form === 'lines') return new LineRecords(idField);
    const names = only.split(',').map((name) => name.trim());
    return new EventRecords(idField, new Set(names.filter((name) => name !== '')));
  }
  private foundOf(error: unknown): Found {
    const found = diagnoseNetwork(error, new URL(this.connection.base).host);
    if (found) return found;
    const code = error instanceof NotAuthorised ? 'not_authorised' : 'unexpected_answer';
    return failed(code, (error as Error).message);
  }

  async close(): Promise<void> {
    this.closed.abort();
    await this.client.close();
  }
}

const NO_ID =
  'A record came without an id, and was not taken: nothing tells whether it came before. Say which field has it, or that such a record counts anew each time.';
const sayTime = (at: Date): string => `${at.toISOString().slice(0, 19).replace('T', ' ')} UTC`;
