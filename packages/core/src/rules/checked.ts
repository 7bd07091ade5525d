import type { ValueType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import type { Implementation } from './registry.ts';

/** A rule whose names and types are settled: what compile.ts makes closures from. */
interface Base {
  readonly type: ValueType;
  readonly at: number;
  readonly end: number;
}
export type CheckedConst = Extract<Checked, { kind: 'const' }>;
export type Checked = Base &
  (
    | {
        readonly kind: 'const';
        readonly value: Value;
        /** A text literal whose type is still open. */ readonly open?: boolean;
      }
    | { readonly kind: 'slot'; readonly slot: number }
    | { readonly kind: 'variable'; readonly name: string }
    | {
        readonly kind: 'call';
        readonly run: Implementation;
        readonly strict: boolean;
        readonly changing: boolean;
        readonly args: readonly Checked[];
      }
    | { readonly kind: 'and' | 'or'; readonly args: readonly Checked[] }
    | {
        readonly kind: 'case';
        readonly branches: readonly { readonly when: Checked; readonly then: Checked }[];
        readonly otherwise: Checked | null;
      }
    | { readonly kind: 'let'; readonly value: Checked; readonly cell: { value: Value }; readonly body: Checked }
    | { readonly kind: 'cell'; readonly cell: { value: Value } }
    | { readonly kind: 'coalesce'; readonly args: readonly Checked[] }
  );
