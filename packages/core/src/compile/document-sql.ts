import { strictSql } from '../fields/strict-sql.ts';
import type { FieldType, ValueType } from '../fields/types.ts';
import type { Scope } from '../rules/scope.ts';
import { RuleError } from '../rules/errors.ts';
import { parseRule, parseSortKey } from '../rules/parse.ts';
import { printRule, printSortKey, quoteName, textLiteral, writtenName } from '../rules/print.ts';
import { IS_INPUT, pushedDown, strictNumber, strictRead } from '../rules/push-down.ts';
import { makeRule } from '../rules/rule.ts';
import { codeTablesOf } from '../document/codes.ts';
import { compileMapping, type CompiledLine } from './compile.ts';
import type { SourceField } from '../document/source-field.ts';
import { MAPPING_VARIABLES, RUN_VARIABLES, type Line, type MappingDocument } from '../document/document.ts';
import { namedSourceFields } from './source.ts';
import { composedScopes, isComposed, isPlaceField } from '../source-set/source-set.ts';
import { readSkips } from '../document/rules.ts';

/** What a document means, as one SELECT. */
export interface DocumentSql {
  readonly sql: string;
  /** What stands for $1, $2 …, in order. */
  readonly parameters: readonly { readonly name: string; readonly type: ValueType }[];
  /** The tables that it reads: datasets by their names, and the key maps that it asks. */
  readonly tables: readonly string[];
}

/**
 * The one SELECT that a document means, for PostgreSQL 16 and newer: its rows are the records that a run would write, in its
 * order. What a line or check refuses is left out; what a rule can't work out ends the statement, where a run would file the
 * record and go on. Throws RuleError for what has no form in SQL. `below`: the fields of datasets that stand below the first,
 * by dataset, where they are known; what one of them does not have is null in its records.
 */
export function documentSql(
  document: MappingDocument,
  fields: readonly SourceField[],
  below: FieldsBelow = new Map(),
): DocumentSql {
  const [error] = compileMapping(document, fields).problems.filter((p) => p.severity === 'error');
  if (error) throw new RuleError(`The document has errors: ${error.message}`, error.at ?? 0, error.end ?? 0);
  return new DocumentPrinter(document, fields, below).print();
}

type FieldsBelow = ReadonlyMap<string, readonly string[]>;

const isSequence = (line: Line): boolean => line.kind === 'generated' && line.generate === 'sequence';

class DocumentPrinter {
  private readonly base: Scope;
  private readonly lines: Scope;
  private readonly target: Scope;
  private readonly compiled;
  private readonly usedTables = new Set<string>();
  private readonly keyMaps = new Set<string>();
  private readonly parameters: { name: string; type: ValueType }[] = [];

  constructor(
    private readonly document: MappingDocument,
    private readonly fields: readonly SourceField[],
    private readonly below: FieldsBelow,
  ) {
    this.compiled = compileMapping(document, fields);
    const common = { ...MAPPING_VARIABLES, codeTables: codeTablesOf(document) };
    const { alias } = document.source.primary;
    const plain: Scope = { ...common, fields: fields.map((f, slot) => ({ alias, name: f.name, type: f.type, slot })) };
    const scopes = isComposed(document) ? composedScopes(document, fields, common) : { base: plain, lines: plain };
    this.base = scopes.base;
    this.lines = scopes.lines;
    const { columns } = this.compiled;
    this.target = {
      ...common,
      fields: columns.map((c, slot) => ({ alias: null, name: c.name, type: c.type.value, slot })),
    };
  }

