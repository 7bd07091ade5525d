import { Aborted, type Delivered, type Delivery, refused } from '@versicle/core';
import pg from 'pg';
import { databaseError, type Database, type Sessions, type Statement, type Swap, type Swapped } from '../database.ts';
import { deliverChunk, discardOf, JOURNAL, swapContent, takeOnRun } from '../delivery/deliver.ts';
import { isDatabaseOutage } from '../outage.ts';
import type { Row, Session } from '../session.ts';
import { AS_TEXT, KEPT_ALIVE, MISSPELT, SETTINGS } from '../settings.ts';
import { endsWith, goneOf, release, sessionOf } from './connection.ts';
import { readByCursor } from './read.ts';

export interface ServerAddress {
  readonly host: string;
  readonly port: number;
  readonly database: string;
  readonly user: string;
  readonly password: string;
  /** False: without TLS; otherwise as `tls.connect` takes it. */
  readonly ssl: pg.PoolConfig['ssl'];
  /** What people call it. */
  readonly label: string;
  /** Settings of its sessions, as the server's command line takes them. */
  readonly options?: string;
}
export interface ServerOptions {
  /** Connections at a time. */
  readonly most?: number;
  /** Similarity of words (`pg_trgm`), for finding. */
  readonly trigrams?: boolean;
  /**
   * Seconds for which a transaction may do nothing: the server ends the session of a process that was stopped in the middle of
   * one, so that it is in nobody's way. Reading by cursor may wait for longer.
   */
  readonly idleSeconds?: number;
  /** What its sessions are called on the server. */
  readonly name?: string;
}
/** A column of a statement's answer. */
export interface DescribedColumn {
  readonly name: string;
  readonly type: string;
}

const asText = (text: string): string => text;
const types = {
  getTypeParser: (oid: number, format?: 'text' | 'binary') =>
    AS_TEXT.has(oid) ? asText : pg.types.getTypeParser(oid, format as 'text'),
};

/** Times that what was taken back for another one's sake is done again. */
const REPEATS = 20;
/** Two that were in each other's way (deadlock, serialization): the server took one back as a whole, so that it can be done again. */
async function repeated<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++)
    try {
      return await work();
    } catch (error) {
      const { code } = error as { code?: unknown };
      if ((code !== '40P01' && code !== '40001') || tries > REPEATS) throw error;
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 20 * tries));
    }
}

/** A PostgreSQL server over TCP (15 and newer), by a pool of connections. */
export class ServerDatabase implements Database, Sessions {
  private readonly pool: pg.Pool;
  private journal: Promise<void> | null = null;
  private copies: Promise<boolean> | null = null;
  private readonly name: string;
  /** Sessions that were lost in a transaction: the server may not have heard of it, and go on, or hold what the next try needs. */
  private readonly lost = new Set<number>();

  constructor(
    private readonly address: ServerAddress,
    { most = 4, trigrams = false, idleSeconds, name = 'Versicle' }: ServerOptions = {},
  ) {
    const { label: _, ...where } = address;
    this.name = name;
    const settings = [
      SETTINGS,
      KEPT_ALIVE,
      ...(trigrams ? [MISSPELT] : []),
      ...(idleSeconds === undefined
        ? []
        : [`SET idle_in_transaction_session_timeout = ${Math.ceil(idleSeconds * 1000)}`]),
    ].join('; ');
    this.pool = new pg.Pool({
      ...where,
      max: most,
      connectionTimeoutMillis: 8000,
      idleTimeoutMillis: 20_000,
      application_name: name,
      keepAlive: true,
      keepAliveInitialDelayMillis: 10_000,
      onConnect: (client) => client.query(settings).then(() => undefined),
      types: types as never,
    });
    // A connection that breaks while nobody uses it is dropped; the next query says what is wrong.
    this.pool.on('error', () => undefined);
    // One that is in use may break between two queries: whoever uses it hears of it with the next one.
    this.pool.on('connect', (client) => void goneOf(client));
  }

  async query<T extends Row = Row>(sql: string, params: readonly unknown[] = []): Promise<T[]> {
    return (await repeated(() => this.said(this.pool.query(sql, [...params])))).rows as T[];
  }
  async exec(sql: string): Promise<void> {
    await this.said(this.pool.query(sql));
  }
  transaction(statements: readonly Statement[], signal?: AbortSignal): Promise<Row[][]> {
    const all = async (session: Session): Promise<Row[][]> => {
      const results: Row[][] = [];
      for (const { sql, params } of statements) results.push((await session.query(sql, params)).rows);
      return results;
    };
    return repeated(() => this.inTransaction(all, signal));
  }

  /** Who aborts drops the connection, and the server takes everything back; a COMMIT that is on its way is waited for. */
  async inTransaction<T>(work: (session: Session) => Promise<T>, signal?: AbortSignal): Promise<T> {
    const takesCopy = await this.takesCopy();
    const client = await this.said(this.pool.connect());
    const ending = endsWith(client, signal);
    let committing = false;
    try {
      if (signal?.aborted) throw new Aborted();
      if (this.lost.size > 0) await this.endLost(client);
      await client.query('BEGIN');
      const result = await work(sessionOf(client, takesCopy));
      committing = true;
      ending.forget();
      await client.query('COMMIT');
      client.release();
      return result;
    } catch (error) {
      const { processID } = client as unknown as { processID: number | null };
      await client.query('ROLLBACK').catch(() => processID !== null && this.lost.add(processID));
      client.release(error as Error);
      throw signal?.aborted && !committing ? new Aborted() : databaseError(error);
    } finally {
      ending.forget();
    }
  }

