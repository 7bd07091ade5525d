import type { Value } from '../../fields/values.ts';
import type { RuleContext } from '../context.ts';
import { RuleError } from '../errors.ts';
import { buildArray, buildObject, jsonOfValue } from '../json-functions.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

/** Functions that make JSON of values of any type. */
export function toJson(c: Checking, node: Extract<Node, { kind: 'call' }>): Checked {
  const { name } = node;
  const args = node.args.map((arg, i) => {
    const checked = c.check(arg);
    const isKey = name === 'jsonb_build_object' && i % 2 === 0;
    if (isKey) return c.argument(checked, 'any');
    const typed = checked.type === 'unknown' ? c.coerce(checked, 'text') : checked;
    const { type } = typed;
    return c.folded({
      kind: 'call',
      run: (v: Value) => jsonOfValue(v, type),
      strict: name === 'to_jsonb',
      changing: true,
      args: [typed],
      type: 'jsonb',
      at: arg.at,
      end: arg.end,
    });
  });
  if (name === 'to_jsonb' && args.length !== 1) throw new RuleError('to_jsonb takes one value.', node.at, node.end);
  if (name === 'jsonb_build_object' && args.length % 2 === 1)
    throw new RuleError('jsonb_build_object takes names and values in turn.', node.at, node.end);
  if (name === 'to_jsonb') return args[0]!;
  const run = (...values: Value[]): Value => {
    const ctx = values.pop() as unknown as RuleContext;
    return name === 'jsonb_build_array' ? buildArray(values as string[]) : buildObject(values as string[], ctx);
  };
  const place = { type: 'jsonb' as const, at: node.at, end: node.end };
  return { kind: 'call', run, strict: false, changing: true, args, ...place };
}
