import type { Dataset, DatasetField, KindFacts } from '@versicle/contract';
import {
  counted,
  isLoaded,
  makeRule,
  type MappingDocument,
  type TargetField,
  nearest,
  notFound,
  parseFieldType,
  printRule,
  quoted,
  quoteName,
  refused,
  REVISION_FIELDS,
  RuleError,
} from '@versicle/core';
import { datasetName, splitTable, tableName, type Swap, type Swapped } from '@versicle/postgres';
import { requireMayMake, type NewTables } from './new-tables.ts';
import type { Described, Finished, TargetOutlook, TargetRun } from '../kind.ts';

/** What records are written to in a database; `isOurs`: Versicle keeps it itself. */
export const tableTarget = (isOurs: boolean): NonNullable<KindFacts['target']> => ({
  title: 'Table',
  there: 'is there; its fields are taken over',
  fresh: 'is made by the first run, with the fields of this document',
  unnamed: 'a table that is there, or the name of a new one',
  names: {
    pattern: '^([A-Za-z_][A-Za-z0-9_]{0,62}\\.)?[A-Za-z_][A-Za-z0-9_]{0,62}$',
    otherwise: 'The table’s name may have letters, digits and _, and begins with a letter.',
  },
  makesTables: true,
  isOurs,
});

/** What the catalogue needs of a PostgreSQL database: queries whose int8 and numeric come as text. */
export interface SqlQueries {
  query<T extends Record<string, unknown>>(sql: string, params?: readonly unknown[]): Promise<T[]>;
  exec(sql: string): Promise<unknown>;
}
interface ColumnRow {
  [key: string]: unknown;
  name: string;
  type: string;
  nullable: boolean;
  key: boolean;
  comment: string | null;
  refers: string | null;
}
interface TableRow {
  [key: string]: unknown;
  schema: string;
  name: string;
  kind: string;
  comment: string | null;
  rows: string;
}

/** The tables and views of a PostgreSQL database, embedded or on a server: its catalogue, and what a document needs of it. */
export class SqlTables {
  constructor(
    private readonly db: SqlQueries,
    /** What people call the database. */
    private readonly label: string,
    private readonly newTables: NewTables,
  ) {}

  tables(): Promise<TableRow[]> {
    return this.db.query<TableRow>(
      `SELECT n.nspname AS schema, c.relname AS name, c.relkind AS kind, obj_description(c.oid, 'pg_class') AS comment,
              c.reltuples::bigint AS rows
         FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
        WHERE c.relkind IN ('r', 'v', 'm', 'p', 'f') AND n.nspname NOT IN ('pg_catalog', 'information_schema', 'versicle')
          AND n.nspname NOT LIKE 'pg_toast%' AND n.nspname NOT LIKE 'pg_temp%' AND NOT c.relispartition
          AND has_schema_privilege(n.oid, 'USAGE')
        ORDER BY n.nspname <> 'public', 1, 2`,
    );
  }

  /** `countUpTo`: tables that the statistics say are smaller are counted, larger ones estimated. */
  async datasets(countUpTo: number): Promise<Dataset[]> {
    const result: Dataset[] = [];
    for (const table of await this.tables()) {
      const estimate = Number(table.rows);
      const { records, problem } = await this.count(table, estimate, countUpTo);
      const what = { r: 'table', v: 'view', m: 'materialised view', p: 'table in partitions', f: 'foreign table' };
      const kind = what[table.kind as keyof typeof what] ?? 'table';
      result.push({
        name: datasetName(table.schema, table.name),
        description: table.comment ? `${kind}: ${table.comment}` : kind,
        records,
        bytes: null,
        changedAt: null,
        problem,
      });
    }
    return result;
  }
  private async count(
    table: TableRow,
    estimate: number,
    countUpTo: number,
  ): Promise<{ records: number | null; problem: string | null }> {
    if (table.kind !== 'r' && table.kind !== 'm' && countUpTo !== Infinity) return { records: null, problem: null };
    if (estimate > countUpTo) return { records: estimate, problem: null };
    try {
      const [found] = await this.db.query<{ n: string }>(
        `SELECT count(*) AS n FROM ${quoteName(table.schema)}.${quoteName(table.name)}`,
      );
      return { records: Number(found!.n), problem: null };
    } catch (error) {
      return (error as { code?: string }).code === '42501'
        ? { records: null, problem: 'The user may not read it.' }
        : { records: null, problem: (error as Error).message };
    }
  }

