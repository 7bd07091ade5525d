import { typeName, type ValueType } from '../../fields/types.ts';
import type { Value } from '../../fields/values.ts';
import { comparisonFor } from '../compare.ts';
import { RuleError } from '../errors.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

export function several(c: Checking, node: Extract<Node, { kind: 'call' }>): Checked {
  if (node.args.length === 0)
    throw new RuleError(`${node.name.toUpperCase()} needs at least one value.`, node.at, node.end);
  const args = node.args.map((a) => c.check(a));
  const type = c.commonType(args);
  if (type === null)
    throw new RuleError(
      `The values of ${node.name.toUpperCase()} must be of one kind; cast where needed.`,
      node.at,
      node.end,
    );
  const values = args.map((a) => c.coerce(a, type));
  const place = { type, at: node.at, end: node.end };
  if (node.name === 'coalesce') return coalesced(c, values, place);
  const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
  if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
  const sign = node.name === 'greatest' ? 1 : -1;
  const run = (...list: Value[]): Value => {
    let best: Value = null;
    for (let i = 0; i < list.length - 1; i++)
      if (list[i] !== null && (best === null || compare(list[i]!, best) * sign > 0)) best = list[i]!;
    return best;
  };
  return c.folded({ kind: 'call', run, strict: false, changing: false, args: values, ...place });
}

function coalesced(
  c: Checking,
  values: readonly Checked[],
  place: { type: ValueType; at: number; end: number },
): Checked {
  const useful = values.filter((v) => v.kind !== 'const' || v.value !== null);
  const decided = useful.findIndex((v) => v.kind === 'const');
  const args = decided < 0 ? useful : useful.slice(0, decided + 1);
  if (args.length === 0) return { kind: 'const', value: null, ...place };
  return args.length === 1 ? { ...args[0]!, ...place } : { kind: 'coalesce', args, ...place };
}

export function nullif(c: Checking, node: Extract<Node, { kind: 'call' }>): Checked {
  if (node.args.length !== 2) throw new RuleError('NULLIF takes two values.', node.at, node.end);
  const first = c.check(node.args[0]!);
  const [a, b, type] = c.alike(first, c.check(node.args[1]!), 'compared by NULLIF', node);
  const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
  if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
  // The result keeps the first value's own type, though it may be compared in a wider one.
  const own = first.type === 'unknown' ? type : first.type;
  const result = own === type ? a : first;
  if ([a, b].some((side) => side.kind === 'const' && side.value === null))
    return { ...result, type: own, at: node.at, end: node.end };
  const run = (x: Value, y: Value, keep: Value): Value =>
    x !== null && y !== null && compare(x, y) === 0 ? null : keep;
  return c.folded({
    kind: 'call',
    run,
    strict: false,
    changing: false,
    args: [a, b, result],
    type: own,
    at: node.at,
    end: node.end,
  });
}
