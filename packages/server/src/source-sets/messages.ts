import type { ComposedCounts, ComposedPeek, MappingDocument, Marks, SourceField } from '@versicle/core';
import type { JoinFigures, MemberRecords, OccurringKeys, SetHome } from '@versicle/source-sets';

/** What the thread that composes a source set is told at its start. */
export interface SourceSetJob {
  readonly document: MappingDocument;
  /** Null: to be fetched when it is known which keys occur. */
  readonly members: readonly (MemberRecords | null)[];
  readonly startedAt: string;
  readonly variables: Readonly<Record<string, string>>;
  readonly rowLimit: number | null;
  readonly home: SetHome;
  /** Where the composed records go; null: only the figures of the joins are wanted. */
  readonly path: string | null;
}
export interface ComposedAnswer {
  readonly fields: readonly SourceField[];
  readonly counts: ComposedCounts;
  readonly peek: ComposedPeek;
  readonly marks: Readonly<Record<string, Marks>>;
  readonly before: ReadonlyMap<string, number>;
  readonly sum: string;
  readonly remarks: readonly string[];
}
export type FromSourceSet =
  | { readonly kind: 'progress'; readonly records: number }
  | { readonly kind: 'fetch'; readonly member: number; readonly wanted: OccurringKeys | null }
  | { readonly kind: 'composed'; readonly answer: ComposedAnswer }
  | { readonly kind: 'figures'; readonly figures: readonly JoinFigures[] }
  | { readonly kind: 'refused'; readonly message: string; readonly because: 'source set' | 'away' | 'fault' };
export interface ToSourceSet {
  readonly member: number;
  readonly records: MemberRecords;
}
