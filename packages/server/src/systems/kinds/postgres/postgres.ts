import { type Delivered, type Delivery, nearest, quoted, quoteName, refused } from '@versicle/core';
import type { ConnectionOf } from '@versicle/contract';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import Cursor from 'pg-cursor';
import { deliverChunk, discardOf, JOURNAL, swapContent } from '../../../store/deliver.ts';
import type { DeliveryTransaction } from '../../../store/delivery-transaction.ts';
import { tableName } from '../../../store/table-name.ts';
import { Aborted, isDatabaseOutage, Outage } from '../../outage.ts';
import type { Found, Kind, KindContext, OpenSystem, ReadOptions, SourceBatch, TargetRun } from '../kind.ts';
import { diagnoseNetwork, failed } from '../network/diagnose.ts';
import { allowedAddress, requireAllowedHost } from '../network/guard.ts';
import { describedColumns, SqlTables, swapped, type SqlQueries } from '../sql/tables.ts';

type PostgresConnection = ConnectionOf<'postgres'>;

/** A PostgreSQL server over TCP (15 and newer). */
export const postgres: Kind<'postgres'> = {
  open: (connection, context) => new Postgres(connection, context),
  check: ({ host }) => requireAllowedHost(host),
};

/** All that changes how values are written or read, whatever the role or the database has as its own default. */
const SESSION =
  "SET TimeZone = 'UTC'; SET DateStyle = 'ISO'; SET IntervalStyle = 'postgres'; SET extra_float_digits = 1; SET bytea_output = 'hex'; SET xmloption = 'content'; SET client_encoding = 'UTF8'; SET lc_monetary = 'C'; SET standard_conforming_strings = on";
const ROWS_AT_ONCE = 2000;
/** Larger tables are estimated, so that a list of datasets comes at once. */
const COUNT_UP_TO = 200_000;

/** Everything comes as the text that PostgreSQL prints, but for booleans, which the catalogue asks for. */
const types = {
  getTypeParser: (oid: number) => (oid === 16 ? (text: string) => text === 't' : (text: string) => text),
};

class Postgres implements OpenSystem {
  private readonly pools = new Map<string, Promise<pg.Pool>>();
  readonly selects = true;
  readonly target: NonNullable<OpenSystem['target']>;
  private prepared: Promise<boolean> | null = null;

  constructor(
    private readonly connection: PostgresConnection,
    private readonly context: KindContext,
  ) {
    this.target = {
      encoding: 'copy',
      check: (document, dataset) => this.tables('write').check(document, dataset),
      prepare: (document, dataset) => this.known(this.tables('write').prepare(document, dataset)),
      deliver: (delivery, run) => this.deliver(delivery, run),
      finish: (document, dataset, run) =>
        swapped(document, dataset, run, (swap) => this.inTransaction(run, (tx) => swapContent(tx, swap))),
      discard: async ({ uid }) => {
        for (const statement of discardOf(uid).split('; ')) await (await this.pool('write')).query(statement);
      },
    };
  }

  private get label(): string {
    return `${this.connection.database} at ${this.connection.host}`;
  }
  private get where(): string {
    return `${this.connection.host}:${this.connection.port}`;
  }

  private pool(use: 'read' | 'write'): Promise<pg.Pool> {
    const { user, password, writeUser, writePassword } = this.connection;
    const who = use === 'write' && writeUser ? { user: writeUser, password: writePassword } : { user, password };
    let pool = this.pools.get(who.user);
    if (!pool) {
      pool = this.makePool(who);
      pool.catch(() => this.pools.delete(who.user));
      this.pools.set(who.user, pool);
    }
    return pool;
  }
  private async makePool(who: { user: string; password: string | undefined }): Promise<pg.Pool> {
    const { host, port, database, tls, authority } = this.connection;
    const pool = new pg.Pool({
      // The number that was found to be allowed; the name still goes into the check of the certificate.
      host: await allowedAddress(host),
      port,
      database,
      user: who.user,
      password: who.password ?? '',
      max: 4,
      connectionTimeoutMillis: 8000,
      idleTimeoutMillis: 20_000,
      application_name: 'Versicle',
      onConnect: (client) => client.query(SESSION).then(() => undefined),
      types: types as never,
      ssl:
        tls === 'off' || (tls === 'auto' && isThisMachine(host))
          ? false
          : { servername: host, rejectUnauthorized: tls !== 'unchecked', ...(authority ? { ca: authority } : {}) },
    });
    // A connection that breaks while nobody uses it is dropped; the next query says what is wrong.
    pool.on('error', () => undefined);
    // One that is in use may break between two queries: whoever uses it hears of it with the next one.
    pool.on('connect', (client) => void goneOf(client));
    return pool;
  }

