import { Mismatch } from '../fields/convert.ts';
import type { Timestamp } from '../fields/dates.ts';
import { outputText, type Value } from '../fields/values.ts';
import { RuleContext, SEQUENCE, type KeyMaps } from '../rules/context.ts';
import { codeDefaultsOf, codeTablesOf, hasDatedCodes } from '../document/codes.ts';
import { sourceLabel, type CompiledLine, type CompiledMapping } from '../compile/compile.ts';
import { KeyCheck, keyTexts } from './key-check.ts';
import type { Failure, Outcome } from '../document/records.ts';

/** Facts of a run that rules may ask for. */
export interface RunFacts {
  /** What now() and CURRENT_DATE mean throughout the run. */
  readonly startedAt: Timestamp;
  readonly fileName?: string;
  /** The number of the run; 0 where something is only tried. */
  readonly run?: number;
  /** What the plan gives to rules. */
  readonly variables?: Readonly<Record<string, string>>;
  /** What mapped_key() finds. */
  readonly keyMaps?: KeyMaps;
  /** Records are let through without a look at their keys: somebody who sees all of them in their order does that. */
  readonly keysElsewhere?: boolean;
}
const NO_KEY_MAPS: KeyMaps = new Map();

const NONE: readonly Failure[] = [];
const FILTERED: Outcome = { kind: 'filtered', values: [], failures: NONE, remarks: NONE, skip: null, stop: false };

/**
 * Applies a compiled document to records one after the other. It remembers the keys it has let through, so one instance
 * serves one run, in the order of the source.
 */
export class MappingRun {
  private readonly ctx = new RuleContext();
  private readonly targetCtx = new RuleContext();
  private readonly keyCheck: KeyCheck;
  /** The last number of the mapping's sequence; it goes on from run to run. */
  number = 0;
  /** The number that the last record was given. */
  given = 0;
  private readonly checksKeys: boolean;
  private readonly variables: Record<string, Value>;
  private failures: Failure[] = [];
  private remarks: Failure[] = [];
  private stopping = false;

  constructor(
    private readonly mapping: CompiledMapping,
    facts: RunFacts,
    /** For the sheet: only the lines and checks, whatever filter and skips say and whichever keys came before. */
    private readonly linesOnly = false,
  ) {
    // Without what every object has: no variable is known but those that are given.
    this.variables = Object.assign(Object.create(null) as Record<string, Value>, facts.variables, {
      run_started_at: facts.startedAt,
      run_number: facts.run ?? 0,
      row_number: 0,
      file_name: facts.fileName ?? null,
      [SEQUENCE]: 0,
    });
    const { document } = mapping;
    const codeTables = hasDatedCodes(document) ? codeTablesOf(document, facts.startedAt.day) : mapping.codeTables;
    const defaults = codeDefaultsOf(document);
    for (const ctx of [this.ctx, this.targetCtx]) {
      ctx.now = facts.startedAt;
      ctx.codeTables = codeTables;
      ctx.codeDefaults = defaults;
      ctx.keyMaps = facts.keyMaps ?? NO_KEY_MAPS;
      ctx.variables = this.variables;
    }
    this.keyCheck = new KeyCheck(mapping.keys.length);
    this.checksKeys = !linesOnly && facts.keysElsewhere !== true;
  }

  /** The file that the next record comes from: what :file_name means. */
  set fileName(name: string | null) {
    this.variables['file_name'] = name;
  }

  /**
   * `row`: the source record's values in slot order; `rowNumber`: its 1-based number in the primary dataset,
   * null for a composed record that none of the primary dataset belongs to; `number`: the one
   * in the sequence that the record had before, when it is sent again.
   */
  apply(row: readonly Value[], rowNumber: number | null, number?: number): Outcome {
    const { mapping, ctx } = this;
    ctx.row = row;
    ctx.fault = null;
    ctx.askedBeyond = false;
    this.targetCtx.askedBeyond = false;
    this.variables['row_number'] = rowNumber;
    this.failures = NONE as Failure[];
    this.remarks = NONE as Failure[];
    this.stopping = false;
    if (mapping.filter !== null && !this.linesOnly) {
      const kept = mapping.filter.run(ctx);
      if (this.faulted('source.filter', mapping.filter.uses)) return this.failed([]);
      if (kept !== true) return FILTERED;
    }
    for (const skip of this.linesOnly ? [] : mapping.skips) {
      const applies = skip.rule.run(ctx);
      if (this.faulted(skip.id, skip.rule.uses)) return this.failed([]);
      if (applies === true) return { ...FILTERED, kind: 'skipped', skip: skip.id };
    }
    this.given = number ?? this.number + 1;
    this.variables[SEQUENCE] = this.given;
    const values: Value[] = new Array<Value>(mapping.columns.length).fill(null);
    for (const line of mapping.lines) this.fill(line, values);
    for (const line of mapping.lines) if (line.check !== null) this.lineCheck(line, values);
    if (this.failures.length > 0) return this.failed(values);
    const skip = this.linesOnly ? null : this.skipOfMapped(values);
    if (this.failures.length > 0) return this.failed(values);
    if (skip !== null) return { ...FILTERED, kind: 'skipped', values, skip };
    for (const check of mapping.checks) this.recordCheck(check, values);
    if (this.failures.length > 0) return this.failed(values);
    if (this.checksKeys) this.keys(values);
    if (this.failures.length > 0) return this.failed(values);
    if (number === undefined) this.number = this.given;
    return { kind: 'written', values, failures: NONE, remarks: this.remarks, skip: null, stop: this.stopping };
  }

