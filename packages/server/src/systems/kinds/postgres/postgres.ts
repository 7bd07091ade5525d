import { sessionsOf, THIS_PROCESS } from '../../../workers/this-process.ts';
import { IDLE_SECONDS } from '@versicle/store/claims';
import type { Counted } from '@versicle/contract';
import {
  Aborted,
  isFault,
  type MappingDocument,
  millisApart,
  opensAt,
  quoteName,
  readPace,
  readWindows,
  refused,
} from '@versicle/core';
import { isDatabaseOutage, ServerDatabase, tableName, type DescribedColumn } from '@versicle/postgres';
import { Outage } from '../../outage.ts';
import type {
  Captures,
  BulkTarget,
  Finished,
  Found,
  Kind,
  KindContext,
  OpenSystem,
  ReadOptions,
  RunStatement,
  SourceBatch,
  TargetRun,
} from '../kind.ts';
import { allowedAddress, requireAllowedHost } from '../network/guard.ts';
import { carryOutOnce } from '../sql/carry-out.ts';
import { capturesByLog } from './capture-log.ts';
import { capturesByTriggers } from '../sql/capture-triggers.ts';
import { amongKeys, keyLists } from '../sql/keys.ts';
import { takeOn } from '../sql/take-on.ts';
import { tellTableGone } from '../sql/gone.ts';
import { describedColumns, SqlTables, swapped, tableTarget, typeIn, type SqlQueries } from '../sql/tables.ts';
import { diagnosePostgres } from './diagnose.ts';
import { settings, type PostgresConnection } from './settings.ts';

/** A PostgreSQL server over TCP (15 and newer). */
export const postgres: Kind<PostgresConnection> = {
  facts: {
    kind: 'postgres',
    words: 'PostgreSQL',
    holds: true,
    empty: 'The user sees no tables here.',
    settledBy: 'select',
    asks: false,
    byRequest: false,
    arrives: null,
    target: tableTarget(false),
  },
  settings,
  where: ({ host, port, database }) => `${host}:${port}/${database}`,
  place: ['host', 'port', 'tls'],
  open: (connection, context) => new Postgres(connection, context),
  check: ({ host }) => requireAllowedHost(host),
};

/** Milliseconds in which a piece of the records goes: a pace is kept all along, not at its beginning only. */
const PIECE = 10_000;
function paceOf(text: string, { turn }: KindContext): NonNullable<BulkTarget['pace']> {
  const apart = millisApart(readPace(text));
  return { most: Math.max(1, Math.ceil(PIECE / apart)), turn: (records) => turn(records * apart) };
}
/** Larger tables are estimated, so that a list of datasets comes at once. */
const COUNT_UP_TO = 200_000;

class Postgres implements OpenSystem {
  private readonly databases = new Map<string, Promise<ServerDatabase>>();
  readonly goesOn = true;
  readonly target: BulkTarget;
  readonly captures: Captures;

  constructor(
    private readonly connection: PostgresConnection,
    private readonly context: KindContext,
  ) {
    const windows = readWindows(connection.windows ?? '');
    this.captures = this.capturesBy(connection.capture);
    this.target = {
      lane: 'bulk',
      encoding: 'copy',
      opens: (now) => opensAt(windows, now),
      ...(connection.pace === undefined ? {} : { pace: paceOf(connection.pace, context) }),
      check: (document, dataset) => this.tables('write').check(document, dataset),
      outlook: (document, dataset) => this.known(() => this.tables('write').outlook(document, dataset)),
      addFields: (document, dataset) => this.known(() => this.tables('write').addFields(document, dataset)),
      prepare: (document, dataset) => this.known(() => this.tables('write').prepare(document, dataset)),
      deliver: (delivery, { signal }) =>
        this.known(async () => (await this.database('write')).deliver(delivery, signal)),
      finish: (document, dataset, run) => this.known(() => this.finish(document, dataset, run)),
      tellGone: (dataset, gone, { signal }) =>
        this.known(async () =>
          tellTableGone(await this.database('write'), this.tables('write'), dataset, gone, signal),
        ),
      takeOn: ({ uid, claim }, before) =>
        this.known(async () => takeOn(await this.database('write'), uid, claim, before)),
      discard: async ({ uid }) => (await this.database('write')).discard(uid),
    };
  }

  private get label(): string {
    return `${this.connection.database} at ${this.connection.host}`;
  }

  private database(use: 'read' | 'write'): Promise<ServerDatabase> {
    const { user, password, writeUser, writePassword } = this.connection;
    const who = use === 'write' && writeUser ? { user: writeUser, password: writePassword } : { user, password };
    let database = this.databases.get(who.user);
    if (!database) {
      database = this.openDatabase(who);
      database.catch(() => this.databases.delete(who.user));
      this.databases.set(who.user, database);
    }
    return database;
  }
  private async openDatabase(who: { user: string; password: string | undefined }): Promise<ServerDatabase> {
    const { host, port, database, tls, authority } = this.connection;
    const where = {
      // The number that was found to be allowed; the name still goes into the check of the certificate.
      host: await allowedAddress(host),
      port,
      database,
      user: who.user,
      password: who.password ?? '',
      ssl:
        tls === 'off' || (tls === 'auto' && isThisMachine(host))
          ? false
          : { servername: host, rejectUnauthorized: tls !== 'unchecked', ...(authority ? { ca: authority } : {}) },
      label: this.label,
    };
    return new ServerDatabase(where, { idleSeconds: IDLE_SECONDS, name: sessionsOf(THIS_PROCESS) });
  }

