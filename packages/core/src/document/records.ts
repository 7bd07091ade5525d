import type { Value } from '../fields/values.ts';
import type { MissingCode } from '../rules/context.ts';

/** The fixed codes of why a record failed. */
export const CAUSES = [
  'rule_error',
  'type_mismatch',
  'too_long',
  'required_missing',
  'code_not_found',
  'check_failed',
  'duplicate_key',
  'reference_missing',
  'target_rejected',
  'delivery_failed',
  'source_unreadable',
] as const;
export type Cause = (typeof CAUSES)[number];

/** One thing against a record: a fault that keeps it out, or a remark that does not. */
export interface Failure {
  /** Id of the line or check; null when it is not attributable. */
  readonly line: string | null;
  /** Target field name, or the key's names joined by ", "; null for the record as a whole. */
  readonly target: string | null;
  readonly cause: Cause;
  readonly message: string;
  /** The values involved, as text, by "alias.field" or target field name. */
  readonly values: Readonly<Record<string, string | null>>;
  /** The part of the rule that failed, as 0-based offsets into its text. */
  readonly at?: number;
  readonly end?: number;
  /** The code that a table lacks. */
  readonly code?: MissingCode;
}

/** What became of one source record. */
export interface Outcome {
  readonly kind: 'written' | 'filtered' | 'skipped' | 'failed';
  /** In the order of the target's loaded fields; a failed record's as far as it got. */
  readonly values: readonly Value[];
  readonly failures: readonly Failure[];
  readonly remarks: readonly Failure[];
  /** Id of the skip that applied. */
  readonly skip: string | null;
  /** The document says that the run ends here. */
  readonly stop: boolean;
}

/** Counts of a run; read = filtered + skipped + failed + written. */
export interface Counts {
  read: number;
  filtered: number;
  skipped: number;
  failed: number;
  written: number;
  remarks: number;
}
export function noCounts(): Counts {
  return { read: 0, filtered: 0, skipped: 0, failed: 0, written: 0, remarks: 0 };
}
export function addsUp(c: Counts): boolean {
  return c.read === c.filtered + c.skipped + c.failed + c.written;
}
