import { sha256 } from '@noble/hashes/sha2';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils';
import { converterTo, Mismatch, type Converter } from '../fields/convert.ts';
import { parseFieldType, typeName, type FieldType, type ValueType } from '../fields/types.ts';
import { outputText, type Value } from '../fields/values.ts';
import type { Marks } from '../formats/format.ts';
import { textConverter } from '../formats/text/marks.ts';
import type { Scope, ScopeField } from '../rules/scope.ts';
import { SEQUENCE, type CodeTables, type RuleContext } from '../rules/context.ts';
import { RuleError } from '../rules/errors.ts';
import type { Rule } from '../rules/rule.ts';
import { nearest } from '../words.ts';
import { codeProblems, codeTablesOf } from '../document/codes.ts';
import type { SourceField } from '../document/source-field.ts';
import { composedScopes, isComposed } from '../source-set/source-set.ts';
import { readSkips } from '../document/rules.ts';
import { sourceSetProblems } from '../source-set/source-set-problems.ts';
import { KnownRules } from './known-rules.ts';
import {
  isLoaded,
  MAPPING_VARIABLES,
  type Line,
  type MappingDocument,
  type Problem,
  type Skip,
  type TargetField,
} from '../document/document.ts';

export interface CompiledLine {
  readonly id: string;
  readonly line: Line;
  readonly field: TargetField;
  /** Index into the record's values. */
  readonly index: number;
  readonly type: FieldType;
  /** The line's value; null rules stand for kinds that take nothing from a rule. */
  readonly make: (ctx: RuleContext) => Value;
  readonly convert: Converter;
  readonly condition: Rule | null;
  readonly fallback: { readonly rule: Rule; readonly convert: Converter } | null;
  readonly defaultOnNull: boolean;
  readonly onFail: 'reject' | 'default' | 'null' | 'stop';
  readonly required: boolean;
  readonly codes: ReadonlySet<string> | null;
  readonly check: Rule | null;
  readonly uses: readonly { readonly label: string; readonly slot: number; readonly type: ValueType }[];
}
export interface CompiledCheck {
  readonly id: string;
  readonly rule: Rule;
  readonly message: string;
  readonly onFail: 'reject' | 'remark' | 'stop';
}
export interface CompiledSkip {
  readonly id: string;
  readonly rule: Rule;
}
export interface CompiledMapping {
  readonly document: MappingDocument;
  readonly problems: readonly Problem[];
  /** What the filter may name. */
  readonly scope: Scope;
  readonly filter: Rule | null;
  /** Asked of a record as it was read. */
  readonly skips: readonly CompiledSkip[];
  /** Asked of the finished record, in target field names. */
  readonly mappedSkips: readonly CompiledSkip[];
  readonly lines: readonly CompiledLine[];
  readonly checks: readonly CompiledCheck[];
  /** The fields that are written, in the document's order. */
  readonly columns: readonly { readonly name: string; readonly type: FieldType }[];
  readonly keys: readonly {
    readonly names: readonly string[];
    readonly indexes: readonly number[];
    readonly line: string | null;
    readonly primary: boolean;
  }[];
  readonly codeTables: CodeTables;
  readonly sourceFields: readonly SourceField[];
}

/**
 * Settles every name, type and rule of a document against the fields of its source. Never throws for what a person wrote:
 * the problems are listed, and a document without errors can be applied. `known`: rules of the version before.
 */
export function compileMapping(
  document: MappingDocument,
  sourceFields: readonly SourceField[],
  known = new KnownRules(),
): CompiledMapping {
  known.begin();
  return new MappingCompiler(document, sourceFields, known).compile();
}

class MappingCompiler {
  private readonly problems: Problem[] = [];
  private readonly codeTables: CodeTables;
  /** What filter and joins may name. */
  private readonly baseScope: Scope;
  /** What lines may name: the same, unless the source set groups. */
  private readonly sourceScope: Scope;
  private readonly types = new Map<string, FieldType>();
  private targetScope: Scope = { fields: [] };
  private columns: { name: string; type: FieldType }[] = [];

