import type { Dataset, DatasetField } from '@versicle/contract';
import {
  counted,
  isLoaded,
  makeRule,
  nearest,
  parseFieldType,
  printRule,
  quoted,
  quoteName,
  RuleError,
  type MappingDocument,
} from '@versicle/core';
import { notFound, refused } from '../../../http/problem.ts';
import type { Described } from '../kind.ts';

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
    const { schema, name } = split(table);
    return this.db.query<ColumnRow>(
      `SELECT a.attname AS name, format_type(a.atttypid, a.atttypmod) AS type, NOT a.attnotnull AS nullable,
              COALESCE(a.attnum = ANY (i.indkey), false) AS key, col_description(c.oid, a.attnum) AS comment,
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

  async describe(table: string): Promise<Described> {
    const columns = await this.known(table);
    const from = fromClause(table);
    const [first] = await this.db.query(
      `SELECT ${columns.map((c) => `${quoteName(c.name)}::text`).join(', ')} FROM ${from} LIMIT 1`,
    );
    return { ...describedColumns(columns, first), name: table };
  }

  /** Filter and order as SQL, printed from their syntax trees after we checked them. Throws a Problem. */
  clauses(
    { filter, sort }: { filter?: string; sort?: string },
    columns: readonly { name: string; type: string }[],
  ): { where: string | null; order: string | null } {
    const where = filter === undefined ? null : sqlOf(filter, columns, 'filter');
    if (sort === undefined) return { where, order: null };
    const descending = sort.startsWith('-');
    return { where, order: `${sqlOf(sort.replace(/^-/, ''), columns, 'sort')}${descending ? ' DESC' : ''} NULLS LAST` };
  }

  /** Makes the document's table where it is missing, and sees to it that the fields and the key's index are there. Gives the log. */
  async prepare(document: MappingDocument, table: string): Promise<string[]> {
    const { fields, key } = document.target;
    const { name } = split(table);
    if (!/^[A-Za-z_][A-Za-z0-9_]{0,62}$/.test(name))
      throw refused(`“${name}” can't be the name of a table; use letters, digits and _.`);
    const existing = await this.columns(table);
    if (existing.length === 0) {
      const columns = fields.map(
        (f) =>
          `${quoteName(f.name)} ${parseFieldType(f.type).sql}${f.nullable && !key.includes(f.name) ? '' : ' NOT NULL'}`,
      );
      const primary = key.length > 0 ? [`PRIMARY KEY (${key.map(quoteName).join(', ')})`] : [];
      const unique = document.target.unique.map((set) => `UNIQUE (${set.map(quoteName).join(', ')})`);
      await this.db.exec(`CREATE TABLE ${fromClause(table)} (${[...columns, ...primary, ...unique].join(', ')})`);
      return [`made the table ${table} with ${counted(fields.length, 'field')}`];
    }
    const missing = fields.filter((f) => !existing.some((c) => c.name === f.name)).map((f) => f.name);
    const loaded = new Set(document.lines.filter(isLoaded).map((l) => l.target));
    const needed = missing.filter((field) => loaded.has(field));
    if (needed.length > 0)
      throw refused(
        `The table ${table} has no ${needed.length === 1 ? 'field' : 'fields'} ${needed.map((n) => quoted(n)).join(', ')}; add ${needed.length === 1 ? 'it' : 'them'} to the table or take ${needed.length === 1 ? 'it' : 'them'} out of the document.`,
      );
    const names = existing
      .filter((c) => c.key)
      .map((c) => c.name)
      .sort()
      .join(', ');
    if (document.write.mode === 'upsert' && names !== [...key].sort().join(', '))
      throw refused(
        `Upsert goes by the key (${key.join(', ')}), but the table ${table} has ${names ? `the key (${names})` : 'no key'}; change one of them.`,
      );
    return [`the table ${table} is there`];
  }
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

/** Tables outside `public` are named with their schema. */
export const datasetName = (schema: string, name: string): string => (schema === 'public' ? name : `${schema}.${name}`);
function split(table: string): { schema: string; name: string } {
  const dot = table.indexOf('.');
  return dot < 0 ? { schema: 'public', name: table } : { schema: table.slice(0, dot), name: table.slice(dot + 1) };
}
export function fromClause(table: string): string {
  const { schema, name } = split(table);
  return `${quoteName(schema)}.${quoteName(name)}`;
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
