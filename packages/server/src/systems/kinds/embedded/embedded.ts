import { counted, quoteName, refused } from '@versicle/core';
import { DatabaseError, type Database, datasetName, type Row, ServerDatabase, tableName } from '@versicle/postgres';
import type { Kind, OpenSystem, ReadOptions, SourceBatch } from '../kind.ts';
import { unlessAborted } from '../../outage.ts';
import { carryOutOnce } from '../sql/carry-out.ts';
import { capturesByTriggers } from '../sql/capture-triggers.ts';
import { amongKeys, keyLists } from '../sql/keys.ts';
import { tellTableGone } from '../sql/gone.ts';
import type { NewTables } from '../sql/new-tables.ts';
import { takeOn } from '../sql/take-on.ts';
import { SqlTables, swapped, tableTarget, typeIn } from '../sql/tables.ts';
import { settings, type EmbeddedConnection } from './settings.ts';

/** A PostgreSQL database that Versicle keeps itself: in a PGlite of its own, or beside the store on its server. */
export const embedded: Kind<EmbeddedConnection> = {
  facts: {
    kind: 'embedded',
    words: 'Embedded database',
    holds: true,
    empty: 'No tables yet; a run makes the table that its document describes.',
    settledBy: null,
    asks: false,
    byRequest: false,
    arrives: null,
    target: tableTarget(true),
  },
  settings,
  where: ({ name }) => name,
  place: [],
  async open({ name, newTables }, context) {
    return openEmbedded(await context.embedded(name), name, newTables);
  },
};

const PAGE = 2000;

function openEmbedded(database: Database, name: string, newTables: NewTables): OpenSystem {
  const tables = new SqlTables(database, name, newTables);
  return {
    test: async () => {
      const found = await tables.datasets(0);
      return {
        ok: true,
        code: 'ok',
        message: `The database answers; it has ${found.length === 0 ? 'no tables yet' : counted(found.length, 'table')}.`,
        sees: found.map((t) => t.name).slice(0, 8),
      };
    },
    datasets: () => tables.datasets(Infinity),
    describe: (dataset) => tables.describe(dataset),
    columns: (dataset) => tables.known(dataset),
    read: (dataset, options) => read(database, tables, dataset, options),
    count: async (dataset, filter) => {
      const sql = tables.counting(tableName(dataset), filter, await tables.known(dataset));
      const [found] = await database.query(sql).catch((error: Error) => {
        throw error instanceof DatabaseError ? refused(`${dataset} can't be read this way: ${error.message}`) : error;
      });
      return { met: Number(found!['met']), all: Number(found!['all']) };
    },
    captures: capturesByTriggers(database, tables),
    carryOut: (statement) => carryOutOnce(database, statement),
    target: {
      lane: 'bulk',
      encoding: 'copy',
      check: (document, dataset) => tables.check(document, dataset),
      outlook: (document, dataset) => tables.outlook(document, dataset),
      addFields: (document, dataset) => tables.addFields(document, dataset),
      prepare: (document, dataset) => tables.prepare(document, dataset),
      // Before runs had ids of their own, this journal knew them by their numbers only.
      deliver: (delivery, { legacy, signal }) =>
        database.deliver(legacy ? { ...delivery, source: '' } : delivery, signal),
      finish: (document, dataset, run) => swapped(document, dataset, run, (swap) => database.swap(swap)),
      tellGone: (dataset, gone, { signal }) => tellTableGone(database, tables, dataset, gone, signal),
      discard: ({ uid }) => database.discard(uid),
      takeOn: ({ uid, claim }, before) => takeOn(database, uid, claim, before),
      /** PGlite neither vacuums nor writes checkpoints by itself; a server does. */
      care: async (dataset, delivered) => {
        if (delivered < 10_000 || database instanceof ServerDatabase) return;
        await database.exec(`VACUUM (ANALYZE) ${tableName(dataset)}`);
        await database.exec('CHECKPOINT');
      },
    },
  };
}