  constructor(
    private readonly document: MappingDocument,
    private readonly sourceFields: readonly SourceField[],
    private readonly known: KnownRules,
  ) {
    this.codeTables = codeTablesOf(document);
    const common = { ...MAPPING_VARIABLES, codeTables: this.codeTables };
    const { alias } = document.source.primary;
    const fields: ScopeField[] = sourceFields.map((f, slot) => ({ alias, name: f.name, type: f.type, slot }));
    const scopes = isComposed(document) ? composedScopes(document, sourceFields, common) : null;
    this.baseScope = scopes?.base ?? { ...common, fields };
    this.sourceScope = scopes?.lines ?? this.baseScope;
  }

  compile(): CompiledMapping {
    const { document } = this;
    this.sourceSet();
    this.targetFields();
    const lineOf = this.linesByTarget();
    const loaded = document.target.fields.filter((f) => {
      const line = lineOf.get(f.name);
      return line !== undefined && isLoaded(line) && this.types.has(f.name);
    });
    this.columns = loaded.map((f) => ({ name: f.name, type: this.types.get(f.name)! }));
    this.targetScope = {
      fields: this.columns.map((c, slot) => ({ alias: null, name: c.name, type: c.type.value, slot })),
      ...MAPPING_VARIABLES,
      codeTables: this.codeTables,
    };
    const filter = document.source.filter
      ? this.condition(document.source.filter, this.baseScope, 'source.filter')
      : null;
    const skips = this.skips(readSkips(document), this.sourceScope);
    const lines = loaded.flatMap((field, index) => this.line(lineOf.get(field.name)!, field, index) ?? []);
    const checks = document.checks.flatMap((c) => {
      const compiled = this.condition(c.rule, this.targetScope, `checks ${c.id}`, c.id);
      return compiled ? [{ id: c.id, rule: compiled, message: c.message, onFail: c.onFail }] : [];
    });
    const mapped = document.skips.filter((s) => s.at === 'mapped');
    const mappedSkips = this.skips(mapped, this.targetScope);
    this.coverage(lineOf);
    return {
      document,
      problems: this.problems,
      scope: this.baseScope,
      // Groups have been filtered before they were made. Other composed records may have been, and meet it again.
      filter: document.source.groupBy.length > 0 ? null : filter,
      skips,
      mappedSkips,
      lines,
      checks,
      columns: this.columns,
      keys: this.keys(lineOf),
      codeTables: this.codeTables,
      sourceFields: this.sourceFields,
    };
  }

  private skips(skips: readonly Skip[], scope: Scope): CompiledSkip[] {
    return skips.flatMap((s) => {
      const rule = this.condition(s.when, scope, `skips ${s.id}`, s.id);
      return rule ? [{ id: s.id, rule }] : [];
    });
  }

  private report(problem: Omit<Problem, 'severity'>, severity: Problem['severity'] = 'error'): void {
    this.problems.push({ severity, ...problem });
  }

  private sourceSet(): void {
    this.problems.push(...sourceSetProblems(this.document, this.baseScope, this.sourceScope));
    const ids = new Map<string, string>();
    for (const [kind, list] of [
      ['lines', this.document.lines],
      ['checks', this.document.checks],
      ['skips', this.document.skips],
    ] as const)
      for (const [i, item] of list.entries()) {
        if (ids.has(item.id))
          this.report({
            path: `${kind}[${i}].id`,
            line: item.id,
            message: `The id “${item.id}” is used twice, also in ${ids.get(item.id)}.`,
          });
        ids.set(item.id, kind);
      }
    this.problems.push(...codeProblems(this.document));
  }

