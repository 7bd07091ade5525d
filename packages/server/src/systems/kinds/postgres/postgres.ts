import { nearest, quoted, quoteName } from '@versicle/core';
import type { ConnectionOf } from '@versicle/contract';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import Cursor from 'pg-cursor';
import { refused } from '../../../http/problem.ts';
import { deliverChunk, JOURNAL, type DeliveryTransaction } from '../../../store/deliver.ts';
import type { Found, Kind, KindContext, OpenSystem, ReadOptions, SourceBatch } from '../kind.ts';
import { diagnoseNetwork, failed } from '../network/diagnose.ts';
import { allowedAddress, requireAllowedHost } from '../network/guard.ts';
import { describedColumns, fromClause, SqlTables, type SqlQueries } from '../sql/tables.ts';

type PostgresConnection = ConnectionOf<'postgres'>;

/** A PostgreSQL server over TCP (15 and newer). */
export const postgres: Kind<'postgres'> = {
  open: (connection, context) => new Postgres(connection, context),
  check: ({ host }) => requireAllowedHost(host),
};

const SESSION = "SET TimeZone = 'UTC'; SET DateStyle = 'ISO'; SET IntervalStyle = 'postgres'";
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
      prepare: (document, dataset) => this.tables('write').prepare(document, dataset),
      deliver: (delivery) => this.deliver(delivery),
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
        tls === 'off'
          ? false
          : { servername: host, rejectUnauthorized: tls === 'on', ...(authority ? { ca: authority } : {}) },
    });
    // A connection that breaks while nobody uses it is dropped; the next query says what is wrong.
    pool.on('error', () => undefined);
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
      const { fields } = await pool.query(`SELECT * FROM (${sql}\n) AS s LIMIT 0`);
      const { rows } = await pool.query<{ type: string }>(
        'SELECT format_type(u.oid, u.mod) AS type FROM unnest($1::oid[], $2::int[]) WITH ORDINALITY AS u(oid, mod, n) ORDER BY n',
        [fields.map((f) => f.dataTypeID), fields.map((f) => f.dataTypeModifier)],
      );
      return fields.map((f, i) => ({ name: f.name, type: rows[i]!.type }));
    } catch (error) {
      throw refused(`The SELECT can't be used: ${(error as Error).message}`);
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
    const from = sql === null ? fromClause(dataset) : `(${sql}\n) AS s`;
    const client = await (await this.pool('read')).connect();
    let cursor: Cursor<(string | null)[]> | null = null;
    try {
      await client.query('BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY');
      cursor = client.query(
        new Cursor<(string | null)[]>(`SELECT ${list} FROM ${from}${where}${order}`, [], { rowMode: 'array' }),
      );
      for (;;) {
        const rows = await cursor.read(ROWS_AT_ONCE);
        if (rows.length === 0) break;
        yield { fields: columns.map((c) => c.name), rows, file: null };
      }
    } catch (error) {
      if ((error as { status?: number }).status !== undefined) throw error;
      throw refused(`${dataset} can't be read from ${this.label}: ${(error as Error).message}`);
    } finally {
      await cursor?.close().catch(() => undefined);
      await client.query('ROLLBACK').then(
        () => client.release(),
        (error: Error) => client.release(error),
      );
    }
  }

  private async deliver(delivery: Parameters<NonNullable<OpenSystem['target']>['deliver']>[0]) {
    const pool = await this.pool('write');
    this.prepared ??= this.prepareJournal(pool);
    const takesCopy = await this.prepared.catch((error: Error) => {
      this.prepared = null;
      throw error;
    });
    const client = await pool.connect();
    try {
      await client.query('BEGIN');
      const rejected = await deliverChunk(transactionOf(client, takesCopy), delivery);
      await client.query('COMMIT');
      client.release();
      return rejected;
    } catch (error) {
      await client.query('ROLLBACK').catch(() => undefined);
      client.release(error as Error);
      throw error;
    }
  }
  /** Makes the journal; says whether the server takes COPY (an embedded one behind a socket does not). */
  private async prepareJournal(pool: pg.Pool): Promise<boolean> {
    try {
      for (const statement of JOURNAL.split(/;\s*\n?/)) if (statement.trim()) await pool.query(statement);
    } catch (error) {
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

function transactionOf(client: pg.PoolClient, takesCopy: boolean): DeliveryTransaction {
  return {
    exec: (sql) => client.query(sql),
    query: async (sql, params) => ({ rows: (await client.query(sql, params)).rows as Record<string, unknown>[] }),
    copy: takesCopy
      ? (table, columns, text) =>
          new Promise<void>((resolve, reject) => {
            const stream = client.query(copyFrom(`COPY ${table} (${columns}) FROM STDIN`));
            stream.on('error', reject);
            stream.on('finish', () => resolve());
            stream.end(Buffer.from(text.buffer, text.byteOffset, text.byteLength));
          })
      : null,
  };
}