  /** One connection for all that `work` does, in no transaction but its own; closed afterwards, with its temporary tables. */
  async inSession<T>(work: (session: Session) => Promise<T>): Promise<T> {
    const takesCopy = await this.takesCopy();
    const client = await this.said(this.pool.connect());
    try {
      return await work(sessionOf(client, takesCopy));
    } finally {
      client.release(true);
    }
  }

  async takeOn(source: string, claim: number): Promise<void> {
    await this.hasJournal();
    await this.inTransaction((session) => takeOnRun(session, source, claim));
  }
  async deliver(delivery: Delivery, signal?: AbortSignal): Promise<Delivered> {
    await this.hasJournal();
    return this.inTransaction((session) => deliverChunk(session, delivery), signal);
  }
  async swap(swap: Swap, signal?: AbortSignal): Promise<Swapped> {
    await this.hasJournal();
    return this.inTransaction((session) => swapContent(session, swap), signal);
  }
  /** Ends the sessions of that name that the user may end: of a process that hangs, and may hold what others wait for. */
  async endSessions(name: string): Promise<void> {
    await this.query(
      'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = $1 AND datname = current_database() AND usename = current_user AND pid <> pg_backend_pid()',
      [name],
    );
  }
  private async endLost(client: pg.PoolClient): Promise<void> {
    const pids = [...this.lost];
    const ending = client.query(
      'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE pid = ANY($1) AND application_name = $2 AND usename = current_user AND pid <> pg_backend_pid()',
      [pids, this.name],
    );
    // Who may not end sessions, not even those of the same user, has to wait until the server does.
    await ending.catch((error: unknown) => {
      if (isDatabaseOutage(error)) throw error;
    });
    for (const pid of pids) this.lost.delete(pid);
  }
  async discard(source: string): Promise<void> {
    await this.exec(discardOf(source));
  }

  /** The answer's rows as arrays, some thousand at a time, of one snapshot. Ends when nobody asks for more, or by the signal. */
  async *read<T extends readonly unknown[]>(
    sql: string,
    signal?: AbortSignal,
    params: readonly unknown[] = [],
  ): AsyncGenerator<T[]> {
    if (signal?.aborted) throw new Aborted();
    yield* readByCursor<T>(await this.said(this.pool.connect()), sql, params, signal);
  }

  /** Columns of a SELECT, as the server describes them without running it: one statement, which may not write. */
  async describe(sql: string): Promise<DescribedColumn[]> {
    const { fields } = await this.said(this.described(sql));
    const rows = await this.query<{ type: string }>(
      'SELECT format_type(u.oid, u.mod) AS type FROM unnest($1::oid[], $2::int[]) WITH ORDINALITY AS u(oid, mod, n) ORDER BY n',
      [fields.map((f) => f.dataTypeID), fields.map((f) => f.dataTypeModifier)],
    );
    return fields.map((f, i) => ({ name: f.name, type: rows[i]!.type }));
  }
  /** By the extended protocol, which takes one statement only. */
  private async described(sql: string): Promise<pg.QueryResult> {
    const client = await this.pool.connect();
    try {
      await client.query('BEGIN READ ONLY');
      return await client.query({ text: `SELECT * FROM (${sql}\n) AS s LIMIT 0`, queryMode: 'extended' } as never);
    } finally {
      await release(client);
    }
  }

  close(): Promise<void> {
    return this.pool.end();
  }

  /** An embedded PostgreSQL behind a socket does not take COPY. */
  private takesCopy(): Promise<boolean> {
    this.copies ??= this.query<{ v: string }>('SELECT version() AS v').then(
      ([row]) => !/emcc|emscripten|wasm/i.test(row!.v),
      (error: Error) => {
        this.copies = null;
        throw error;
      },
    );
    return this.copies;
  }

  private hasJournal(): Promise<void> {
    this.journal ??= this.makeJournal().catch((error: Error) => {
      this.journal = null;
      throw error;
    });
    return this.journal;
  }
  private async makeJournal(): Promise<void> {
    try {
      // Somebody may have made it for a user who may not.
      const [found] = await this.query<{ made: boolean; allowed: boolean | null }>(
        `SELECT EXISTS (SELECT 1 FROM pg_attribute WHERE attrelid = j.oid AND attname = 'unchanged') AS made,
                (SELECT bool_and(has_table_privilege(j.oid, p)) FROM unnest(ARRAY['SELECT', 'INSERT', 'UPDATE', 'DELETE']) AS p) AS allowed
           FROM (SELECT to_regclass('versicle.delivery')::oid AS oid) j`,
      );
      if (!found!.made) await this.exec(JOURNAL);
      else if (found!.allowed !== true) throw new Error('the user may not SELECT, INSERT, UPDATE and DELETE there');
    } catch (error) {
      if (isDatabaseOutage(error)) throw error;
      throw refused(
        `Versicle keeps a journal of delivered chunks (versicle.delivery) in ${this.address.label}, so that nothing arrives twice, and could not make it or write in it: ${(error as Error).message}. Give the user the right to create a schema, or create it for them and grant them all on it.`,
      );
    }
  }

  private async said<T>(work: Promise<T>): Promise<T> {
    try {
      return await work;
    } catch (error) {
      throw databaseError(error);
    }
  }
}
