import { Timestamp } from '../fields/dates.ts';
import type { KeyMaps } from '../rules/context.ts';
import { quoted } from '../words.ts';
import type { Example, MappingDocument, Problem } from '../document/document.ts';
import type { Cause } from '../document/records.ts';
import type { KnownRules } from '../compile/known-rules.ts';
import type { DeclaredMarks } from '../compile/source.ts';
import { Trial, type RecordResult, type SampleValues } from './trial.ts';

/** One thing that came out otherwise than an example says. */
export interface ExampleDifference {
  /** The line that it is about; null: the record as a whole. */
  readonly line: string | null;
  readonly message: string;
}
export interface ExampleResult {
  readonly id: string;
  readonly outcome: RecordResult['outcome'];
  readonly differences: readonly ExampleDifference[];
}

/** What examples are tried against: the document, and the fields that its source has. */
export interface ExampleGround {
  readonly document: MappingDocument;
  readonly fields: readonly string[];
  readonly marks?: DeclaredMarks;
  readonly keyMaps?: KeyMaps;
  readonly now: Timestamp;
  /** Rules of the version that was tried before. */
  readonly known?: KnownRules;
  /** What plans give to rules. */
  readonly variables?: Readonly<Record<string, string>>;
}

/**
 * What an example calls a field of the source; null where it does not name it. Examples outlive a join that comes or goes:
 * a field of the dataset under the alias `primary` is known by its name with and without the alias.
 */
export function exampleName(example: Example, field: string, primary: string): string | null {
  const prefix = `${primary}.`;
  const other = field.startsWith(prefix) ? field.slice(prefix.length) : prefix + field;
  return [field, other].find((name) => Object.hasOwn(example.source, name)) ?? null;
}
/** The record of an example in the order of the source's fields. */
export function exampleValues(example: Example, fields: readonly string[], primary: string): SampleValues {
  return fields.map((field) => {
    const name = exampleName(example, field, primary);
    return name === null ? null : example.source[name]!;
  });
}

/** Tries all examples of a document; in the order in which it has them. */
export function runExamples({
  document,
  fields,
  marks = null,
  now,
  keyMaps,
  known,
  variables,
}: ExampleGround): ExampleResult[] {
  const { examples = [] } = document;
  if (examples.length === 0) return [];
  const trial = new Trial(document, fields, now, marks, keyMaps, known, variables);
  return examples.map((example) => {
    const record = trial.record(exampleValues(example, fields, document.source.primary.alias), 1, example.file ?? null);
    return {
      id: example.id,
      outcome: record.outcome,
      differences: differences(document, fields, example, record),
    };
  });
}

/** The examples that come out otherwise, as problems of the document. */
export function exampleProblems(ground: ExampleGround): Problem[] {
  const { examples = [] } = ground.document;
  return runExamples(ground).flatMap(({ id, differences: found }) => {
    const note = examples.find((e) => e.id === id)?.note;
    return found.map(({ line, message }): Problem => ({
      severity: 'error',
      ...(line === null ? {} : { line }),
      path: `examples ${id}`,
      message: `Example ${note ? `${quoted(note)} (${id})` : id}: ${message}`,
    }));
  });
}

