import { RuleError } from '../errors.ts';
import { binaryOperators, unaryOperators } from '../operators.ts';
import { typeName } from '../../fields/types.ts';
import { numberOf } from './constants.ts';
import { comparison } from './comparisons.ts';
import { regex } from './patterns.ts';
import type { CheckedConst } from '../checked.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

export function unary(c: Checking, node: Extract<Node, { kind: 'unary' }>): Checked {
  const arg = c.check(node.arg);
  if (node.op === 'not')
    return c.folded({
      kind: 'call',
      run: (a: boolean) => !a,
      strict: true,
      changing: false,
      args: [c.boolean(arg, 'NOT')],
      type: 'bool',
      at: node.at,
      end: node.end,
    });
  // PostgreSQL takes a sign and the digits behind it as one constant (doNegate of gram.y).
  if (node.op === '-' && node.arg.kind === 'number')
    return { ...numberOf(c, node.arg, '-'), at: node.at, end: node.end };
  return c.resolve(`the sign ${node.op}`, unaryOperators[node.op], [arg], node);
}

export function binary(c: Checking, node: Extract<Node, { kind: 'binary' }>): Checked {
  const { op } = node;
  if (op === 'and' || op === 'or') return logic(c, node, op);
  const left = c.check(node.left);
  const right = c.check(node.right);
  if (op === '=' || op === '<>' || op === '<' || op === '>' || op === '<=' || op === '>=')
    return comparison(c, op, left, right, node);
  if (op === '~' || op === '~*' || op === '!~' || op === '!~*') return regex(c, op, left, right, node);
  if (op === '||' && left.type !== 'jsonb' && right.type !== 'jsonb') return joined(c, left, right, node);
  return c.resolve(`the operator ${op}`, binaryOperators[op]!, [left, right], node);
}

function logic(c: Checking, node: Extract<Node, { kind: 'binary' }>, op: 'and' | 'or'): Checked {
  const args: Checked[] = [];
  const collect = (n: Node): void => {
    const pending = [n];
    while (pending.length > 0) {
      const next = pending.pop()!;
      if (next.kind === 'binary' && next.op === op) pending.push(next.right, next.left);
      else args.push(c.boolean(c.check(next), op.toUpperCase()));
    }
  };
  collect(node);
  const decisive = op === 'or';
  // As PostgreSQL's planner does: a constant that decides the outcome makes the rest go unevaluated.
  if (args.some((a) => a.kind === 'const' && a.value === decisive))
    return { kind: 'const', value: decisive, type: 'bool', at: node.at, end: node.end };
  if (args.every((a) => a.kind === 'const'))
    return {
      kind: 'const',
      value: args.some((a) => (a as CheckedConst).value === null) ? null : !decisive,
      type: 'bool',
      at: node.at,
      end: node.end,
    };
  return { kind: op, args, type: 'bool', at: node.at, end: node.end };
}

function joined(c: Checking, left: Checked, right: Checked, node: Node): Checked {
  if (left.type === 'text[]' || right.type === 'text[]' || left.type === 'bytea' || right.type === 'bytea')
    throw new RuleError(
      'Arrays and bytes are not joined by ||; use array_append, array_cat or texts.',
      node.at,
      node.end,
    );
  if (left.type !== 'text' && left.type !== 'unknown' && right.type !== 'text' && right.type !== 'unknown')
    throw new RuleError(
      `|| joins texts; cast one side with ::text (${typeName(left.type)} and ${typeName(right.type)} are given).`,
      node.at,
      node.end,
    );
  const asText = (side: Checked): Checked =>
    side.type === 'text'
      ? side
      : side.type === 'unknown'
        ? c.coerce(side, 'text')
        : c.castNode(side, { value: 'text', sql: 'text' }, side);
  return c.resolve('the operator ||', binaryOperators['||']!, [asText(left), asText(right)], node);
}
