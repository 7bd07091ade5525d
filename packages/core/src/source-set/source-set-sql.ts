import { readDate } from '../fields/date-input.ts';
import { noValueFor } from '../rules/context.ts';
import type { Scope } from '../rules/scope.ts';
import { RuleError } from '../rules/errors.ts';
import { parseRule, parseSortKey } from '../rules/parse.ts';
import { printRule, printSortKey, textLiteral, type NodePrinter } from '../rules/print.ts';
import { IS_INPUT, pushedDown } from '../rules/push-down.ts';
import { makeRule } from '../rules/rule.ts';
import { walk, type Node } from '../rules/syntax.ts';
import { codeTablesOf } from '../document/codes.ts';
import type { SourceField } from '../document/source-field.ts';
import { MAPPING_VARIABLES, type MappingDocument } from '../document/document.ts';
import { composedScopes, isPlaceField, PLACE_FIELDS, sourceNamesOf } from './source-set.ts';

/**
 * The relational work of a source set as SQL over tables that hold its records: `land_<alias>` with columns `c0`, `c1` … in
 * the order of the dataset's fields, `_row` (1-based) and `_file`. Columns are numbered because PostgreSQL cuts long names.
 */
export interface SourceSetSql {
  /** The records with all fields as text, in order; its columns are those of `names`. */
  readonly records: string;
  readonly names: readonly string[];
  /** One row: joined, kept (by the filter), met (rows of the primary dataset that are in it). */
  readonly counts: string;
  /** Records on the way: the row, then the composed fields as text. To be limited. */
  readonly peek: { readonly joined: string; readonly unmatched: string; readonly filtered: string | null };
  readonly joins: readonly JoinSql[];
}
/** A join by itself, for its figures. */
export interface JoinSql {
  readonly alias: string;
  readonly kind: 'inner' | 'left' | 'right' | 'full';
  /** Makes `pairs_<alias>` (l, r): which records found which, at most `limit` of them; `l` counts what was joined before. */
  readonly before: string;
  readonly pairs: (limit: number) => string;
  /** Whether it compares a field of this side with one of the other; otherwise every record is held against every other. */
  readonly byEquality: boolean;
  /** Counts (as n) the pairs that one `field = field` of the condition makes by itself; null without one. */
  readonly expected: string | null;
  /** Fields of what was joined before, and of the joined dataset, that the condition reads: label and column. */
  readonly left: readonly { readonly label: string; readonly column: string }[];
  readonly right: readonly { readonly label: string; readonly column: string }[];
}

export const landedTable = (alias: string): string => `land_${alias}`;

/**
 * `isInput`: names the function that says whether a text can be read as a type. Throws RuleError for what has no form in SQL;
 * the document has been checked before.
 */
export function sourceSetSql(
  document: MappingDocument,
  fields: readonly SourceField[],
  startedAt: string,
  variables: Readonly<Record<string, string>> = {},
  isInput: string = IS_INPUT,
): SourceSetSql {
  return new SetPrinter(document, fields, startedAt, variables, isInput).print();
}

interface Column {
  readonly field: SourceField;
  readonly slot: number;
  /** In the landed table. */
  readonly landed: string;
  /** In what is made of it. */
  readonly name: string;
}

class SetPrinter {
  private readonly base: Scope;
  private readonly lines: Scope;
  private readonly columns: Column[] = [];
  private readonly bySlot: ReadonlyMap<number, Column>;
  private readonly codeTables;

  constructor(
    private readonly document: MappingDocument,
    private readonly fields: readonly SourceField[],
    private readonly startedAt: string,
    private readonly variables: Readonly<Record<string, string>>,
    private readonly isInput: string,
  ) {
    this.codeTables = codeTablesOf(document, readDate(startedAt.slice(0, 10)));
    const scopes = composedScopes(document, fields, { ...MAPPING_VARIABLES, codeTables: this.codeTables });
    this.base = scopes.base;
    this.lines = scopes.lines;
    const counts = new Map<string, number>();
    for (const [slot, field] of fields.entries()) {
      if (field.alias == null) continue;
      const at = counts.get(field.alias) ?? 0;
      counts.set(field.alias, at + 1);
      this.columns.push({ field, slot, landed: `c${at}`, name: `f${slot}` });
    }
    this.bySlot = new Map(this.columns.map((c) => [c.slot, c]));
  }