  /** Whether what became of the last record depends on more than what it holds: on when, where or as which it came. */
  get askedBeyond(): boolean {
    return this.ctx.askedBeyond || this.targetCtx.askedBeyond;
  }

  /** What the lines of the key make of a record, whatever filter and skips say; null where one of them fails. */
  keyValues(row: readonly Value[], rowNumber: number | null): readonly Value[] | null {
    const { mapping, ctx } = this;
    ctx.row = row;
    this.variables['row_number'] = rowNumber;
    this.failures = NONE as Failure[];
    const key = mapping.keys.find((k) => k.primary)?.indexes ?? [];
    const values = new Array<Value>(mapping.columns.length).fill(null);
    for (const line of mapping.lines) if (key.includes(line.index)) this.fill(line, values);
    return this.failures.length > 0 ? null : values;
  }

  /** Remarks are of records that went on; only the sheet, which shows each line by itself, shows them of all. */
  private failed(values: readonly Value[]): Outcome {
    const remarks = this.linesOnly ? this.remarks : NONE;
    return { kind: 'failed', values, failures: this.failures, remarks, skip: null, stop: this.stopping };
  }
  private fail(failure: Failure): void {
    if (this.failures === NONE) this.failures = [];
    this.failures.push(failure);
  }
  private remark(failure: Failure): void {
    if (this.remarks === NONE) this.remarks = [];
    this.remarks.push(failure);
  }

  /** A fault in a filter or skip: the record can't be judged, so it fails there. */
  private faulted(where: string, uses: readonly { readonly name: string; readonly slot: number }[]): boolean {
    const { fault } = this.ctx;
    if (fault === null) return false;
    const { document, sourceFields } = this.mapping;
    const values = Object.fromEntries(
      uses.map((u) => {
        const field = sourceFields[u.slot]!;
        return [sourceLabel(document, field), outputText(this.ctx.row[u.slot]!, field.type)];
      }),
    );
    this.fail({ line: where, target: null, cause: fault.cause, message: fault.message, values });
    return true;
  }

  private fill(line: CompiledLine, values: Value[]): void {
    const { ctx } = this;
    ctx.fault = null;
    let value: Value;
    let convert = line.convert;
    if (line.condition !== null && line.condition.run(ctx) !== true) {
      if (ctx.fault !== null) return this.lineFailed(line, values, this.fromFault(line));
      if (line.fallback === null) value = null;
      else {
        value = line.fallback.rule.run(ctx);
        convert = line.fallback.convert;
      }
    } else {
      value = line.make(ctx);
      if (value === null && line.defaultOnNull && ctx.fault === null && line.fallback !== null) {
        value = line.fallback.rule.run(ctx);
        convert = line.fallback.convert;
      }
    }
    if (ctx.fault !== null) return this.lineFailed(line, values, this.fromFault(line));
    const failure = this.accept(line, value, convert, values);
    if (failure !== null) this.lineFailed(line, values, failure);
  }

  /** Conversion, then required, then the field's code table. Stores the value, or says what is wrong with it. */
  private accept(line: CompiledLine, value: Value, convert: CompiledLine['convert'], values: Value[]): Failure | null {
    if (value === null) {
      values[line.index] = null;
      return line.required
        ? this.about(line, 'required_missing', `${label(line)} is required and came out empty.`)
        : null;
    }
    const converted = convert(value);
    if (converted instanceof Mismatch) return this.about(line, converted.cause, converted.message);
    if (line.codes !== null && !line.codes.has(outputText(converted, line.type.value)!)) {
      return this.about(
        line,
        'code_not_found',
        `“${outputText(converted, line.type.value)}” is not one of the codes in ${line.field.codeTable}.`,
      );
    }
    values[line.index] = converted;
    return null;
  }