  private queries(use: 'read' | 'write'): SqlQueries {
    return {
      query: async (sql, params = []) => (await (await this.pool(use)).query(sql, [...params])).rows as never,
      exec: async (sql) => (await this.pool(use)).query(sql),
    };
  }
  private tables(use: 'read' | 'write' = 'read'): SqlTables {
    return new SqlTables(this.queries(use), this.label);
  }

  async test(): Promise<Found> {
    try {
      const tables = await this.tables().tables();
      if (this.connection.writeUser) await this.queries('write').query('SELECT 1');
      const [version] = await this.queries('read').query<{ v: string }>(
        "SELECT current_setting('server_version') AS v",
      );
      return {
        ok: true,
        code: 'ok',
        message: `PostgreSQL ${version!.v} answers; the user sees ${tables.length === 0 ? 'no tables' : tables.length === 1 ? 'one table or view' : `${tables.length} tables and views`}.`,
        sees: tables.slice(0, 8).map((t) => (t.schema === 'public' ? t.name : `${t.schema}.${t.name}`)),
      };
    } catch (error) {
      return this.diagnose(error);
    }
  }
  private async diagnose(error: unknown): Promise<Found> {
    const { code, message } = error as { code?: string; message: string };
    const { user, database } = this.connection;
    switch (code) {
      case '28P01':
      case '28000':
        return failed(
          'not_authorised',
          `The server at ${this.where} does not let ${user} in: ${message}. Check user and password.`,
        );
      case '3D000': {
        const names = await this.databases();
        const near = nearest(database, names);
        const sorted = near ? [near, ...names.filter((n) => n !== near)] : names;
        return failed(
          'no_such_database',
          `There is no database ${quoted(database)} at ${this.where}.${near ? ` Did you mean ${near}?` : ''}`,
          sorted.slice(0, 8),
        );
      }
      case '42501':
        return failed('not_permitted', `${user} signed in, but may not look into ${database}: ${message}.`);
      case '53300':
        return failed('refused', `The server at ${this.where} has no connection left: ${message}.`);
      default:
    }
    const found = diagnoseNetwork(error, this.where);
    if (found) return found;
    if (/timeout/i.test(message)) return diagnoseNetwork({ code: 'ETIMEDOUT' }, this.where)!;
    if (/does not support SSL/i.test(message))
      return failed(
        'unexpected_answer',
        `The server at ${this.where} does not take TLS; switch it off, or switch it on there.`,
      );
    if (/terminated unexpectedly|Connection ended/i.test(message))
      return failed(
        'unexpected_answer',
        `${this.where} answers, but not as a PostgreSQL server does. Check host and port.`,
      );
    return failed('unexpected_answer', `${this.where} answered unexpectedly: ${message}`);
  }
  /** The names of the server's databases, as far as the database “postgres” tells this user. */
  private async databases(): Promise<string[]> {
    const other = new Postgres({ ...this.connection, database: 'postgres' }, this.context);
    try {
      const rows = await other
        .queries('read')
        .query<{ name: string }>('SELECT datname AS name FROM pg_database WHERE NOT datistemplate ORDER BY 1');
      return rows.map((r) => r.name);
    } catch {
      return [];
    } finally {
      await other.close();
    }
  }

  async datasets(): ReturnType<OpenSystem['datasets']> {
    const tables = await this.tables().datasets(COUNT_UP_TO);
    const selects = [...(await this.context.settings())].flatMap(([name, setting]) =>
      setting.kind === 'select'
        ? [{ name, description: 'a SELECT of ours', records: null, bytes: null, changedAt: null, problem: null }]
        : [],
    );
    return [...tables, ...selects];
  }

  private async select(dataset: string): Promise<string | null> {
    const setting = (await this.context.settings()).get(dataset);
    return setting?.kind === 'select' ? setting.sql.trim().replace(/;\s*$/, '') : null;
  }