  print(): DocumentSql {
    const { document, compiled } = this;
    const { source } = document;
    const grouped = source.groupBy.length > 0;
    const where = source.filter ? `\n  WHERE ${this.rule(source.filter, this.base)}` : '';
    const values = compiled.lines.flatMap((line) => [
      `    ${this.lineValue(line)} AS ${quoteName(line.field.name)}`,
      ...(line.onFail === 'default'
        ? [`    ${this.rule(line.line.default!, this.lines)} AS ${quoteName(`default of ${line.field.name}`)}`]
        : []),
    ]);
    const row = `${source.primary.alias}._row`;
    const places = [row, ...source.joins.map((j) => `${j.alias}._row`)];
    const keys = source.groupBy.map((text) => this.rule(text, this.base));
    const skips = readSkips(document).map((s) => `(${this.rule(s.when, this.lines)}) IS NOT TRUE`);
    const distinct = grouped ? [] : source.distinctOn.map((text) => this.rule(text, this.base));
    const skipped =
      skips.length === 0 || distinct.length > 0
        ? ''
        : grouped
          ? `\n  HAVING ${skips.join('\n    AND ')}`
          : `${where ? '\n    AND ' : '\n  WHERE '}${skips.join('\n    AND ')}`;
    const sorted = source.orderBy.map((text) =>
      printSortKey(parseSortKey(text), (node) => this.printed(printRule(node), this.lines)),
    );
    const inOrder = `ORDER BY ${[...sorted, ...(grouped ? [`min(${row})`] : places)].join(', ')}`;
    // Which record of each kind comes first is known only when all have been filtered, and skips come after it.
    const first =
      distinct.length === 0
        ? []
        : [
            `row_number() OVER (PARTITION BY ${distinct.join(', ')} ${inOrder}) AS "_nth"`,
            `(${skips.length === 0 ? 'TRUE' : skips.join(' AND ')}) AS "_kept"`,
          ];
    const head = [`row_number() OVER (${inOrder}) AS "_row"`, ...first];
    const inner = `  SELECT ${head.join(', ')},\n${values.join(',\n')}\n  FROM ${this.from()}${where}${grouped ? '' : skipped}${grouped ? `\n  GROUP BY ${keys.join(', ')}${skipped}` : ''}`;
    const strict = compiled.lines.map((line) => this.strict(line));
    const typed = strict.map((s) => `    ${s.value} AS ${quoteName(s.name)}`);
    const conditions = [
      ...(first.length === 0 ? [] : ['"_nth" = 1', '"_kept"']),
      ...strict.flatMap((s) => s.conditions),
    ];
    const fitting = `  SELECT "_row",\n${typed.join(',\n')}\n  FROM values_of_lines${conditions.length === 0 ? '' : `\n  WHERE ${conditions.join('\n    AND ')}`}`;
    const mappedSkips = document.skips.filter((s) => s.at === 'mapped');
    const checks = [
      ...mappedSkips.map((s) => `(${this.ofTarget(s.when)}) IS NOT TRUE`),
      ...compiled.lines.flatMap((l) => this.lineCheck(l)),
      ...document.checks.flatMap((c) => (c.onFail === 'remark' ? [] : [this.check(c.rule)])),
    ];
    const firsts = compiled.keys.map(({ names }) => {
      const list = names.map(quoteName);
      return `(${list.map((n) => `${n} IS NULL`).join(' OR ')} OR row_number() OVER (PARTITION BY ${list.join(', ')} ORDER BY "_row") = 1)`;
    });
    const checked = `  SELECT *${firsts.map((f, i) => `,\n    ${f} AS "_first${i}"`).join('')}\n  FROM fitting${checks.length === 0 ? '' : `\n  WHERE ${checks.join('\n    AND ')}`}`;
    const results = compiled.lines.map(({ line, field, type }) =>
      isSequence(line)
        ? `CAST(row_number() OVER (ORDER BY "_row") AS ${type.sql}) AS ${quoteName(field.name)}`
        : quoteName(field.name),
    );
    const unique = firsts.map((_, i) => `"_first${i}"`);
    const codes = [...this.usedTables].map(
      (name) => `${quoteName(`code table ${name}`)} ("from", "to") AS (${this.codes(name)})`,
    );
    const parts = [
      ...codes,
      `values_of_lines AS (\n${inner}\n)`,
      `fitting AS (\n${fitting}\n)`,
      `checked AS (\n${checked}\n)`,
    ];
    return {
      sql: `WITH ${parts.join(',\n')}\nSELECT ${results.join(', ')}\nFROM checked${unique.length === 0 ? '' : `\nWHERE ${unique.join(' AND ')}`}\nORDER BY "_row"`,
      parameters: this.parameters,
      tables: [source.primary, ...source.unions, ...source.joins]
        .map((d) => d.dataset)
        .concat([...this.keyMaps].map((m) => `key map ${m}`)),
    };
  }