  private targetFields(): void {
    const { fields, key, unique } = this.document.target;
    const names = new Set<string>();
    for (const [i, field] of fields.entries()) {
      if (names.has(field.name))
        this.report({
          path: `target.fields[${i}].name`,
          message: `The target has two fields called “${field.name}”; names must differ.`,
        });
      names.add(field.name);
      try {
        this.types.set(field.name, parseFieldType(field.type));
      } catch (error) {
        this.report({ path: `target.fields[${i}].type`, message: `Field ${field.name}: ${(error as Error).message}` });
      }
      if (field.codeTable && !this.codeTables.has(field.codeTable))
        this.report({
          path: `target.fields[${i}].codeTable`,
          message: `There is no code table “${field.codeTable}”; add it to the document.`,
        });
    }
    const known = (name: string, path: string): void => {
      if (names.has(name)) return;
      const near = nearest(name, names);
      this.report({
        path,
        message: `The target has no field “${name}”.${near ? ` Did you mean ${near}?` : ''}`,
        ...(near ? { proposal: near } : {}),
      });
    };
    key.forEach((name, i) => {
      known(name, `target.key[${i}]`);
      if (key.indexOf(name) !== i)
        this.report({ path: `target.key[${i}]`, message: `“${name}” stands twice in the key; name each field once.` });
    });
    unique.forEach((set, i) => set.forEach((name, j) => known(name, `target.unique[${i}][${j}]`)));
    if (key.length === 0 && ['upsert', 'update', 'skip existing', 'new revision'].includes(this.document.write.mode))
      this.report({
        path: 'target.key',
        message: `The write mode ${this.document.write.mode} needs a key: name the target fields that tell records apart.`,
      });
  }

  private linesByTarget(): Map<string, Line> {
    const byTarget = new Map<string, Line>();
    const names = this.document.target.fields.map((f) => f.name);
    for (const line of this.document.lines) {
      if (!names.includes(line.target)) {
        const near = nearest(line.target, names);
        this.report({
          line: line.id,
          path: 'target',
          message: `The target has no field “${line.target}”.${near ? ` Did you mean ${near}?` : ''}`,
          ...(near ? { proposal: near } : {}),
        });
      } else if (byTarget.has(line.target))
        this.report({
          line: line.id,
          path: 'target',
          message: `“${line.target}” is already filled by line ${byTarget.get(line.target)!.id}; a field has one line.`,
        });
      else byTarget.set(line.target, line);
    }
    return byTarget;
  }

  /** By scope, since telling what a scope means takes longer than a rule. */
  private readonly makers = new Map<Scope, (text: string) => Rule>();
  private makes(scope: Scope): (text: string) => Rule {
    const maker = this.makers.get(scope) ?? this.known.in(scope);
    this.makers.set(scope, maker);
    return maker;
  }
  private rule(text: string, scope: Scope, path: string, line?: string): Rule | null {
    try {
      const made = this.makes(scope)(text);
      for (const remark of made.remarks)
        this.report({ path, ...remark, ...(line === undefined ? {} : { line }) }, 'warning');
      return made;
    } catch (error) {
      if (!(error instanceof RuleError)) throw error;
      this.report({
        path,
        message: error.message,
        at: error.at,
        end: error.end,
        ...(line !== undefined ? { line } : {}),
        ...(error.proposal !== undefined ? { proposal: error.proposal } : {}),
      });
      return null;
    }
  }

  private condition(text: string, scope: Scope, path: string, line?: string): Rule | null {
    const compiled = this.rule(text, scope, path, line);
    if (!compiled || compiled.type === 'bool' || compiled.type === 'unknown') return compiled;
    this.report({
      path,
      message: `A condition must be true or false; this gives ${typeName(compiled.type)}.`,
      at: 0,
      end: text.length,
      ...(line !== undefined ? { line } : {}),
    });
    return null;
  }

