import type { ValueType } from '../fields/types.ts';
import type { Marks } from '../formats/format.ts';

/** A field of a source dataset as it is delivered to the mapping. */
export interface SourceField {
  readonly name: string;
  /** In a composed source set: the dataset that it is of; null for what was worked out of several records. */
  readonly alias?: string | null;
  readonly type: ValueType;
  /** How its text writes numbers and dates, where the dataset's format declares it. */
  readonly marks?: Marks;
}
