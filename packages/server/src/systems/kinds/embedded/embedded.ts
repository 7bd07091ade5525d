import { counted, quoteName, refused } from '@versicle/core';
import { DatabaseError, type Database, datasetName, tableName } from '@versicle/postgres';
import type { Kind, OpenSystem, ReadOptions, SourceBatch } from '../kind.ts';
import { carryOutOnce } from '../sql/carry-out.ts';
import { capturesByTriggers } from '../sql/capture-triggers.ts';
import { amongKeys, keyLists } from '../sql/keys.ts';
import { tellTableGone } from '../sql/gone.ts';
import type { NewTables } from '../sql/new-tables.ts';
import { SqlTables, swapped, tableTarget, typeIn } from '../sql/tables.ts';
import { settings, type EmbeddedConnection } from './settings.ts';

/** A PostgreSQL database that Versicle keeps itself, in a PGlite of its own. */
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
      deliver: (delivery, { legacy }) => database.deliver(legacy ? { ...delivery, source: '' } : delivery),
      finish: (document, dataset, run) => swapped(document, dataset, run, (swap) => database.swap(swap)),
      tellGone: (dataset, gone, { signal }) => tellTableGone(database, tables, dataset, gone, signal),
      discard: ({ uid }) => database.discard(uid),
      /** PGlite neither vacuums nor writes checkpoints by itself. */
      care: async (dataset, delivered) => {
        if (delivered < 10_000) return;
        await database.exec(`VACUUM (ANALYZE) ${tableName(dataset)}`);
        await database.exec('CHECKPOINT');
      },
    },
  };
}

/** Page by page, in the order of the rows' places, so that no statement holds the database for long. */
async function* read(
  database: Database,
  tables: SqlTables,
  dataset: string,
  options: ReadOptions,
): AsyncGenerator<SourceBatch> {
  const columns = await tables.known(dataset);
  const clauses = tables.clauses(options, columns);
  const { order } = clauses;
  const rows = options.rows === undefined ? null : amongKeys(options.rows.fields, typeIn(columns), 2);
  const where = [clauses.where, rows].filter((c) => c !== null).join(' AND ') || null;
  const keys = options.rows === undefined ? [] : keyLists(options.rows.fields, options.rows.keys);
  // Named by their places: an order by a field must mean the field, not its text.
  const list = columns.map((c, i) => `${quoteName(c.name)}::text AS "c${i}"`).join(', ');
  const isTable = (await tables.tables()).some(
    (t) => t.kind === 'r' && tableName(dataset) === tableName(datasetName(t.schema, t.name)),
  );
  const byPlace = isTable && order === null;
  let after = '(0,0)';
  let offset = 0;
  for (;;) {
    const sql = byPlace
      ? `SELECT ctid::text AS " place", ${list} FROM ${tableName(dataset)} WHERE ctid > $1::tid${where ? ` AND ${where}` : ''} ORDER BY ctid LIMIT ${PAGE}`
      : `SELECT ${list} FROM ${tableName(dataset)} WHERE $1 <> ''${where ? ` AND ${where}` : ''}${order ? ` ORDER BY ${order}` : ''} OFFSET ${offset} LIMIT ${PAGE}`;
    const found = await database.query(sql, [after, ...keys]).catch((error: Error) => {
      throw error instanceof DatabaseError ? refused(`${dataset} can't be read this way: ${error.message}`) : error;
    });
    if (found.length > 0)
      yield {
        fields: columns.map((c) => c.name),
        rows: found.map((r) => columns.map((_, i) => (r[`c${i}`] as string | null) ?? null)),
        file: null,
      };
    if (found.length < PAGE) return;
    offset += found.length;
    after = String(found.at(-1)![' place']);
  }
}