  private line(line: Line, field: TargetField, index: number): CompiledLine[] | null {
    const type = this.types.get(field.name)!;
    const value = this.lineValue(line, field, type);
    const condition = line.condition ? this.condition(line.condition, this.sourceScope, 'condition', line.id) : null;
    const fallback = line.default ? this.fallback(line, type) : null;
    const check = line.check ? this.condition(line.check, this.targetScope, 'check', line.id) : null;
    if (line.onFail === 'default' && !line.default)
      this.report({
        line: line.id,
        path: 'onFail',
        message: 'On failure the default is wanted, but the line has none.',
      });
    if (!value || (line.condition && !condition) || (line.default && !fallback) || (line.check && !check)) return null;
    const used = [...value.uses, ...(condition?.uses ?? [])];
    const uses = used
      .filter((u, i) => used.findIndex((o) => o.slot === u.slot) === i)
      .map((u) => ({
        label: sourceLabel(this.document, this.sourceFields[u.slot]!),
        slot: u.slot,
        type: this.sourceFields[u.slot]!.type,
      }));
    const codes = field.codeTable ? this.codeTables.get(field.codeTable) : undefined;
    return [
      {
        id: line.id,
        line,
        field,
        index,
        type,
        make: value.make,
        convert: value.convert,
        condition,
        fallback,
        check,
        uses,
        defaultOnNull: line.defaultWhen === 'null',
        onFail: line.onFail ?? 'reject',
        required: field.required || !field.nullable || this.document.target.key.includes(field.name),
        codes: codes ? new Set(codes.values()) : null,
      },
    ];
  }

  private fallback(line: Line, type: FieldType): CompiledLine['fallback'] {
    const compiled = this.rule(line.default!, this.sourceScope, 'default', line.id);
    const convert = compiled && this.converter(type, compiled.type, line, 'default');
    return compiled && convert ? { rule: compiled, convert } : null;
  }

  private converter(type: FieldType, from: ValueType, line: Line, path: string, marks?: Marks): Converter | null {
    try {
      return from === 'text' ? textConverter(type, marks) : converterTo(type, from);
    } catch (error) {
      this.report({ line: line.id, path, message: (error as Error).message });
      return null;
    }
  }

  private lineValue(
    line: Line,
    field: TargetField,
    type: FieldType,
  ): { make: (ctx: RuleContext) => Value; convert: Converter; uses: Rule['uses'] } | null {
    const fromRule = (text: string, path: string): ReturnType<MappingCompiler['lineValue']> => {
      const compiled = this.rule(text, this.sourceScope, path, line.id);
      // A rule reads text by its own pattern; only what is taken as it is depends on what the dataset declares.
      const taken = line.kind === 'straight' ? compiled?.uses[0] : undefined;
      const marks = taken && this.sourceFields[taken.slot]?.marks;
      const convert = compiled && this.converter(type, compiled.type, line, path, marks);
      return compiled && convert ? { make: compiled.run, convert, uses: compiled.uses } : null;
    };
    const missing = (path: string, what: string): null => {
      this.report({ line: line.id, path, message: what });
      return null;
    };
    switch (line.kind) {
      case 'straight':
        return line.source
          ? fromRule(line.source, 'source')
          : missing('source', 'A straight line needs a source field.');
      case 'rule':
        return line.rule ? fromRule(line.rule, 'rule') : missing('rule', 'A line of kind rule needs its rule.');
      case 'constant':
        return this.constant(line, field, type);
      case 'lookup': {
        if (!line.source) return missing('source', 'A lookup needs a source field or expression.');
        if (!line.codeTable) return missing('codeTable', 'A lookup needs the code table that it translates by.');
        if (!this.codeTables.has(line.codeTable)) {
          const near = nearest(line.codeTable, this.codeTables.keys());
          return missing(
            'codeTable',
            `There is no code table “${line.codeTable}”.${near ? ` Did you mean “${near}”?` : ' Add it to the document.'}`,
          );
        }
        const inner = this.rule(line.source, this.sourceScope, 'source', line.id);
        if (!inner) return null;
        const asText = inner.type === 'text' || inner.type === 'unknown' ? line.source : `(${line.source})::text`;
        return fromRule(`lookup('${line.codeTable.replace(/'/g, "''")}', ${asText})`, 'source');
      }
      case 'generated':
        return this.generated(line, type);
      default:
        return null;
    }
  }