  columns(table: string): Promise<ColumnRow[]> {
    const { schema, name } = splitTable(table);
    return this.db.query<ColumnRow>(
      `SELECT a.attname AS name, format_type(a.atttypid, a.atttypmod) AS type, NOT a.attnotnull AS nullable,
              COALESCE(a.attnum = ANY (i.indkey[0:i.indnkeyatts - 1]), false) AS key, col_description(c.oid, a.attnum) AS comment,
              (SELECT CASE WHEN fn.nspname = 'public' THEN '' ELSE fn.nspname || '.' END || f.relname || '.' || fa.attname
                 FROM pg_constraint k JOIN pg_class f ON f.oid = k.confrelid JOIN pg_namespace fn ON fn.oid = f.relnamespace
                 JOIN pg_attribute fa ON fa.attrelid = f.oid AND fa.attnum = k.confkey[array_position(k.conkey, a.attnum)]
                WHERE k.conrelid = c.oid AND k.contype = 'f' AND a.attnum = ANY (k.conkey) LIMIT 1) AS refers
         FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
         LEFT JOIN pg_index i ON i.indrelid = c.oid AND i.indisprimary
        WHERE n.nspname = $1 AND c.relname = $2 AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum`,
      [schema, name],
    );
  }
  async known(table: string): Promise<ColumnRow[]> {
    const columns = await this.columns(table);
    if (columns.length > 0) return columns;
    const names = (await this.tables()).map((t) => datasetName(t.schema, t.name));
    const near = nearest(table, names);
    const some = names.length > 8 ? `${names.slice(0, 8).join(', ')} and ${names.length - 8} more` : names.join(', ');
    throw notFound(
      `There is no table ${quoted(table)} in ${this.label}.${near ? ` Did you mean ${near}?` : names.length > 0 ? ` It has ${some}.` : ' It has no tables yet.'}`,
    );
  }

  /** A table's number in the catalogue, its primary key and how replication knows its rows; null where it is no table. */
  async primaryKey(table: string): Promise<{ oid: number; fields: string[]; identity: string } | null> {
    const { schema, name } = splitTable(table);
    const [row] = await this.db.query<{ oid: number; identity: string; fields: string }>(
      `SELECT c.oid::int AS oid, c.relreplident AS identity,
              (SELECT COALESCE(json_agg(a.attname ORDER BY k.n), '[]') FROM pg_index i, unnest(i.indkey[0:i.indnkeyatts - 1]) WITH ORDINALITY AS k(attnum, n)
                 JOIN pg_attribute a ON a.attnum = k.attnum WHERE i.indrelid = c.oid AND i.indisprimary AND a.attrelid = c.oid)::text AS fields
         FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = $1 AND c.relname = $2 AND c.relkind IN ('r', 'p')`,
      [schema, name],
    );
    return row ? { ...row, oid: Number(row.oid), fields: JSON.parse(row.fields) as string[] } : null;
  }

  async describe(table: string): Promise<Described> {
    const columns = await this.known(table);
    const from = tableName(table);
    const [first] = await this.db.query(
      `SELECT ${columns.map((c) => `${quoteName(c.name)}::text`).join(', ')} FROM ${from} LIMIT 1`,
    );
    return { ...describedColumns(columns, first), name: table };
  }

  /** Filter and order as SQL, printed from their syntax trees after we checked them. Throws a fault. */
  clauses(
    { filter, sort }: { filter?: string; sort?: string },
    columns: readonly { name: string; type: string }[],
  ): { where: string | null; order: string | null } {
    const where = filter === undefined ? null : sqlOf(filter, columns, 'filter');
    if (sort === undefined) return { where, order: null };
    const descending = sort.startsWith('-');
    return { where, order: `${sqlOf(sort.replace(/^-/, ''), columns, 'sort')}${descending ? ' DESC' : ''} NULLS LAST` };
  }

  /** Counts all records of `from`, and those that meet a filter. Throws a fault. */
  counting(from: string, filter: string, columns: readonly { name: string; type: string }[]): string {
    return `SELECT count(*)::text AS all, count(*) FILTER (WHERE ${sqlOf(filter, columns, 'filter')})::text AS met FROM ${from}`;
  }