  print(): SourceSetSql {
    const { source } = this.document;
    const { alias: primary } = source.primary;
    const from = this.from(source.joins.length);
    const flat = this.columns.map((c) => `${c.field.alias}.${c.landed} AS ${c.name}`);
    const ties = source.joins.map((j, i) => `${j.alias}._row AS tie${i}`);
    const filter = source.filter ? this.expression(source.filter, this.landed) : null;
    let records = `SELECT ${primary}._row AS _row, ${primary}._file AS _file, ${[...ties, ...flat].join(', ')} FROM ${from}${filter ? ` WHERE ${filter}` : ''}`;
    const inOrder = ['_row', ...ties.map((_, i) => `tie${i}`)];
    if (source.distinctOn.length > 0) {
      const keys = source.distinctOn.map((text) => this.expression(text, this.flat));
      const order =
        source.groupBy.length > 0 ? [] : source.orderBy.map((text) => this.sortKey(text, this.base, this.flat));
      records = `SELECT DISTINCT ON (${keys.join(', ')}) * FROM (${records}) s ORDER BY ${[...keys, ...order, ...inOrder].join(', ')}`;
    }
    const grouped = source.groupBy.length > 0;
    if (grouped) records = this.grouped(records);
    const cells = this.fields.map((f, slot) => {
      if (f.alias === null && f.name === PLACE_FIELDS.row) return '_row::text';
      if (f.alias === null && f.name === PLACE_FIELDS.file) return '_file';
      if (f.alias === null && isPlaceField(f.name)) return 'NULL';
      return !grouped || this.isOutput(slot) ? `f${slot}::text` : 'NULL';
    });
    const order = source.orderBy.map((text) => this.sortKey(text, this.lines, this.flat));
    const names = sourceNamesOf(this.fields);
    const kept = filter ?? 'TRUE';
    const raw = (of: (c: Column) => boolean): string =>
      [
        `${primary}._row`,
        ...this.fields
          .map((_, slot) => this.bySlot.get(slot))
          .map((c) => (c && of(c) ? `${c.field.alias}.${c.landed}::text` : 'NULL')),
      ].join(', ');
    const alone = `${landedTable(primary)} AS ${primary}`;
    return {
      names,
      records: `SELECT ${cells.join(', ')} FROM (${records}) s ORDER BY ${[...order, ...(grouped ? ['s._row'] : inOrder.map((c) => `s.${c}`))].join(', ')}`,
      counts: `SELECT count(*) AS joined, count(*) FILTER (WHERE kept) AS kept, count(DISTINCT at) AS met FROM (SELECT ${primary}._row AS at, (${kept}) AS kept FROM ${from} LIMIT $1) s`,
      peek: {
        joined: `SELECT ${raw(() => true)} FROM ${from}`,
        unmatched: `SELECT ${raw((c) => c.field.alias === primary)} FROM ${alone} LEFT JOIN (SELECT DISTINCT ${primary}._row AS at FROM ${from}) AS "M" ON "M".at = ${primary}._row WHERE "M".at IS NULL`,
        filtered: filter === null ? null : `SELECT ${raw(() => true)} FROM ${from} WHERE (${filter}) IS NOT TRUE`,
      },
      joins: source.joins.map((_, i) => this.join(i)),
    };
  }

  private from(joins: number): string {
    const { primary, joins: all } = this.document.source;
    const first = `${landedTable(primary.alias)} AS ${primary.alias}`;
    return all
      .slice(0, joins)
      .reduce(
        (text, j) =>
          `${text} ${j.kind.toUpperCase()} JOIN ${landedTable(j.alias)} AS ${j.alias} ON (${this.expression(j.on, this.landed)})`,
        first,
      );
  }

  private join(at: number): JoinSql {
    const { source } = this.document;
    const { alias, kind, on } = source.joins[at]!;
    const uses = makeRule(on, this.base).uses.map((u) => this.bySlot.get(u.slot)!);
    const earlier = this.columns.filter((c) => c.field.alias !== alias && uses.includes(c));
    const label = (c: Column): string => `${c.field.alias}.${c.field.name}`;
    const prefix = earlier.map((c) => `${c.field.alias}.${c.landed} AS ${c.name}`);
    const condition = this.expression(on, (c) => (c.field.alias === alias ? `${alias}.${c.landed}` : `"L".${c.name}`));
    return {
      alias,
      kind,
      byEquality: comparesSides(parseRule(on), alias),
      expected: this.expected(on, alias),
      before: `CREATE TEMP TABLE before_${alias} AS SELECT row_number() OVER () AS l${prefix.map((c) => `, ${c}`).join('')} FROM ${this.from(at)}`,
      pairs: (limit) =>
        `CREATE TEMP TABLE pairs_${alias} AS SELECT "L".l, ${alias}._row AS r FROM before_${alias} AS "L" JOIN ${landedTable(alias)} AS ${alias} ON (${condition}) LIMIT ${limit}`,
      left: earlier.map((c) => ({ label: label(c), column: c.name })),
      right: uses.filter((c) => c.field.alias === alias).map((c) => ({ label: label(c), column: c.landed })),
    };
  }

  private expected(on: string, alias: string): string | null {
    const pair = equalFields(on, alias);
    if (!pair) return null;
    const column = (of: string, name: string): string | undefined =>
      this.columns.find((c) => c.field.alias === of && c.field.name === name)?.landed;
    const [left, right] = [column(pair.left.alias, pair.left.name), column(alias, pair.right)];
    if (left === undefined || right === undefined) return null;
    const counts = (table: string, c: string): string =>
      `(SELECT ${c} AS k, count(*) AS n FROM ${landedTable(table)} GROUP BY 1)`;
    return `SELECT COALESCE(sum(l.n * r.n), 0)::text AS n FROM ${counts(pair.left.alias, left)} l JOIN ${counts(alias, right)} r ON l.k = r.k`;
  }