  async describe(dataset: string): ReturnType<OpenSystem['describe']> {
    const sql = await this.select(dataset);
    if (sql === null) return this.tables().describe(dataset);
    const columns = await this.columnsOf(sql);
    return {
      ...describedColumns(
        columns.map((c) => ({ ...c, nullable: true, key: false, comment: null, refers: null })),
        undefined,
      ),
      name: dataset,
      setting: { kind: 'select', sql },
      settled: true,
    };
  }
  /** Columns of a SELECT, as the server describes them without running it. */
  private async columnsOf(sql: string): Promise<{ name: string; type: string }[]> {
    const pool = await this.pool('read');
    try {
      const { fields } = await this.described(pool, sql);
      const { rows } = await pool.query<{ type: string }>(
        'SELECT format_type(u.oid, u.mod) AS type FROM unnest($1::oid[], $2::int[]) WITH ORDINALITY AS u(oid, mod, n) ORDER BY n',
        [fields.map((f) => f.dataTypeID), fields.map((f) => f.dataTypeModifier)],
      );
      return fields.map((f, i) => ({ name: f.name, type: rows[i]!.type }));
    } catch (error) {
      throw refused(`The SELECT can't be used: ${(error as Error).message}`);
    }
  }

  /** By the extended protocol, which takes one statement only, in a transaction that may not write. */
  private async described(pool: pg.Pool, sql: string): Promise<pg.QueryResult> {
    const client = await pool.connect();
    try {
      await client.query('BEGIN READ ONLY');
      return await client.query({ text: `SELECT * FROM (${sql}\n) AS s LIMIT 0`, queryMode: 'extended' } as never);
    } finally {
      await client.query('ROLLBACK').then(
        () => client.release(),
        (error: Error) => client.release(error),
      );
    }
  }

  /** By a cursor in a read-only transaction: one snapshot, and never more than a few thousand rows in memory. */
  async *read(dataset: string, options: ReadOptions): AsyncGenerator<SourceBatch> {
    const sql = await this.select(dataset);
    const columns: { name: string; type: string; key?: boolean }[] =
      sql === null ? await this.tables().known(dataset) : await this.columnsOf(sql);
    const key = columns.filter((c) => c.key);
    const asked = this.tables().clauses(options, columns);
    const where = asked.where === null ? '' : ` WHERE ${asked.where}`;
    const by = asked.order ?? key.map((c) => quoteName(c.name)).join(', ');
    const order = by === '' ? '' : ` ORDER BY ${by}`;
    // Named by their places: an order by a field must mean the field, not its text.
    const list = columns.map((c, i) => `${quoteName(c.name)}::text AS c${i}`).join(', ');
    const from = sql === null ? tableName(dataset) : `(${sql}\n) AS s`;
    const client = await (await this.pool('read')).connect();
    let cursor: Cursor<(string | null)[]> | null = null;
    let broken: Error | null = null;
    const stop = (): void =>
      (client as unknown as { connection: { stream: { destroy(): void } } }).connection.stream.destroy();
    options.signal?.addEventListener('abort', stop, { once: true });
    try {
      await client.query('BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY');
      cursor = client.query(
        new Cursor<(string | null)[]>(`SELECT ${list} FROM ${from}${where}${order}`, [], { rowMode: 'array' }),
      );
      for (;;) {
        const rows = await unlessGone(client, cursor.read(ROWS_AT_ONCE));
        if (rows.length === 0) break;
        yield { fields: columns.map((c) => c.name), rows, file: null };
      }
    } catch (error) {
      broken = error as Error;
      if (options.signal?.aborted) throw new Aborted();
      if ((error as { status?: number }).status !== undefined) throw error;
      throw refused(`${dataset} can't be read from ${this.label}: ${broken.message}`);
    } finally {
      options.signal?.removeEventListener('abort', stop);
      // What is wrong with the connection would be waited for here without an end.
      if (broken !== null && isDatabaseOutage(broken)) client.release(broken);
      else {
        await unlessGone(client, cursor?.close() ?? Promise.resolve()).catch(() => undefined);
        await client.query('ROLLBACK').then(
          () => client.release(),
          (error: Error) => client.release(error),
        );
      }
    }
  }