  /** What stands against writing the document's records into the table as it is; a table that is missing is made by the run. */
  async check(document: MappingDocument, table: string): Promise<void> {
    const columns = await this.columns(table);
    if (columns.length > 0) await this.requireFit(document, table, columns);
    else this.requireNew(document, table);
  }
  private requireNew(document: MappingDocument, table: string): void {
    requireMayMake(table, this.label, this.newTables);
    const own = document.target.fields.find((f) => Object.values<string>(REVISION_FIELDS).includes(f.name));
    if (document.write.mode === 'new revision' && own !== undefined)
      throw refused(
        `${own.name} is a field that each revision of a record gets by itself; call the field of the document otherwise.`,
      );
    const { name } = splitTable(table);
    if (!/^[A-Za-z_][A-Za-z0-9_]{0,62}$/.test(name))
      throw refused(`There is no table “${name}”, and a new one can't be called so; use letters, digits and _.`);
  }

  /** Makes the document's table where it is missing, and sees to it that the fields and the key's index are there. Gives the log. */
  async prepare(document: MappingDocument, table: string): Promise<string[]> {
    const { fields, key } = document.target;
    const existing = await this.columns(table);
    if (existing.length > 0) {
      await this.requireFit(document, table, existing);
      return [`the table ${table} is there`];
    }
    this.requireNew(document, table);
    const revises = document.write.mode === 'new revision';
    const columns = fields.map(
      (f) =>
        `${quoteName(f.name)} ${parseFieldType(f.type).sql}${f.nullable && !key.includes(f.name) ? '' : ' NOT NULL'}`,
    );
    const ours = revises
      ? [
          `${quoteName(REVISION_FIELDS.number)} integer NOT NULL`,
          `${quoteName(REVISION_FIELDS.from)} timestamptz NOT NULL`,
          `${quoteName(REVISION_FIELDS.to)} timestamptz`,
        ]
      : [];
    const told = revises ? [...key, REVISION_FIELDS.number] : key;
    const primary = key.length > 0 ? [`PRIMARY KEY (${told.map(quoteName).join(', ')})`] : [];
    // Revisions of one record share what is unique to it.
    const unique = revises ? [] : document.target.unique.map((set) => `UNIQUE (${set.map(quoteName).join(', ')})`);
    await this.db.exec(`CREATE TABLE ${tableName(table)} (${[...columns, ...ours, ...primary, ...unique].join(', ')})`);
    return [`made the table ${table} with ${counted(fields.length + ours.length, 'field')}`];
  }

  /** What a person should know of the table before records are written into it. */
  async outlook(document: MappingDocument, table: string): Promise<TargetOutlook> {
    const existing = await this.columns(table);
    if (existing.length === 0) return { lacking: [], holds: false };
    const [some] = await this.db.query(`SELECT 1 FROM ${tableName(table)} LIMIT 1`);
    return { lacking: lackingFields(document, existing), holds: some !== undefined };
  }
  /** Gives the table the fields that the document loads and it lacks. Throws a fault. */
  async addFields(document: MappingDocument, table: string): Promise<string[]> {
    const { lacking, holds } = await this.outlook(document, table);
    if (lacking.length === 0) return [];
    const { kind } = await this.shape(table);
    if (kind !== 'r' && kind !== 'p')
      throw refused(`Fields can be added to tables only, and ${table} is none; add them behind it.`);
    // What is there already has no value for them.
    const columns = lacking.map(
      (f) =>
        `ADD COLUMN IF NOT EXISTS ${quoteName(f.name)} ${parseFieldType(f.type).sql}${f.nullable || holds ? '' : ' NOT NULL'}`,
    );
    await this.db.exec(`ALTER TABLE ${tableName(table)} ${columns.join(', ')}`);
    return lacking.map((f) => f.name);
  }

