import { Aborted, type Delivered, type Delivery, refused } from '@versicle/core';
import pg from 'pg';
import { databaseError, type Database, type Sessions, type Statement, type Swap, type Swapped } from '../database.ts';
import { deliverChunk, discardOf, JOURNAL, swapContent } from '../delivery/deliver.ts';
import { isDatabaseOutage } from '../outage.ts';
import type { Row, Session } from '../session.ts';
import { AS_TEXT, SETTINGS } from '../settings.ts';
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

/** A PostgreSQL server over TCP (15 and newer), by a pool of connections. */
export class ServerDatabase implements Database, Sessions {
  private readonly pool: pg.Pool;
  private journal: Promise<void> | null = null;
  private copies: Promise<boolean> | null = null;

  constructor(private readonly address: ServerAddress) {
    const { label: _, ...where } = address;
    this.pool = new pg.Pool({
      ...where,
      max: 4,
      connectionTimeoutMillis: 8000,
      idleTimeoutMillis: 20_000,
      application_name: 'Versicle',
      onConnect: (client) => client.query(SETTINGS).then(() => undefined),
      types: types as never,
    });
    // A connection that breaks while nobody uses it is dropped; the next query says what is wrong.
    this.pool.on('error', () => undefined);
    // One that is in use may break between two queries: whoever uses it hears of it with the next one.
    this.pool.on('connect', (client) => void goneOf(client));
  }

  async query<T extends Row = Row>(sql: string, params: readonly unknown[] = []): Promise<T[]> {
    return (await this.said(this.pool.query(sql, [...params]))).rows as T[];
  }
  async exec(sql: string): Promise<void> {
    await this.said(this.pool.query(sql));
  }
  transaction(statements: readonly Statement[], signal?: AbortSignal): Promise<Row[][]> {
    return this.inTransaction(async (session) => {
      const results: Row[][] = [];
      for (const { sql, params } of statements) results.push((await session.query(sql, params)).rows);
      return results;
    }, signal);
  }

  /** Who aborts drops the connection, and the server takes everything back; a COMMIT that is on its way is waited for. */
  async inTransaction<T>(work: (session: Session) => Promise<T>, signal?: AbortSignal): Promise<T> {
    const takesCopy = await this.takesCopy();
    const client = await this.said(this.pool.connect());
    const ending = endsWith(client, signal);
    let committing = false;
    try {
      if (signal?.aborted) throw new Aborted();
      await client.query('BEGIN');
      const result = await work(sessionOf(client, takesCopy));
      committing = true;
      ending.forget();
      await client.query('COMMIT');
      client.release();
      return result;
    } catch (error) {
      await client.query('ROLLBACK').catch(() => undefined);
      client.release(error as Error);
      throw signal?.aborted && !committing ? new Aborted() : databaseError(error);
    } finally {
      ending.forget();
    }
  }

  async deliver(delivery: Delivery, signal?: AbortSignal): Promise<Delivered> {
    await this.hasJournal();
    return this.inTransaction((session) => deliverChunk(session, delivery), signal);
  }
  async swap(swap: Swap, signal?: AbortSignal): Promise<Swapped> {
    await this.hasJournal();
    return this.inTransaction((session) => swapContent(session, swap), signal);
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
      const [made] = await this.query<{ made: boolean }>(
        "SELECT EXISTS (SELECT 1 FROM pg_attribute WHERE attrelid = to_regclass('versicle.delivery') AND attname = 'unchanged') AS made",
      );
      if (!made!.made) await this.exec(JOURNAL);
    } catch (error) {
      if (isDatabaseOutage(error)) throw error;
      throw refused(
        `Versicle keeps a journal of delivered chunks (versicle.delivery) in ${this.address.label}, so that nothing arrives twice, and could not make it: ${(error as Error).message}. Give the user the right to create a schema, or create it for them.`,
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