  /** The datasets are tables called by their names; `_row` counts the records of the first one. */
  private from(): string {
    const { primary, unions, joins, distinctOn, groupBy } = this.document.source;
    // Only what rules read: a field that nobody asks for need not stand in both.
    const used = new Set(namedSourceFields(this.document));
    const all = this.fieldsOf(primary.alias);
    const own = all.some((name) => used.has(name)) ? all.filter((name) => used.has(name)) : all.slice(0, 1);
    const list = own.map((name) => quoteName(name));
    const stacked = unions.map(({ dataset, columns }) => {
      const known = this.below.get(dataset);
      const cells = own
        .map((name) => columns[name] ?? name)
        .map((name) => (known && !known.includes(name) ? 'NULL' : quoteName(name)));
      return `SELECT ${cells.join(', ')} FROM ${quoteName(dataset)}`;
    });
    const rows =
      stacked.length === 0
        ? quoteName(primary.dataset)
        : `(SELECT ${list.join(', ')} FROM ${quoteName(primary.dataset)} UNION ALL ${stacked.join(' UNION ALL ')}) AS u`;
    const first = `(SELECT *, row_number() OVER () AS _row FROM ${rows}) AS ${primary.alias}`;
    // In groups, the order of partners is not seen.
    const numbered = (dataset: string): string =>
      groupBy.length > 0 ? quoteName(dataset) : `(SELECT *, row_number() OVER () AS _row FROM ${quoteName(dataset)})`;
    const joined = joins.map(
      (j) => `\n    ${j.kind.toUpperCase()} JOIN ${numbered(j.dataset)} AS ${j.alias} ON ${this.rule(j.on, this.base)}`,
    );
    if (distinctOn.length === 0 || groupBy.length === 0) return first + joined.join('');
    if (joins.length > 0)
      throw new RuleError(
        'Distinct over joined datasets that are grouped then has no short form in SQL; a run does it in two steps.',
        0,
        0,
      );
    const keys = distinctOn.map((text) => this.rule(text, this.base));
    const { filter } = this.document.source;
    const where = filter ? ` WHERE ${this.rule(filter, this.base)}` : '';
    return `(SELECT DISTINCT ON (${keys.join(', ')}) * FROM ${first}${where} ORDER BY ${keys.join(', ')}, ${primary.alias}._row) AS ${primary.alias}`;
  }
  private fieldsOf(alias: string): string[] {
    return this.fields.flatMap((f) =>
      (f.alias === undefined ? this.document.source.primary.alias : f.alias) === alias && !isPlaceField(f.name)
        ? [f.name]
        : [],
    );
  }