  private async requireFit(document: MappingDocument, table: string, existing: readonly ColumnRow[]): Promise<void> {
    const { key } = document.target;
    const loaded = new Set(document.lines.filter(isLoaded).map((l) => l.target));
    const needed = lackingFields(document, existing).map((f) => f.name);
    if (needed.length > 0)
      throw refused(
        `The table ${table} has no ${needed.length === 1 ? 'field' : 'fields'} ${needed.map((n) => quoted(n)).join(', ')}; add ${needed.length === 1 ? 'it' : 'them'} to the table or take ${needed.length === 1 ? 'it' : 'them'} out of the document.`,
      );
    const shape = await this.shape(table);
    const computed = existing.find((c) => loaded.has(c.name) && shape.generated.includes(c.name));
    if (computed)
      throw refused(`${computed.name} is computed by the table ${table} itself; set its line to “not loaded”.`);
    const { mode } = document.write;
    if (mode === 'replace') await this.requireReplaceable(table, shape.kind);
    const doing = BY_KEY[mode];
    if (doing === undefined) return;
    const revises = mode === 'new revision';
    if (revises) requireRevisionFields(document, table, existing);
    if (shape.kind === 'f' || shape.kind === 'm')
      throw refused(
        `${doing} can't be done in ${table}, which is no table of this database; use insert or another target.`,
      );
    const told = revises ? [...key, REVISION_FIELDS.number] : key;
    const wanted = [...told].sort().join(', ');
    if (shape.kind !== 'v' && !shape.unique.some((set) => [...set].sort().join(', ') === wanted)) {
      const sets = shape.unique.map((set) => `(${set.join(', ')})`);
      throw refused(
        `${doing} goes by the key (${told.join(', ')}), but the table ${table} has ${sets.length === 0 ? 'no key and no unique index' : `the ${sets.length === 1 ? 'key' : 'keys'} ${sets.join(' and ')}`}; change one of them.`,
      );
    }
    if (shape.kind === 'v')
      throw refused(
        `${doing} goes by a key, and the view ${table} has none; write into the table behind it, or use insert.`,
      );
    const counter = shape.always.find((c) => loaded.has(c) && !key.includes(c));
    if (counter !== undefined && mode !== 'skip existing' && !revises)
      throw refused(
        `${counter} is numbered by the table ${table} itself (GENERATED ALWAYS AS IDENTITY) and can't be changed in existing records; make it the key, or set its line to “not loaded”.`,
      );
  }
  private async requireReplaceable(table: string, kind: string): Promise<void> {
    if (kind !== 'r' && kind !== 'p')
      throw refused(`Replace needs a table; ${table} is none. Use insert, or name the table behind it.`);
    const rows = await this.db.query<{ name: string; action: string }>(
      `SELECT conrelid::regclass::text AS name, confdeltype AS action FROM pg_constraint
        WHERE contype = 'f' AND confrelid = $1::regclass AND conrelid <> confrelid AND confdeltype IN ('c', 'n', 'd') ORDER BY 1`,
      [tableName(table)],
    );
    const [first] = rows;
    if (first)
      throw refused(
        `Replacing the content of ${table} would ${first.action === 'c' ? `delete the rows of ${first.name} that refer to it` : `empty the references in ${first.name}`}; use upsert.`,
      );
  }
  /** What a table allows: `unique` are the sets of fields that a conflict can be told by. */
  private async shape(
    table: string,
  ): Promise<{ kind: string; generated: string[]; always: string[]; unique: string[][] }> {
    const name = tableName(table);
    const columns = await this.db.query<{ name: string; generated: string; identity: string; kind: string }>(
      `SELECT a.attname AS name, a.attgenerated AS generated, a.attidentity AS identity, c.relkind AS kind
         FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid WHERE c.oid = $1::regclass AND a.attnum > 0 AND NOT a.attisdropped`,
      [name],
    );
    const unique = await this.db.query<{ set: string }>(
      `SELECT (SELECT json_agg(a.attname ORDER BY k.n) FROM unnest(i.indkey[0:i.indnkeyatts - 1]) WITH ORDINALITY AS k(attnum, n)
                 JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.attnum)::text AS set
         FROM pg_index i WHERE i.indrelid = $1::regclass AND i.indisunique AND i.indimmediate AND i.indisvalid
          AND i.indpred IS NULL AND i.indexprs IS NULL ORDER BY NOT i.indisprimary, i.indexrelid`,
      [name],
    );
    return {
      kind: columns[0]?.kind ?? 'r',
      generated: columns.filter((c) => c.generated !== '').map((c) => c.name),
      always: columns.filter((c) => c.identity === 'a').map((c) => c.name),
      unique: unique.map((u) => JSON.parse(u.set) as string[]),
    };
  }
}

/** The type of a column by its name. */
export const typeIn =
  (columns: readonly { readonly name: string; readonly type: string }[]) =>
  (name: string): string =>
    columns.find((c) => c.name === name)?.type ?? 'text';

