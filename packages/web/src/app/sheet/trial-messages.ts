import type {
  Coverage,
  ExampleResult,
  InAndOut,
  MappingDocument,
  DeclaredMarks,
  KeyMaps,
  Problem,
  RecordResult,
} from '@versicle/core';

/** What the sheet asks its worker. Document and rows are sent only when they changed; the worker keeps the last. */
export interface TrialQuestion {
  readonly id: number;
  readonly document?: MappingDocument;
  readonly fields?: readonly string[];
  readonly marks?: DeclaredMarks;
  readonly keyMaps?: KeyMaps;
  readonly variables?: Readonly<Record<string, string>>;
  readonly rows?: readonly TrialRow[];
  readonly sample: number;
  readonly line: string | null;
}
export interface TrialRow {
  readonly row: number;
  readonly file: string | null;
  readonly values: readonly (string | null)[];
}
export interface TrialAnswer {
  readonly id: number;
  readonly problems: readonly Problem[];
  readonly record: RecordResult | null;
  /** Of the open line, over the first sample records. */
  readonly inAndOut: readonly InAndOut[];
  /** Of the records that were looked at. */
  readonly coverage: Coverage;
  readonly looked: number;
  readonly examples: readonly ExampleResult[];
}
