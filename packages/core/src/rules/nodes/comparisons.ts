import { typeName, type ValueType } from '../../fields/types.ts';
import type { Value } from '../../fields/values.ts';
import { comparisonFor, keyOf } from '../compare.ts';
import { RuleError } from '../errors.ts';
import { category } from '../overloads.ts';
import { walk } from '../syntax.ts';
import type { CheckedConst } from '../checked.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

/** Types whose equal values are the same to `===`. */
const IDENTICAL: ReadonlySet<ValueType> = new Set(['text', 'unknown', 'uuid', 'bool', 'int2', 'int4', 'int8', 'date']);

export function comparison(
  c: Checking,
  op: string,
  left: Checked,
  right: Checked,
  node: { at: number; end: number },
): Checked {
  const [a, b, type] = c.alike(left, right, `compared with ${op}`, node);
  const compare = comparisonFor(type);
  if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
  const identical = IDENTICAL.has(type);
  const order = compare as (x: Value, y: Value) => number;
  const run =
    op === '='
      ? identical
        ? (x: Value, y: Value) => x === y
        : (x: Value, y: Value) => order(x, y) === 0
      : op === '<>'
        ? identical
          ? (x: Value, y: Value) => x !== y
          : (x: Value, y: Value) => order(x, y) !== 0
        : op === '<'
          ? (x: Value, y: Value) => order(x, y) < 0
          : op === '>'
            ? (x: Value, y: Value) => order(x, y) > 0
            : op === '<='
              ? (x: Value, y: Value) => order(x, y) <= 0
              : (x: Value, y: Value) => order(x, y) >= 0;
  return c.folded({
    kind: 'call',
    run,
    strict: true,
    changing: false,
    args: [a, b],
    type: 'bool',
    at: node.at,
    end: node.end,
  });
}

export function isCheck(c: Checking, node: Extract<Node, { kind: 'is' }>): Checked {
  const arg = c.check(node.arg);
  const { not, test } = node;
  const wanted = test === 'null' || test === 'unknown' ? null : test === 'true';
  const value = test === 'null' ? arg : c.boolean(arg, `IS ${test.toUpperCase()}`);
  return c.folded({
    kind: 'call',
    run: (x: Value) => (x === wanted) !== not,
    strict: false,
    changing: false,
    args: [value],
    type: 'bool',
    at: node.at,
    end: node.end,
  });
}

export function distinct(c: Checking, node: Extract<Node, { kind: 'distinct' }>): Checked {
  const [a, b, type] = c.alike(c.check(node.left), c.check(node.right), 'compared', node);
  const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
  if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
  const run = (x: Value, y: Value): boolean => (x === null || y === null ? x !== y : compare(x, y) !== 0) !== node.not;
  return c.folded({
    kind: 'call',
    run,
    strict: false,
    changing: false,
    args: [a, b],
    type: 'bool',
    at: node.at,
    end: node.end,
  });
}

export function inList(c: Checking, node: Extract<Node, { kind: 'in' }>): Checked {
  const arg = c.check(node.arg);
  const list = node.list.map((n) => c.check(n));
  const type = c.commonType([arg, ...list]);
  if (
    type === null ||
    list.some((item) => item.type !== 'unknown' && arg.type !== 'unknown' && category(item.type) !== category(arg.type))
  )
    throw new RuleError(
      'The values of IN (…) and the value before it must be of one kind; cast where needed.',
      node.at,
      node.end,
    );
  const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
  if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
  const value = c.coerce(arg, type);
  const items = list.map((item) => c.coerce(item, type));
  const { not } = node;
  const place = { type: 'bool' as const, at: node.at, end: node.end };
  if (items.every((item) => item.kind === 'const')) {
    const values = items.map((item) => (item as CheckedConst).value);
    const hasNull = values.includes(null);
    const set = new Set(values.filter((v) => v !== null).map((v) => keyOf(v, type)));
    const run = (x: Value): Value => (set.has(keyOf(x, type)) ? !not : hasNull ? null : not);
    return c.folded({ kind: 'call', run, strict: true, changing: false, args: [value], ...place });
  }
  if (value.kind === 'const' && value.value === null) return { kind: 'const', value: null, ...place };
  // x IN (a, b) is x = a OR x = b; NOT IN turns the outcome.
  const cell = { value: null as Value };
  const ref: Checked = { kind: 'cell', cell, type, at: value.at, end: value.end };
  // PostgreSQL makes one array of the items that name no field, when there are several, and looks into it first
  // (transformAExprIn of parse_expr.c); where that decides, a fault of the others does not show.
  const fixed = items.filter((_, i) => !namesField(node.list[i]!));
  const ordered = fixed.length > 1 ? [...fixed, ...items.filter((item) => !fixed.includes(item))] : items;
  const equal = ordered.map((item): Checked => ({
    kind: 'call',
    run: (x: Value, y: Value) => compare(x, y) === 0,
    strict: true,
    changing: false,
    args: [ref, item],
    ...place,
  }));
  const any: Checked = equal.length === 1 ? equal[0]! : { kind: 'or', args: equal, ...place };
  const body: Checked = not
    ? { kind: 'call', run: (x: boolean) => !x, strict: true, changing: false, args: [any], ...place }
    : any;
  return { kind: 'let', value, cell, body, ...place };
}

export function between(c: Checking, node: Extract<Node, { kind: 'between' }>): Checked {
  const compare = (op: string, a: Node, b: Node): Checked => comparison(c, op, c.check(a), c.check(b), node);
  const place = { type: 'bool' as const, at: node.at, end: node.end };
  const within = (low: Node, high: Node): Checked =>
    simplified(
      c,
      node.not ? 'or' : 'and',
      [compare(node.not ? '<' : '>=', node.arg, low), compare(node.not ? '>' : '<=', node.arg, high)],
      place,
    );
  if (!node.symmetric) return within(node.low, node.high);
  return simplified(c, node.not ? 'and' : 'or', [within(node.low, node.high), within(node.high, node.low)], place);
}

function simplified(
  c: Checking,
  kind: 'and' | 'or',
  args: Checked[],
  place: { type: 'bool'; at: number; end: number },
): Checked {
  const decisive = kind === 'or';
  if (args.some((a) => a.kind === 'const' && a.value === decisive)) return { kind: 'const', value: decisive, ...place };
  return { kind, args, ...place };
}

function namesField(node: Node): boolean {
  let found = false;
  walk(node, (n) => {
    found ||= n.kind === 'field';
  });
  return found;
}
