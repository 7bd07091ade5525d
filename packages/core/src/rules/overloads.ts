import type { ValueType } from '../fields/types.ts';
import { isImplicit } from './casts.ts';
import type { Checked } from './checked.ts';
import type { Overload, Parameter } from './registry.ts';

/** Which overload PostgreSQL would take (src/backend/parser/parse_func.c, func_select_candidate). */

const PREFERRED = new Set<ValueType>(['text', 'float8', 'timestamptz', 'interval', 'bool']);
export function category(type: Parameter): string {
  if (type === 'text' || type === 'unknown') return 'S';
  if (type === 'int2' || type === 'int4' || type === 'int8' || type === 'numeric' || type === 'float8') return 'N';
  if (type === 'date' || type === 'timestamp' || type === 'timestamptz') return 'D';
  return type;
}

export function takesCount(o: Overload, count: number): boolean {
  return o.variadic ? count >= o.args.length : count === o.args.length;
}
export function parameter(o: Overload, i: number): Parameter {
  return o.args[Math.min(i, o.args.length - 1)]!;
}
export function takes(wanted: Parameter, given: ValueType): boolean {
  return wanted === 'any' || isImplicit(given, wanted);
}

export function narrowed(overloads: readonly Overload[], args: readonly Checked[]): Overload[] {
  const best = (list: readonly Overload[], score: (o: Overload) => number): Overload[] => {
    const top = Math.max(...list.map(score));
    return list.filter((o) => score(o) === top);
  };
  const known = args.filter((a) => a.type !== 'unknown');
  // A binary operator with one open literal: take it for the other side's type first.
  if (args.length === 2 && known.length === 1) {
    const type = known[0]!.type;
    const same = overloads.filter((o) => o.args.length === 2 && o.args[0] === type && o.args[1] === type);
    if (same.length === 1) return same;
  }
  let list = best(overloads, (o) => args.filter((a, i) => a.type !== 'unknown' && parameter(o, i) === a.type).length);
  if (list.length === 1) return list;
  list = best(
    list,
    (o) =>
      args.filter(
        (a, i) => a.type !== 'unknown' && (parameter(o, i) === a.type || PREFERRED.has(parameter(o, i) as ValueType)),
      ).length,
  );
  if (list.length === 1 || known.length === args.length) return list;
  for (let i = 0; i < args.length; i++) {
    if (args[i]!.type !== 'unknown') continue;
    const categories = new Set(list.map((o) => category(parameter(o, i))));
    const wanted = categories.has('S') ? 'S' : categories.size === 1 ? [...categories][0]! : null;
    if (wanted === null) return list;
    list = list.filter((o) => category(parameter(o, i)) === wanted);
    const preferred = list.filter((o) => PREFERRED.has(parameter(o, i) as ValueType));
    if (preferred.length > 0) list = preferred;
  }
  if (list.length > 1 && known.length > 0 && new Set(known.map((a) => a.type)).size === 1) {
    const type = known[0]!.type;
    const same = list.filter((o) => args.every((_, i) => takes(parameter(o, i), type)));
    if (same.length === 1) return same;
  }
  return list;
}