  private queries(use: 'read' | 'write'): SqlQueries {
    return {
      query: async (sql, params = []) => (await this.database(use)).query(sql, params),
      exec: async (sql) => (await this.database(use)).exec(sql),
    };
  }
  private tables(use: 'read' | 'write' = 'read'): SqlTables {
    return new SqlTables(this.queries(use), this.label, this.connection.newTables);
  }

  /** Whatever was written down by another way before is looked after, too. */
  private capturesBy(how: PostgresConnection['capture'] | undefined): Captures {
    const write = (): Promise<ServerDatabase> => this.known(() => this.database('write'));
    const tables = this.tables('write');
    const [log, triggers] = [capturesByLog(write, tables), capturesByTriggers(write, tables)];
    const [by, other] = how === 'log' ? [log, triggers] : [triggers, log];
    return {
      ...by,
      problem: (dataset) =>
        (how ?? 'no') === 'no'
          ? Promise.resolve(
              `${this.label} writes down nothing of what changes. Say in the settings of the system what tells it: triggers, or the server’s log. Or compare instead.`,
            )
          : by.problem(dataset),
      ensure: async (dataset, consumer) => {
        const isGapless = await by.ensure(dataset, consumer);
        if (!isGapless) await other.forget(consumer);
        return isGapless;
      },
      size: async (consumer) => {
        const bytes = (await by.size(consumer)) + (await other.size(consumer));
        return (how ?? 'no') === 'no' && bytes > 0 ? Infinity : bytes;
      },
      forget: async (consumer) => {
        await by.forget(consumer);
        await other.forget(consumer);
      },
    };
  }
  carryOut(statement: RunStatement): Promise<string> {
    return this.known(async () => carryOutOnce(await this.database('write'), statement));
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
      return diagnosePostgres(error, this.connection, () => this.names());
    }
  }
  /** The names of the server's databases, as far as the database “postgres” tells this user. */
  private async names(): Promise<string[]> {
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
  private async columnsOf(sql: string): Promise<DescribedColumn[]> {
    const database = await this.database('read');
    return database.describe(sql).catch((error: Error) => {
      throw refused(`The SELECT can't be used: ${error.message}`);
    });
  }

  /** What a dataset is read from, and its columns. */
  private async readFrom(
    dataset: string,
  ): Promise<{ from: string; columns: { name: string; type: string; key?: boolean }[] }> {
    const sql = await this.select(dataset);
    return sql === null
      ? { from: tableName(dataset), columns: await this.tables().known(dataset) }
      : { from: `(${sql}\n) AS s`, columns: await this.columnsOf(sql) };
  }
  async columns(dataset: string): Promise<readonly { name: string; type: string }[]> {
    return (await this.readFrom(dataset)).columns;
  }
  async count(dataset: string, filter: string, signal?: AbortSignal): Promise<Counted> {
    const { from, columns } = await this.readFrom(dataset);
    for await (const [row] of this.rowsOf<[string, string]>(
      dataset,
      this.tables().counting(from, filter, columns),
      signal,
    ))
      return { all: Number(row![0]), met: Number(row![1]) };
    throw refused(`${dataset} can't be counted in ${this.label}.`);
  }

  async *read(dataset: string, options: ReadOptions): AsyncGenerator<SourceBatch> {
    const { from, columns } = await this.readFrom(dataset);
    const key = columns.filter((c) => c.key);
    const asked = this.tables().clauses(options, columns);
    const { rows } = options;
    const among = rows === undefined ? null : amongKeys(rows.fields, typeIn(columns));
    const conditions = [asked.where, among].filter((c) => c !== null);
    const where = conditions.length === 0 ? '' : ` WHERE ${conditions.join(' AND ')}`;
    const by = asked.order ?? key.map((c) => quoteName(c.name)).join(', ');
    const order = by === '' ? '' : ` ORDER BY ${by}`;
    // Named by their places: an order by a field must mean the field, not its text.
    const list = columns.map((c, i) => `${quoteName(c.name)}::text AS c${i}`).join(', ');
    const fields = columns.map((c) => c.name);
    const found = this.rowsOf<(string | null)[]>(
      dataset,
      `SELECT ${list} FROM ${from}${where}${order}`,
      options.signal,
      rows === undefined ? [] : keyLists(rows.fields, rows.keys),
    );
    for await (const rows of found) yield { fields, rows, file: null };
  }
  private async *rowsOf<T extends readonly unknown[]>(
    dataset: string,
    sql: string,
    signal: AbortSignal | undefined,
    params: readonly unknown[] = [],
  ): AsyncGenerator<T[]> {
    try {
      yield* (await this.database('read')).read<T>(sql, signal, params);
    } catch (error) {
      if (error instanceof Aborted || isFault(error)) throw error;
      throw refused(`${dataset} can't be read from ${this.label}: ${(error as Error).message}`);
    }
  }

  private async finish(document: MappingDocument, dataset: string, run: TargetRun): Promise<Finished> {
    const database = await this.database('write');
    return swapped(document, dataset, run, (swap) => database.swap(swap, run.signal));
  }
  private async known<T>(ask: () => Promise<T>): Promise<T> {
    try {
      return await ask();
    } catch (error) {
      if (isDatabaseOutage(error)) throw new Outage(`${this.label} can't be reached: ${(error as Error).message}`);
      throw error;
    }
  }

  async close(): Promise<void> {
    for (const database of this.databases.values())
      await (await database.catch(() => null))?.close().catch(() => undefined);
    this.databases.clear();
  }
}

const isThisMachine = (host: string): boolean => /^(localhost|127\.\d+\.\d+\.\d+|::1|\[::1\])$/i.test(host);