  private lineValue({ line, type, condition, fallback, defaultOnNull }: CompiledLine): string {
    let value = this.own(line, type);
    const otherwise = fallback ? this.fallback(line, type) : 'NULL';
    if (defaultOnNull && fallback) value = `COALESCE(${value}, ${otherwise})`;
    if (condition) value = `CASE WHEN ${this.rule(line.condition!, this.lines)} THEN ${value} ELSE ${otherwise} END`;
    return value;
  }
  /** In the type of the line's own value, for a CASE has one type. */
  private fallback(line: Line, type: FieldType): string {
    const sql = this.rule(line.default!, this.lines);
    const [own, other] = [this.typeOf(line, type), makeRule(line.default!, this.lines).type];
    return own === other || other === 'unknown' ? sql : `CAST(${sql} AS ${own})`;
  }
  private own(line: Line, type: FieldType): string {
    switch (line.kind) {
      case 'straight':
        return this.straight(line.source!, type);
      case 'rule':
        return this.rule(line.rule!, this.lines);
      case 'constant':
        return line.value === null || line.value === undefined
          ? 'NULL::text'
          : `CAST(${textLiteral(String(line.value))} AS ${type.sql})`;
      case 'lookup': {
        const inner = makeRule(line.source!, this.lines).type;
        const text = inner === 'text' || inner === 'unknown' ? line.source! : `(${line.source!})::text`;
        const codes = textLiteral(line.codeTable!);
        if (line.onFail !== 'default' && line.onFail !== 'null')
          return this.rule(`lookup(${codes}, ${text})`, this.lines);
        // A code that is missing gives the default here, and not a fault.
        const otherwise = line.onFail === 'default' ? `(${line.default})::text` : 'NULL::text';
        const found = `CASE WHEN (${text}) IS NULL THEN NULL ELSE lookup(${codes}, ${text}, ${otherwise}) END`;
        return this.rule(found, this.lines);
      }
      case 'generated':
        return this.generated(line);
      default:
        throw new RuleError(`The line ${line.id} is still to map.`, 0, 0);
    }
  }
  /** A field taken as it is; where its dataset declares how numbers and dates are written, it is read so. */
  private straight(text: string, type: FieldType): string {
    const made = makeRule(text, this.lines);
    const marks = made.type === 'text' ? this.fields[made.uses[0]?.slot ?? -1]?.marks : undefined;
    const sql = this.rule(text, this.lines);
    const number = ['int2', 'int4', 'int8', 'numeric', 'float8'].includes(type.value);
    if (marks && number && marks.decimal === ',') return `CAST(${strictNumber(sql, ',', '.')} AS text)`;
    const dated = type.value === 'date' || type.value === 'timestamp';
    if (marks?.dates && marks.dates !== 'YYYY-MM-DD' && dated)
      return `CASE WHEN ${sql} ~ '^[0-9]{4}-' THEN ${sql} ELSE CAST(${strictRead(sql, marks.dates, 'date')} AS text) END`;
    return sql;
  }
  private generated(line: Line): string {
    // It is counted at the end, when it is known which records are written.
    if (isSequence(line)) return 'NULL::bigint';
    if (line.generate !== 'hash') return 'CAST(gen_random_uuid() AS text)';
    const parts = (line.of ?? []).map((name) => {
      const text = `CAST(${this.rule(name, this.lines)} AS text)`;
      return `COALESCE(char_length(${text}) || ':' || ${text}, '-')`;
    });
    return `encode(sha256(convert_to(${parts.join(' || ')}, 'UTF8')), 'hex')`;
  }

  /** What a line's value must be to be taken, and the value as the field takes it. */
  private strict(compiled: CompiledLine): { name: string; value: string; conditions: string[] } {
    const { line, field, type, required, onFail } = compiled;
    const v = quoteName(field.name);
    if (isSequence(line)) {
      if (line.condition || line.check)
        throw new RuleError(`${line.target}: a sequence with a condition or a check has no short form in SQL.`, 0, 0);
      return { name: field.name, value: v, conditions: [] };
    }
    const from = this.typeOf(line, type);
    const { fits, value } = strictSql(v, from, type);
    const tests = [...(fits === null ? [] : [fits])];
    if (field.codeTable) tests.push(`CAST(${value} AS text) IN (SELECT "to" FROM ${this.codeTable(field.codeTable)})`);
    const met =
      tests.length === 0
        ? null
        : `CASE WHEN ${v} IS NULL THEN TRUE WHEN ${tests[0]} THEN ${tests[1] ?? 'TRUE'} ELSE FALSE END`;
    const otherwise = `CAST(${quoteName(`default of ${field.name}`)} AS ${type.sql})`;
    // A required field that came out empty fails like any other, and its default stands in.
    const conditions = required
      ? [onFail === 'default' ? `COALESCE(${value}, ${otherwise}) IS NOT NULL` : `${v} IS NOT NULL`]
      : [];
    if (required && onFail === 'default' && fits === null && !field.codeTable)
      return { name: field.name, value: `COALESCE(${value}, ${otherwise})`, conditions };
    if (met === null) return { name: field.name, value, conditions };
    if (onFail === 'reject' || onFail === 'stop')
      return { name: field.name, value: `CASE WHEN ${met} THEN ${value} END`, conditions: [...conditions, met] };
    if (onFail === 'default')
      return {
        name: field.name,
        value: `CASE WHEN ${required ? `${v} IS NOT NULL AND ` : ''}${met} THEN ${value} ELSE ${otherwise} END`,
        conditions: required ? [`(${v} IS NOT NULL OR ${otherwise} IS NOT NULL)`] : [],
      };
    return { name: field.name, value: `CASE WHEN ${met} THEN ${value} END`, conditions };
  }
  private typeOf(line: Line, type: FieldType): ValueType {
    const text = (t: ValueType): ValueType => (t === 'unknown' ? 'text' : t);
    if (line.kind === 'constant') return type.value;
    if (line.kind === 'rule') return text(makeRule(line.rule!, this.lines).type);
    if (line.kind === 'straight') return text(makeRule(line.source!, this.lines).type);
    return 'text';
  }