  private grouped(records: string): string {
    const { groupBy } = this.document.source;
    const keys = groupBy.map((text) => this.expression(text, this.flat));
    const plain = this.columns.filter((c) => this.lines.fields.some((f) => f.slot === c.slot));
    const computed = this.fields.flatMap((f, slot) =>
      f.alias === null && !isPlaceField(f.name) ? [`${this.printed(parseRule(f.name), this.flat)} AS f${slot}`] : [],
    );
    const list = [...plain.map((c) => `${c.name} AS ${c.name}`), ...computed].map((c) => `, ${c}`);
    return `SELECT min(_row) AS _row, min(_file) AS _file${list.join('')} FROM (${records}) s GROUP BY ${keys.join(', ')}`;
  }
  private isOutput(slot: number): boolean {
    return this.fields[slot]!.alias === null || this.lines.fields.some((f) => f.slot === slot);
  }

  /** How a field is written among the landed tables, and in what is made of them. */
  private readonly landed = (c: Column): string => `${c.field.alias}.${c.landed}`;
  private readonly flat = (c: Column): string => `s.${c.name}`;

  private expression(text: string, write: (c: Column) => string): string {
    return this.printed(parseRule(text), write);
  }
  private sortKey(text: string, scope: Scope, write: (c: Column) => string): string {
    return printSortKey(parseSortKey(text), (node) => this.printed(node, write, scope));
  }
  private printed(node: Node, write: (c: Column) => string, scope: Scope = this.base): string {
    const ours = this.ours(write === this.landed);
    const printer: NodePrinter = (n, p) => {
      const computed = scope.computed?.(n);
      return computed ? `s.f${computed.slot}` : ours(n, p);
    };
    return printRule(
      node,
      (alias, name) => {
        const field = this.base.fields.find((f) => f.name === name && (alias === null || f.alias === alias));
        if (!field) throw new RuleError(`There is no field ${name}.`, 0, 0);
        return write(this.bySlot.get(field.slot)!);
      },
      printer,
    );
  }
  private ours(overLanded: boolean): NodePrinter {
    const place = overLanded ? `${this.document.source.primary.alias}.` : '';
    const now = `CAST(${textLiteral(this.startedAt)} AS timestamptz)`;
    return pushedDown({
      codeTable: (name) => {
        const codes = [...(this.codeTables.get(name) ?? [])];
        if (codes.length === 0) return '(SELECT NULL::text AS "from", NULL::text AS "to" WHERE FALSE)';
        return `(SELECT * FROM (VALUES ${codes.map((c) => `(${c.map(textLiteral).join(', ')})`).join(', ')}) v("from", "to"))`;
      },
      codeDefault: (name) => this.document.codeDefaults?.[name] ?? null,
      keyMap: () => {
        throw new RuleError('Key maps are looked up in lines, not in joins and filters.', 0, 0);
      },
      variable: (name) => {
        if (name === 'run_started_at') return now;
        if (name === 'row_number') return `${place}_row`;
        if (name === 'file_name') return `${place}_file`;
        if (name === 'run_number') return `CAST(${textLiteral(this.variables[name] ?? '0')} AS int8)`;
        const value = this.variables[name];
        if (value === undefined) throw new RuleError(noValueFor([name]), 0, 0);
        return textLiteral(value);
      },
      now,
      typeOf: (node) => makeRule(printRule(node), this.base).type,
      isInput: this.isInput,
    });
  }
}

/** The fields of `other.field = alias.field` among the conditions that must all hold; null where there is none. */
export function equalFields(
  on: string,
  alias: string,
): { left: { alias: string; name: string }; right: string } | null {
  const pending = [parseRule(on)];
  while (pending.length > 0) {
    const node = pending.pop()!;
    if (node.kind !== 'binary') continue;
    if (node.op === 'and') pending.push(node.right, node.left);
    if (node.op !== '=' || node.left.kind !== 'field' || node.right.kind !== 'field') continue;
    const [here, there] = node.left.alias === alias ? [node.left, node.right] : [node.right, node.left];
    if (here.alias === alias && there.alias !== null && there.alias !== alias)
      return { left: { alias: there.alias, name: there.name }, right: here.name };
  }
  return null;
}

/** Whether one of the conditions that must all hold is `a = b` with fields of this alias on one side only. */
function comparesSides(node: Node, alias: string): boolean {
  if (node.kind === 'binary' && node.op === 'and')
    return comparesSides(node.left, alias) || comparesSides(node.right, alias);
  if (node.kind !== 'binary' || node.op !== '=') return false;
  const [left, right] = [aliasesIn(node.left), aliasesIn(node.right)];
  const only = (set: ReadonlySet<string | null>): boolean => set.size === 1 && set.has(alias);
  const other = (set: ReadonlySet<string | null>): boolean => set.size > 0 && !set.has(alias);
  return (only(left) && other(right)) || (only(right) && other(left));
}
function aliasesIn(node: Node): Set<string | null> {
  const found = new Set<string | null>();
  const visit = (n: Node): void => {
    if (n.kind === 'field') found.add(n.alias);
  };
  walk(node, visit);
  return found;
}