/** What is done by the key of the target, as a sentence begins. */
const BY_KEY: Readonly<Partial<Record<MappingDocument['write']['mode'], string>>> = {
  upsert: 'Upsert',
  update: 'Update',
  'skip existing': 'Skip existing',
  'new revision': 'New revision',
};
/** Revisions are numbered, and may be dated, by us. Throws a fault. */
function requireRevisionFields(document: MappingDocument, table: string, existing: readonly ColumnRow[]): void {
  const loaded = document.lines.find((l) => isLoaded(l) && Object.values<string>(REVISION_FIELDS).includes(l.target));
  if (loaded)
    throw refused(
      `${loaded.target} is set with each new revision of a record; set its line to “not loaded”, or call the field otherwise.`,
    );
  const typeOf = (name: string): string | undefined => existing.find((c) => c.name === name)?.type;
  const { number, from, to } = REVISION_FIELDS;
  if (!/^(integer|bigint|smallint|numeric)/.test(typeOf(number) ?? ''))
    throw refused(
      `New revisions are numbered in a field “${number}” (integer) of ${table}, ${typeOf(number) === undefined ? 'and it has none' : `and it is ${typeOf(number)}`}; add it to the key of the table, or use another way of writing.`,
    );
  for (const name of [from, to])
    if (typeOf(name) !== undefined && !/^(timestamp|date)/.test(typeOf(name)!))
      throw refused(
        `${name} of ${table} is ${typeOf(name)}; from when until when a revision is the newest needs a timestamp.`,
      );
}

/** Fields that the document loads, and the table has not. */
function lackingFields(document: MappingDocument, existing: readonly ColumnRow[]): TargetField[] {
  const loaded = new Set(document.lines.filter(isLoaded).map((l) => l.target));
  return document.target.fields.filter((f) => loaded.has(f.name) && !existing.some((c) => c.name === f.name));
}

/** Puts what a run loaded beside its table in the table's place, or says what a person must agree to first. */
export async function swapped(
  document: MappingDocument,
  table: string,
  { uid, claim, kind, mayRemove }: TargetRun,
  swap: (swap: Swap) => Promise<Swapped>,
): Promise<Finished> {
  if (document.write.mode !== 'replace' || kind !== 'full') return { log: [] };
  const loaded = new Set(document.lines.filter(isLoaded).map((l) => l.target));
  const columns = document.target.fields.map((f) => f.name).filter((f) => loaded.has(f));
  const { before, after, done } = await swap({ source: uid, claim, table, columns, mayRemove });
  const n = (count: number): string => counted(count, 'record');
  if (done) return { log: [`the ${n(after)} took the place of the ${n(before)} that ${table} had`] };
  return {
    log: [],
    asks: `${table} has ${n(before)}, and this run would leave ${after.toLocaleString('en-GB')}. Nothing was removed yet: say whether the content is to be replaced all the same.`,
  };
}

function sqlOf(text: string, columns: readonly { name: string; type: string }[], what: 'filter' | 'sort'): string {
  try {
    const fields = columns.map((c, slot) => ({ alias: null, name: c.name, slot, type: valueType(c.type) }));
    const rule = makeRule(text, { fields });
    if (what === 'filter' && rule.type !== 'bool' && rule.type !== 'unknown')
      throw refused('A filter is a condition such as miles IS NOT NULL; this gives a value.');
    return `(${printRule(rule.tree, (_alias, name) => quoteName(name))})`;
  } catch (error) {
    throw error instanceof RuleError
      ? refused(`The ${what} can't be used: ${error.message}`, [{ path: what, message: error.message }])
      : error;
  }
}

/** A structure as the catalogue tells it. */
export function describedColumns(
  columns: readonly ColumnRow[],
  example: Record<string, unknown> | undefined,
): Omit<Described, 'name'> {
  return {
    fields: columns.map(({ name, type, nullable, key, comment, refers }): DatasetField => ({
      name,
      type,
      nullable,
      key,
      description: comment,
      references: refers,
      example: (example?.[name] as string | undefined) ?? null,
    })),
    format: [],
    guessedFrom: [],
    files: [],
    lines: [],
    parts: [],
    setting: null,
    settled: false,
    bytes: null,
    changedAt: null,
  };
}

export function valueType(sql: string): ReturnType<typeof parseFieldType>['value'] {
  try {
    return parseFieldType(sql).value;
  } catch {
    return 'text';
  }
}
