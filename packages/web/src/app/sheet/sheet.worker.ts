/// <reference lib="webworker" />
import {
  KnownRules,
  runExamples,
  timestampOfMillis,
  Trial,
  type Coverage,
  type ExampleResult,
  type MappingDocument,
  type DeclaredMarks,
  type KeyMaps,
  type RecordResult,
} from '@versicle/core';
import type { TrialAnswer, TrialQuestion, TrialRow } from './trial-messages';

/** Tries the document on the sample records, away from the page's thread. */

let document: MappingDocument | null = null;
let fields: readonly string[] = [];
let marks: DeclaredMarks = null;
let keyMaps: KeyMaps = new Map();
let variables: Readonly<Record<string, string>> = {};
let rows: readonly TrialRow[] = [];
let trial: Trial | null = null;
/** Of the version before: an edit touches few of them. */
const known = new KnownRules();
/** How many records are tried for faults: fewer where the document has very many lines, so that results don't wait for it. */
const LOOKED_VALUES = 200_000;
const LEAST_LOOKED = 5;
let looked = 0;
let coverage: Coverage = { failing: {}, filled: {} };
let examples: readonly ExampleResult[] = [];

addEventListener('message', ({ data }: MessageEvent<TrialQuestion>) => {
  const changed = data.document !== undefined || data.fields !== undefined || data.rows !== undefined;
  document = data.document ?? document;
  fields = data.fields ?? fields;
  if (data.marks !== undefined) marks = data.marks;
  keyMaps = data.keyMaps ?? keyMaps;
  variables = data.variables ?? variables;
  rows = data.rows ?? rows;
  if (document === null) return;
  const readable = rows.filter((r) => r.values.length > 0);
  const file = readable[0]?.file ?? null;
  if (changed || trial === null) {
    const now = timestampOfMillis(Date.now());
    // Were this to break, the one of before must not answer for the new document.
    trial = null;
    trial = new Trial(document, fields, now, marks, keyMaps, known, variables);
    if (data.document !== undefined || data.fields !== undefined)
      examples = runExamples({ document, fields, marks, now, keyMaps, known, variables });
    looked = Math.min(readable.length, Math.max(LEAST_LOOKED, Math.floor(LOOKED_VALUES / document.lines.length)));
    coverage = trial.coverage(
      readable.slice(0, looked).map((r) => r.values),
      file,
    );
  }
  const sample = rows[data.sample];
  const answer: TrialAnswer = {
    id: data.id,
    problems: trial.problems,
    record: sample && sample.values.length > 0 ? shown(trial.record(sample.values, sample.row, sample.file)) : null,
    inAndOut:
      data.line === null
        ? []
        : trial
            .inAndOut(
              data.line,
              readable.slice(0, 20).map((r) => r.values),
              file,
            )
            .map((v) => ({ ...v, from: short(v.from), to: short(v.to) })),
    coverage,
    looked,
    examples,
  };
  postMessage(answer);
});

/** Characters of a result that go to the page: a cell shows far fewer, and a hundred megabytes would hold up the keys. */
const LONGEST = 20_000;
function short<T extends string | null>(text: T): T | string {
  return text !== null && text.length > LONGEST ? `${text.slice(0, LONGEST)}…` : text;
}
function shown(record: RecordResult): RecordResult {
  const lines = Object.entries(record.lines).map(
    ([id, line]) => [id, { ...line, source: short(line.source), result: short(line.result) }] as const,
  );
  return { ...record, lines: Object.fromEntries(lines) };
}