  private lineCheck({ check, onFail, field }: CompiledLine): string[] {
    if (!check) return [];
    if (onFail === 'reject' || onFail === 'stop') return [this.check(check.text)];
    throw new RuleError(`${field.name}: a check that gives another value has no short form in SQL.`, 0, 0);
  }
  private check(text: string): string {
    return `(${this.ofTarget(text)}) IS NOT FALSE`;
  }
  /** A rule on the finished record. */
  private ofTarget(text: string): string {
    return this.printed(text, this.target, (_alias: string | null, name: string) => {
      // It is counted only when it is known which records are written.
      if (this.compiled.lines.some((l) => l.field.name === name && isSequence(l.line)))
        throw new RuleError(`${text}: a rule on ${name}, a sequence, has no short form in SQL.`, 0, 0);
      return quoteName(name);
    });
  }
  private rule(text: string, scope: Scope): string {
    return this.printed(text, scope);
  }
  private printed(
    text: string,
    scope: Scope,
    field = (alias: string | null, name: string): string => this.field(alias, name),
  ): string {
    const ours = pushedDown({
      codeTable: (name) => this.codeTable(name),
      codeDefault: (name) => this.document.codeDefaults?.[name] ?? null,
      keyMap: (mapping) => {
        this.keyMaps.add(mapping);
        return quoteName(`key map ${mapping}`);
      },
      variable: (name) => (name === 'row_number' ? `${this.document.source.primary.alias}._row` : this.parameter(name)),
      now: null,
      typeOf: (node) => this.typeIn(printRule(node), scope),
      isInput: IS_INPUT,
    });
    return printRule(parseRule(text), field, (node, p) => ours(node, p));
  }
  /** What stands inside an aggregate sees the fields as they were before grouping. */
  private typeIn(text: string, scope: Scope): ValueType {
    try {
      return makeRule(text, scope).type;
    } catch (error) {
      if (scope !== this.lines || this.lines === this.base) throw error;
      return makeRule(text, this.base).type;
    }
  }
  private field(alias: string | null, name: string): string {
    const found = this.base.fields.find((f) => f.name === name && (alias === null || f.alias === alias));
    return `${found?.alias ?? this.document.source.primary.alias}.${writtenName(name)}`;
  }
  private codeTable(name: string): string {
    this.usedTables.add(name);
    return quoteName(`code table ${name}`);
  }
  private codes(name: string): string {
    const codes = this.document.codeTables[name] ?? [];
    if (codes.length === 0) return "SELECT ''::text, ''::text WHERE FALSE";
    if (!codes.some((c) => c.validFrom || c.validTo))
      return `VALUES ${codes.map((c) => `(${textLiteral(c.from)}, ${textLiteral(c.to)})`).join(', ')}`;
    const day = (text: string | undefined): string => (text === undefined ? 'NULL::date' : `DATE ${textLiteral(text)}`);
    const rows = codes.map(
      (c) => `(${textLiteral(c.from)}, ${textLiteral(c.to)}, ${day(c.validFrom)}, ${day(c.validTo)})`,
    );
    return `SELECT c.f, c.t FROM (VALUES ${rows.join(', ')}) c(f, t, since, until) WHERE COALESCE(since <= CURRENT_DATE, TRUE) AND COALESCE(until >= CURRENT_DATE, TRUE)`;
  }
  private parameter(name: string): string {
    const type = RUN_VARIABLES[name] ?? 'text';
    let at = this.parameters.findIndex((p) => p.name === name);
    if (at < 0) at = this.parameters.push({ name, type }) - 1;
    return `CAST($${at + 1} AS ${type})`;
  }
}