/** All records as they are at one instant, or, for whoever looks at the first ones, page by page. */
async function* read(
  database: Database,
  tables: SqlTables,
  dataset: string,
  options: ReadOptions,
): AsyncGenerator<SourceBatch> {
  const columns = await tables.known(dataset);
  const { where, order } = tables.clauses(options, columns);
  // Named by their places: an order by a field must mean the field, not its text.
  const list = columns.map((c, i) => `${quoteName(c.name)}::text AS "c${i}"`).join(', ');
  const from = tableName(dataset);
  const sorted = order === null ? '' : ` ORDER BY ${order}`;
  let pages: AsyncIterable<readonly Row[]>;
  const { rows } = options;
  if (options.whole || rows !== undefined) {
    const among = rows === undefined ? [] : [amongKeys(rows.fields, typeIn(columns))];
    const conditions = [...(where === null ? [] : [where]), ...among].join(' AND ');
    const sql = `SELECT ${list} FROM ${from}${conditions === '' ? '' : ` WHERE ${conditions}`}${sorted}`;
    const params = rows === undefined ? [] : keyLists(rows.fields, rows.keys);
    pages =
      database instanceof ServerDatabase
        ? byCursor(database, sql, params, options.signal)
        : asOfNow(database, sql, params, options.signal);
  } else {
    const isTable = (await tables.tables()).some(
      (t) => t.kind === 'r' && from === tableName(datasetName(t.schema, t.name)),
    );
    pages =
      isTable && order === null
        ? byPlace(database, list, from, where)
        : byNumber(database, `SELECT ${list} FROM ${from}${where === null ? '' : ` WHERE ${where}`}${sorted}`);
  }
  const fields = columns.map((c) => c.name);
  try {
    for await (const page of pages)
      if (page.length > 0)
        yield {
          fields,
          rows: page.map((r) => columns.map((_, i) => (r[`c${i}`] as string | null) ?? null)),
          file: null,
        };
  } catch (error) {
    throw error instanceof DatabaseError ? refused(`${dataset} can't be read this way: ${error.message}`) : error;
  }
}

let readings = 0;
/**
 * What a statement gives now, however long it takes to fetch it, and whatever is written in between: the database keeps it
 * aside. Page by page a row that is written meanwhile could come twice, or not at all, as it gets another place.
 */
async function* asOfNow(
  database: Database,
  sql: string,
  params: readonly unknown[],
  signal: AbortSignal | undefined,
): AsyncGenerator<readonly Row[]> {
  const name = `reading_${++readings}`;
  const declared = database.query(`DECLARE ${name} NO SCROLL CURSOR WITH HOLD FOR ${sql}`, params);
  try {
    await (signal ? unlessAborted(declared, signal) : declared);
    for (;;) {
      const page = await database.query(`FETCH FORWARD ${PAGE} FROM ${name}`);
      yield page;
      if (page.length < PAGE) return;
    }
  } finally {
    // Nobody waits for a statement that was given up; it is closed when it has come to its end.
    const closed = declared.then(
      () => database.exec(`CLOSE ${name}`),
      () => undefined,
    );
    if (!signal?.aborted) await closed;
    else closed.catch(() => undefined);
  }
}
/** The same of a server, of one snapshot. */
async function* byCursor(
  database: ServerDatabase,
  sql: string,
  params: readonly unknown[],
  signal: AbortSignal | undefined,
): AsyncGenerator<readonly Row[]> {
  for await (const page of database.read<(string | null)[]>(sql, signal, params))
    yield page.map((row) => Object.fromEntries(row.map((value, i) => [`c${i}`, value])));
}
/** In the order of the rows' places. */
async function* byPlace(
  database: Database,
  list: string,
  from: string,
  where: string | null,
): AsyncGenerator<readonly Row[]> {
  const more = where === null ? '' : ` AND ${where}`;
  for (let after = '(0,0)'; ;) {
    const page = await database.query(
      `SELECT ctid::text AS " place", ${list} FROM ${from} WHERE ctid > $1::tid${more} ORDER BY ctid LIMIT ${PAGE}`,
      [after],
    );
    yield page;
    if (page.length < PAGE) return;
    after = String(page.at(-1)![' place']);
  }
}
async function* byNumber(database: Database, sql: string): AsyncGenerator<readonly Row[]> {
  for (let offset = 0; ; offset += PAGE) {
    const page = await database.query(`${sql} OFFSET ${offset} LIMIT ${PAGE}`);
    yield page;
    if (page.length < PAGE) return;
  }
}