  private constant(line: Line, field: TargetField, type: FieldType): ReturnType<MappingCompiler['lineValue']> {
    if (line.value === undefined || line.value === null) return { make: () => null, convert: (v) => v, uses: [] };
    const convert = this.converter(type, 'text', line, 'value');
    if (!convert) return null;
    const value = convert(String(line.value));
    if (value instanceof Mismatch) {
      this.report({
        line: line.id,
        path: 'value',
        message: `The constant for ${field.name} does not fit: ${value.message}`,
      });
      return null;
    }
    return { make: () => value, convert: (v) => v, uses: [] };
  }

  private generated(line: Line, type: FieldType): ReturnType<MappingCompiler['lineValue']> {
    const how = line.generate ?? 'uuid';
    if (how === 'sequence') {
      const convert = this.converter(type, 'int8', line, 'generate');
      const make = (ctx: RuleContext): Value => {
        ctx.askedBeyond = true;
        return (ctx.variables[SEQUENCE] as number) ?? null;
      };
      return convert && { make, convert, uses: [] };
    }
    const convert = this.converter(type, 'text', line, 'generate');
    if (!convert) return null;
    if (how === 'uuid') {
      const make = (ctx: RuleContext): Value => {
        ctx.askedBeyond = true;
        return crypto.randomUUID();
      };
      return { make, convert, uses: [] };
    }
    const parts = (line.of ?? []).map((name) => this.rule(name, this.sourceScope, 'of', line.id));
    if (parts.length === 0)
      this.report({ line: line.id, path: 'of', message: 'A hash needs the fields that go into it.' });
    if (parts.length === 0 || parts.some((p) => p === null)) return null;
    const rules = parts as Rule[];
    const make = (ctx: RuleContext): Value => {
      // Each part with its length in front, so that ("ab","c") and ("a","bc") differ.
      const text = rules
        .map((r) => outputText(r.run(ctx), r.type))
        .map((t) => (t === null ? '-' : `${t.length}:${t}`))
        .join('');
      return bytesToHex(sha256(utf8ToBytes(text)));
    };
    const uses = rules.flatMap((r) => r.uses);
    return { make, convert, uses };
  }

  /** Required but unmapped is an error; optional and unmapped is one summary line. */
  private coverage(lineOf: ReadonlyMap<string, Line>): void {
    const { target } = this.document;
    const optional: string[] = [];
    for (const field of target.fields) {
      const line = lineOf.get(field.name);
      if (line && isLoaded(line)) continue;
      const required = field.required || !field.nullable || target.key.includes(field.name);
      const label = field.label ? `${field.label} (${field.name})` : field.name;
      if (required)
        this.report({
          ...(line ? { line: line.id } : {}),
          path: `target.${field.name}`,
          message: `${label} is required, but ${line?.kind === 'not loaded' ? 'its line says “not loaded”' : line ? 'its line is still to map' : 'no line fills it'}.`,
        });
      else if (line?.kind !== 'not loaded') optional.push(field.name);
    }
    if (optional.length > 0)
      this.report(
        {
          path: 'target.fields',
          message: `${optional.length === 1 ? 'One optional field is' : `${optional.length} optional fields are`} not mapped: ${optional.slice(0, 8).join(', ')}${optional.length > 8 ? ' …' : ''}.`,
        },
        'warning',
      );
  }

  private keys(lineOf: ReadonlyMap<string, Line>): CompiledMapping['keys'] {
    const { key, unique } = this.document.target;
    return [...(key.length > 0 ? [key] : []), ...unique].flatMap((names, i) => {
      const indexes = names.map((n) => this.columns.findIndex((c) => c.name === n));
      if (indexes.includes(-1)) return [];
      return [{ names, indexes, line: lineOf.get(names[0]!)?.id ?? null, primary: i === 0 && key.length > 0 }];
    });
  }
}

/** What a source field is called in failures. */
export function sourceLabel(document: MappingDocument, { alias, name }: SourceField): string {
  return alias === null ? name : `${alias ?? document.source.primary.alias}.${name}`;
}
