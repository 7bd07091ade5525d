import type { ValueType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import type { RuleContext } from './context.ts';

/** A parameter's type; `any` takes a value of every type and gets it as its output text. */
export type Parameter = ValueType | 'any';
// The number and types of arguments are settled by the checker, which is the only caller.
// eslint-disable-next-line @typescript-eslint/no-explicit-any
export type Implementation = (...args: any[]) => Value;

export interface Overload {
  readonly args: readonly Parameter[];
  /** The last parameter may be given any number of times (at least once). */
  readonly variadic?: boolean;
  readonly returns: ValueType;
  /** Called with the argument values and, last, the RuleContext. A strict one is called only when no argument is null. */
  readonly run: Implementation;
  readonly strict: boolean;
  /** PostgreSQL calls it stable or volatile (settings, time, faults on purpose): never worked out ahead. */
  readonly changing?: boolean;
  /** Makes a faster implementation, or refuses, once the constant arguments are known (undefined where not constant). Throws Error with a sentence to refuse. */
  readonly prepare?: (constants: readonly (Value | undefined)[]) => Implementation | null;
}

export interface RuleFunction {
  readonly name: string;
  readonly group: 'text' | 'number' | 'date' | 'json' | 'array' | 'choice' | 'lookup' | 'aggregate';
  /** It reads damage without a word: the strict function that the checker offers instead. */
  readonly lenient?: string;
  readonly signature: string;
  /** One line for completion and Help. */
  readonly summary: string;
  readonly example: { readonly rule: string; readonly value: string | null };
  readonly overloads: readonly Overload[];
}

export const over = (
  args: readonly Parameter[],
  returns: ValueType,
  run: Implementation,
  extra: Partial<Overload> = {},
): Overload => ({ args, returns, run, strict: true, ...extra });

export type { RuleContext };
