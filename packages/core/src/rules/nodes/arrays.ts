import { typeName } from '../../fields/types.ts';
import type { Value } from '../../fields/values.ts';
import { RuleError } from '../errors.ts';
import { binaryOperators } from '../operators.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

/** ARRAY[…] of texts; other items are cast by whoever wants them as texts. */
export function arrayCheck(c: Checking, node: Extract<Node, { kind: 'array' }>): Checked {
  const items = node.items.map((item) => {
    const checked = c.check(item);
    if (checked.type !== 'text' && checked.type !== 'unknown')
      throw new RuleError(
        `Arrays are of texts here; cast this ${typeName(checked.type)} with ::text.`,
        item.at,
        item.end,
      );
    return c.coerce(checked, 'text');
  });
  if (items.length === 0)
    throw new RuleError("An empty array is written '{}'::text[].", node.at, node.end, "'{}'::text[]");
  const run = (...values: Value[]): Value => values.slice(0, -1) as (string | null)[];
  const place = { type: 'text[]' as const, at: node.at, end: node.end };
  return c.folded({ kind: 'call', run, strict: false, changing: false, args: items, ...place });
}

export function subscriptCheck(c: Checking, node: Extract<Node, { kind: 'subscript' }>): Checked {
  const arg = c.check(node.arg);
  if (arg.type === 'jsonb') {
    const index = c.check(node.index);
    const key = index.type === 'unknown' ? c.coerce(index, 'text') : index;
    return c.resolve('the subscript of JSON', binaryOperators['->']!, [arg, key], node);
  }
  if (arg.type !== 'text[]')
    throw new RuleError(`${typeName(arg.type)} is no array; nothing can be taken out of it by […].`, node.at, node.end);
  const index = c.coerceInteger(c.check(node.index));
  const run = (items: readonly (string | null)[], i: number): Value => items[i - 1] ?? null;
  const place = { type: 'text' as const, at: node.at, end: node.end };
  return c.folded({ kind: 'call', run, strict: true, changing: false, args: [arg, index], ...place });
}