  private about(line: CompiledLine, cause: Failure['cause'], message: string): Failure {
    const values = Object.fromEntries(line.uses.map((u) => [u.label, outputText(this.ctx.row[u.slot]!, u.type)]));
    return { line: line.id, target: line.field.name, cause, message, values };
  }
  private fromFault(line: CompiledLine): Failure {
    const fault = this.ctx.fault!;
    const { at, end, code } = fault;
    return { ...this.about(line, fault.cause, fault.message), at, end, ...(code ? { code } : {}) };
  }

  private lineFailed(line: CompiledLine, values: Value[], failure: Failure): void {
    const { ctx } = this;
    values[line.index] = null;
    if (line.onFail === 'stop') this.stopping = true;
    if (line.onFail === 'reject' || line.onFail === 'stop') return this.fail(failure);
    let instead: Value = null;
    if (line.onFail === 'default' && line.fallback !== null) {
      ctx.fault = null;
      instead = line.fallback.rule.run(ctx);
      if (ctx.fault !== null) return this.fail(this.fromFault(line));
    }
    const second = this.accept(line, instead, line.fallback?.convert ?? line.convert, values);
    if (second !== null) return this.fail(second);
    this.remark(failure);
  }

  private lineCheck(line: CompiledLine, values: Value[]): void {
    if (this.failures.some((f) => f.line === line.id)) return;
    const failure = this.checked(
      line.check!,
      values,
      line.id,
      line.field.name,
      line.line.checkMessage ?? `The check ${line.line.check} is not met.`,
    );
    if (failure !== null) this.lineFailed(line, values, failure);
  }
  /** The first skip that the finished record meets. One that can't be told fails the record there. */
  private skipOfMapped(values: Value[]): string | null {
    const ctx = this.targetCtx;
    ctx.row = values;
    for (const { id, rule } of this.mapping.mappedSkips) {
      ctx.fault = null;
      const applies = rule.run(ctx);
      const fault = ctx.fault as RuleContext['fault'];
      if (fault !== null) {
        const { cause, message } = fault;
        this.fail({ line: id, target: null, cause, message, values: this.involved(rule, values) });
        return null;
      }
      if (applies === true) return id;
    }
    return null;
  }
  private recordCheck(check: CompiledMapping['checks'][number], values: Value[]): void {
    const failure = this.checked(check.rule, values, check.id, null, check.message);
    if (failure === null) return;
    if (check.onFail === 'remark') return this.remark(failure);
    if (check.onFail === 'stop') this.stopping = true;
    this.fail(failure);
  }
  /** Not true and not null is a failure. */
  private checked(
    rule: NonNullable<CompiledLine['check']>,
    values: Value[],
    line: string,
    target: string | null,
    message: string,
  ): Failure | null {
    const ctx = this.targetCtx;
    ctx.row = values;
    ctx.fault = null;
    const met = rule.run(ctx);
    const fault = ctx.fault as RuleContext['fault'];
    if (fault === null && met !== false) return null;
    return {
      line,
      target,
      cause: fault?.cause ?? 'check_failed',
      message: fault?.message ?? message,
      values: this.involved(rule, values),
    };
  }
  /** What a rule reads of the finished record. */
  private involved(rule: CompiledMapping['checks'][number]['rule'], values: readonly Value[]): Failure['values'] {
    return Object.fromEntries(
      rule.uses.map((u) => [u.name, outputText(values[u.slot]!, this.mapping.columns[u.slot]!.type.value)]),
    );
  }

  private keys(values: readonly Value[]): void {
    const twice = this.keyCheck.take(keyTexts(values, this.mapping));
    if (twice !== null) this.duplicate(values, twice);
  }
  private duplicate(values: readonly Value[], twice: readonly number[]): void {
    const { keys, columns } = this.mapping;
    for (const which of twice) {
      const key = keys[which]!;
      const involved = Object.fromEntries(
        key.indexes.map((at) => [columns[at]!.name, outputText(values[at]!, columns[at]!.type.value)]),
      );
      const names = key.names.join(', ');
      this.fail({
        line: key.line,
        target: names,
        cause: 'duplicate_key',
        message: `${names} ${Object.values(involved)
          .map((v) => `“${v}”`)
          .join(', ')} came twice in this run; the first one counts.`,
        values: involved,
      });
    }
  }

  /** Where keys are checked elsewhere: what becomes of a record that was let through here and whose keys came before. */
  refusedFor({ values, stop }: Outcome, twice: readonly number[]): Outcome {
    this.failures = NONE as Failure[];
    this.duplicate(values, twice);
    return { kind: 'failed', values, failures: this.failures, remarks: NONE, skip: null, stop };
  }
}

function label(line: CompiledLine): string {
  return line.field.label ?? line.field.name;
}
