import { type ValueType } from '../fields/types.ts';
import { type CodeTables } from './context.ts';
import { type Node } from './syntax.ts';

/** What a rule may name. `field` gives the slot and type of a field, or why there is none (with a proposal). */
export interface Scope {
  readonly fields: readonly ScopeField[];
  readonly variables?: Readonly<Record<string, ValueType>>;
  /** Whoever carries the rule out gives further variables, as texts. */
  readonly furtherVariables?: true;
  readonly codeTables?: CodeTables;
  /** Where the source set groups: aggregates and grouped expressions, which come worked out. */
  readonly computed?: (node: Node) => { readonly slot: number; readonly type: ValueType } | null;
  /** Where the source set groups: fields that differ within a group. */
  readonly ungrouped?: readonly ScopeField[];
}
export interface ScopeField {
  readonly alias: string | null;
  readonly name: string;
  readonly type: ValueType;
  readonly slot: number;
}

/** Something that people should know of a rule that is sound. */
export interface Remark {
  readonly message: string;
  readonly at: number;
  readonly end: number;
  readonly proposal: string;
}
