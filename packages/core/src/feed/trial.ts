import type { Timestamp } from '../fields/dates.ts';
import { outputText, type Value } from '../fields/values.ts';
import { Unreadable } from '../formats/format.ts';
import type { KeyMaps } from '../rules/context.ts';
import { MappingRun } from './apply.ts';
import type { KnownRules } from '../compile/known-rules.ts';
import { compileMapping, type CompiledLine, type CompiledMapping } from '../compile/compile.ts';
import type { MappingDocument, Problem } from '../document/document.ts';
import type { Failure } from '../document/records.ts';
import { rowTyper, sourceFieldsFor, type DeclaredMarks } from '../compile/source.ts';

/** A source record as text, in the order of the dataset's fields. */
export type SampleValues = readonly (string | null)[];

/** What a line makes of one record. */
export interface LineResult {
  /** The values of the source fields that the line uses. */
  readonly source: string;
  readonly result: string | null;
  readonly failure: Failure | null;
}
/** What the document makes of one record. */
export interface RecordResult {
  readonly outcome: 'written' | 'filtered' | 'skipped' | 'failed' | 'unreadable';
  /** Why it is left out, or what a check of the whole record says. */
  readonly reason: string;
  readonly lines: Readonly<Record<string, LineResult>>;
  /** What checks of the whole record, filter and skips say against it. */
  readonly checks: readonly Failure[];
}
/** Counts of records, by line. */
export interface Coverage {
  readonly failing: Readonly<Record<string, number>>;
  readonly filled: Readonly<Record<string, number>>;
}
export interface InAndOut {
  readonly from: string;
  readonly to: string | null;
  readonly fault: string | null;
}

/** Tries a document, finished or not, on sample records: what the sheet shows. Lines with problems are left out. */
export class Trial {
  private readonly mapping: CompiledMapping;
  private readonly typed: ReturnType<typeof rowTyper>;

  constructor(
    private readonly document: MappingDocument,
    fieldNames: readonly string[],
    private readonly now: Timestamp,
    marks: DeclaredMarks = null,
    private readonly keyMaps: KeyMaps = new Map(),
    /** Rules of the version that was tried before. */
    known?: KnownRules,
    /** What plans give to rules. */
    private readonly variables: Readonly<Record<string, string>> = {},
  ) {
    const fields = sourceFieldsFor(document, fieldNames, marks);
    this.mapping = compileMapping(document, fields, known);
    this.typed = rowTyper(fields);
  }

  get problems(): readonly Problem[] {
    return this.mapping.problems;
  }

  private values(row: SampleValues): readonly Value[] | Unreadable {
    return this.typed === null ? row : this.typed(row);
  }
  private run(linesOnly: boolean, fileName: string | null): MappingRun {
    return new MappingRun(
      this.mapping,
      {
        startedAt: this.now,
        keyMaps: this.keyMaps,
        variables: this.variables,
        ...(fileName === null ? {} : { fileName }),
      },
      linesOnly,
    );
  }

  /** One record through the whole document. */
  record(row: SampleValues, rowNumber: number, fileName: string | null): RecordResult {
    const values = this.values(row);
    if (values instanceof Unreadable) return { outcome: 'unreadable', reason: values.message, lines: {}, checks: [] };
    const whole = this.run(false, fileName).apply(values, rowNumber);
    const tried = this.run(true, fileName).apply(values, rowNumber);
    const problems = [...tried.failures, ...tried.remarks];
    const lines = Object.fromEntries(
      this.mapping.lines.map((line) => [line.id, resultOf(line, values, tried.values, problems)]),
    );
    const lineIds = new Set(this.mapping.lines.map((l) => l.id));
    const ofChecks = [
      ...tried.failures,
      ...whole.failures.filter((f) => f.line !== null && !lineIds.has(f.line)),
    ].filter((f, i, all) => f.line !== null && !lineIds.has(f.line) && all.findIndex((o) => o.line === f.line) === i);
    const skip = this.document.skips.find((s) => s.id === whole.skip);
    const reason =
      whole.kind === 'filtered'
        ? 'left out by the filter of the source set'
        : whole.kind === 'skipped'
          ? (skip?.reason ?? 'skipped')
          : ofChecks.map((f) => f.message).join(' ');
    return { outcome: whole.kind, reason, lines, checks: ofChecks };
  }

  /** The source fields that a line uses, each once, by their places. */
  slotsOf(lineId: string): readonly number[] {
    const line = this.mapping.lines.find((l) => l.id === lineId);
    return [...new Set((line?.uses ?? []).map((u) => u.slot))];
  }
  /** What goes into one line and comes out of it, record by record. */
  inAndOut(lineId: string, rows: readonly SampleValues[], fileName: string | null): InAndOut[] {
    const line = this.mapping.lines.find((l) => l.id === lineId);
    if (!line) return [];
    const run = this.run(true, fileName);
    return rows.flatMap((row, i) => {
      const values = this.values(row);
      if (values instanceof Unreadable) return [];
      const tried = run.apply(values, i + 1);
      const { source, result, failure } = resultOf(line, values, tried.values, [...tried.failures, ...tried.remarks]);
      return [{ from: source, to: result, fault: failure?.message ?? null }];
    });
  }

  /** On how many of the records each line fails, and in how many it gives a value. */
  coverage(rows: readonly SampleValues[], fileName: string | null): Coverage {
    const failing: Record<string, number> = {};
    const filled = new Map(this.mapping.lines.map((line) => [line, 0]));
    const run = this.run(true, fileName);
    rows.forEach((row, i) => {
      const values = this.values(row);
      if (values instanceof Unreadable) return;
      const tried = run.apply(values, i + 1);
      for (const { line } of tried.failures) if (line !== null) failing[line] = (failing[line] ?? 0) + 1;
      for (const [line, n] of filled) if ((tried.values[line.index] ?? null) !== null) filled.set(line, n + 1);
    });
    return { failing, filled: Object.fromEntries([...filled].map(([line, n]) => [line.id, n])) };
  }
}

function resultOf(
  line: CompiledLine,
  row: readonly Value[],
  values: readonly Value[],
  problems: readonly Failure[],
): LineResult {
  const source = line.uses.map((u) => outputText(row[u.slot] ?? null, u.type) ?? 'null').join(' · ');
  const value = values[line.index] ?? null;
  return {
    source,
    result: value === null ? null : outputText(value, line.type.value),
    failure: problems.find((f) => f.line === line.id) ?? null,
  };
}