function differences(
  document: MappingDocument,
  fields: readonly string[],
  example: Example,
  record: RecordResult,
): ExampleDifference[] {
  const found: ExampleDifference[] = [];
  const { source, expect } = example;
  const known = new Set(fields.map((field) => exampleName(example, field, document.source.primary.alias)));
  for (const name of Object.keys(source))
    if (!known.has(name)) found.push({ line: null, message: `The source has no field ${quoted(name)} any more.` });
  if (record.outcome !== expect.outcome)
    found.push({
      line: null,
      message: `The record should be ${expect.outcome} and is ${record.outcome}${record.reason ? ` (${record.reason})` : ''}.`,
    });
  for (const [target, wanted] of Object.entries(expect.values)) {
    const line = document.lines.find((l) => l.target === target);
    const result = line && record.lines[line.id];
    const label = document.target.fields.find((f) => f.name === target)?.label ?? target;
    if (!line || !result) found.push({ line: line?.id ?? null, message: `No line fills ${label} now.` });
    else if (result.failure !== null && !Object.hasOwn(expect.causes, line.id))
      found.push({
        line: line.id,
        message: `${label} should be ${shown(wanted)} and fails: ${result.failure.message}`,
      });
    else if (result.result !== wanted)
      found.push({ line: line.id, message: `${label} should be ${shown(wanted)} and is ${shown(result.result)}.` });
  }
  const causes = causesOf(record);
  for (const [line, cause] of Object.entries(expect.causes)) {
    const now = causes[line];
    if (now !== cause)
      found.push({
        line: document.lines.some((l) => l.id === line) ? line : null,
        message: `${nameOf(document, line)} should fail (${cause}) and ${now === undefined ? 'does not' : `fails otherwise (${now})`}.`,
      });
  }
  return found;
}
function shown(value: string | null): string {
  return value === null ? 'null' : quoted(value);
}
function nameOf(document: MappingDocument, id: string): string {
  const line = document.lines.find((l) => l.id === id);
  if (!line) return `Check ${id}`;
  return document.target.fields.find((f) => f.name === line.target)?.label ?? line.target;
}
function causesOf(record: RecordResult): Record<string, Cause> {
  const causes: Record<string, Cause> = {};
  for (const [id, { failure }] of Object.entries(record.lines)) if (failure !== null) causes[id] = failure.cause;
  for (const failure of record.checks) if (failure.line !== null) causes[failure.line] ??= failure.cause;
  return causes;
}

const LONG_AFTER_DAYS = 400;

/** What comes of a record now, as an example expects it; values that will be others another day are left out. */
export function expectationOf(
  ground: ExampleGround,
  row: SampleValues,
  file: string | null = null,
): Example['expect'] | null {
  const { document, fields, marks = null, now, keyMaps, variables } = ground;
  const record = new Trial(document, fields, now, marks, keyMaps, undefined, variables).record(row, 1, file);
  if (record.outcome === 'unreadable') return null;
  const longAfter = new Timestamp(now.day + LONG_AFTER_DAYS, now.micros);
  const later = new Trial(document, fields, longAfter, marks, keyMaps, undefined, variables).record(row, 1, file);
  const values: Record<string, string | null> = {};
  if (record.outcome === 'written' || record.outcome === 'failed')
    for (const line of document.lines) {
      const result = record.lines[line.id];
      const passing = line.kind === 'generated' && line.generate !== 'hash';
      if (result && !passing && result.failure === null && later.lines[line.id]?.result === result.result)
        values[line.target] = result.result;
    }
  return {
    outcome: record.outcome,
    values,
    causes: record.outcome === 'failed' ? causesOf(record) : {},
  };
}

/** The document with one more example. */
export function addExample(document: MappingDocument, example: Omit<Example, 'id'>): MappingDocument {
  const { examples = [] } = document;
  const taken = new Set(examples.map((e) => e.id));
  let n = examples.length + 1;
  while (taken.has(exampleId(n))) n++;
  return { ...document, examples: [...examples, { id: exampleId(n), ...example }] };
}
function exampleId(n: number): string {
  return `e${String(n).padStart(2, '0')}`;
}
export function changeExample(
  document: MappingDocument,
  id: string,
  patch: Partial<Omit<Example, 'id'>>,
): MappingDocument {
  const examples = (document.examples ?? []).map((e) => (e.id === id ? { ...e, ...patch } : e));
  return { ...document, examples };
}
export function removeExample(document: MappingDocument, id: string): MappingDocument {
  const { examples = [], ...rest } = document;
  const left = examples.filter((e) => e.id !== id);
  return left.length === 0 ? rest : { ...rest, examples: left };
}