  private async known<T>(asked: Promise<T>): Promise<T> {
    try {
      return await asked;
    } catch (error) {
      if (isDatabaseOutage(error)) throw new Outage(`${this.label} can't be reached: ${(error as Error).message}`);
      throw error;
    }
  }
  private deliver(delivery: Delivery, run: TargetRun): Promise<Delivered> {
    return this.inTransaction(run, (tx) => deliverChunk(tx, delivery));
  }
  /** A run that is aborted drops its connection, and the server takes everything back; a COMMIT that is on its way is waited for. */
  private async inTransaction<T>({ signal }: TargetRun, work: (tx: DeliveryTransaction) => Promise<T>): Promise<T> {
    let client: pg.PoolClient | null = null;
    let committing = false;
    const stop = (): void => {
      // The connection itself, since a statement under way would be waited for.
      if (!committing)
        (client as unknown as { connection: { stream: { destroy(): void } } } | null)?.connection.stream.destroy();
    };
    try {
      const pool = await this.pool('write');
      this.prepared ??= this.prepareJournal(pool);
      const takesCopy = await this.prepared.catch((error: Error) => {
        this.prepared = null;
        throw error;
      });
      client = await pool.connect();
      if (signal.aborted) throw new Aborted();
      signal.addEventListener('abort', stop, { once: true });
      await client.query('BEGIN');
      const result = await work(transactionOf(client, takesCopy));
      committing = true;
      await client.query('COMMIT');
      client.release();
      return result;
    } catch (error) {
      await client?.query('ROLLBACK').catch(() => undefined);
      client?.release(error as Error);
      if (signal.aborted && !committing) throw new Aborted();
      if (isDatabaseOutage(error)) throw new Outage(`${this.label} can't be reached: ${(error as Error).message}`);
      throw error;
    } finally {
      signal.removeEventListener('abort', stop);
    }
  }
  /** Makes the journal; says whether the server takes COPY (an embedded one behind a socket does not). */
  private async prepareJournal(pool: pg.Pool): Promise<boolean> {
    try {
      // Somebody may have made it for a user who may not.
      const { rows: made } = await pool.query<{ made: boolean }>(
        "SELECT EXISTS (SELECT 1 FROM pg_attribute WHERE attrelid = to_regclass('versicle.delivery') AND attname = 'unchanged') AS made",
      );
      if (!made[0]?.made)
        for (const statement of JOURNAL.split(/;\s*\n?/)) if (statement.trim()) await pool.query(statement);
    } catch (error) {
      if (isDatabaseOutage(error)) throw error;
      throw refused(
        `Versicle keeps a journal of delivered chunks (versicle.delivery) in ${this.label}, so that nothing arrives twice, and could not make it: ${(error as Error).message}. Give the user the right to create a schema, or create it for them.`,
      );
    }
    const { rows } = await pool.query<{ v: string }>('SELECT version() AS v');
    return !/emcc|emscripten|wasm/i.test(rows[0]!.v);
  }

  async close(): Promise<void> {
    for (const pool of this.pools.values()) await (await pool.catch(() => null))?.end().catch(() => undefined);
    this.pools.clear();
  }
}

const gone = new WeakMap<pg.ClientBase, Promise<never>>();
/** Rejects when the connection breaks; also one that breaks between two queries is heard of so. */
function goneOf(client: pg.ClientBase): Promise<never> {
  const known = gone.get(client);
  if (known) return known;
  const promise = new Promise<never>((_, reject) => {
    client.on('error', reject);
    client.on('end', () => reject(new Error('Connection terminated unexpectedly')));
  });
  promise.catch(() => undefined);
  gone.set(client, promise);
  return promise;
}
/** A cursor asks a connection that broke meanwhile without an end; here it ends with the reason. */
function unlessGone<T>(client: pg.ClientBase, work: Promise<T>): Promise<T> {
  return Promise.race([work, goneOf(client)]);
}

const isThisMachine = (host: string): boolean => /^(localhost|127\.\d+\.\d+\.\d+|::1|\[::1\])$/i.test(host);

function transactionOf(client: pg.PoolClient, takesCopy: boolean): DeliveryTransaction {
  return {
    exec: (sql) => client.query(sql),
    query: async (sql, params) => {
      const { rows, rowCount } = await client.query(sql, params);
      return { rows: rows as Record<string, unknown>[], count: rowCount ?? 0 };
    },
    copy: takesCopy
      ? (table, columns, text) =>
          unlessGone(
            client,
            new Promise<number>((resolve, reject) => {
              const stream = client.query(copyFrom(`COPY ${table} (${columns}) FROM STDIN`));
              stream.on('error', reject);
              stream.on('finish', () => resolve((stream as unknown as { rowCount: number }).rowCount));
              stream.end(Buffer.from(text.buffer, text.byteOffset, text.byteLength));
            }),
          )
      : null,
  };
}
