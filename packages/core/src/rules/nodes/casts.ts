import { parseRuleType, TYPE_NAMES, type FieldType } from '../../fields/types.ts';
import { nearest } from '../../words.ts';
import { RuleError } from '../errors.ts';
import { tryCastTo } from '../own-functions.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

export function castCheck(c: Checking, node: Extract<Node, { kind: 'cast' }>): Checked {
  let type: FieldType;
  try {
    type = parseRuleType(node.type);
  } catch (error) {
    const near = nearest(node.type, TYPE_NAMES) ?? undefined;
    throw new RuleError((error as Error).message, node.typeAt, node.typeEnd, near);
  }
  if (type.padded)
    throw new RuleError('char(n) is not supported in rules; use varchar or text.', node.typeAt, node.typeEnd);
  return c.castNode(c.check(node.arg), type, node);
}

export function tryCast(c: Checking, node: Extract<Node, { kind: 'call' }>): Checked {
  const [value, type] = node.args;
  if (node.args.length !== 2 || type?.kind !== 'text')
    throw new RuleError("try_cast takes a value and a type in quotes: try_cast(value, 'integer').", node.at, node.end);
  const arg = c.check(value!);
  const from = arg.type === 'unknown' ? c.coerce(arg, 'text') : arg;
  let target: ReturnType<typeof tryCastTo>;
  try {
    target = tryCastTo(from.type, type.value);
  } catch (error) {
    throw new RuleError((error as Error).message, type.at, type.end);
  }
  return {
    kind: 'call',
    run: target.run,
    strict: true,
    changing: false,
    args: [from],
    type: target.returns.value,
    at: node.at,
    end: node.end,
  };
}
