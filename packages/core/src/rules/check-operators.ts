import { typeName } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import type { Checked, CheckedConst } from './checked.ts';
import { comparisonFor, keyOf } from './compare.ts';
import type { RuleContext } from './context.ts';
import { RuleError } from './errors.ts';
import { compileRegex, like } from './matching.ts';
import { regexMatches, requireRegex } from './regex-functions.ts';
import { binaryOperators, unaryOperators } from './operators.ts';
import type { ValueType } from '../fields/types.ts';
import { category } from './overloads.ts';
import { walk, type Node } from './syntax.ts';
import { ConversionChecker } from './check-conversions.ts';

/** Types whose equal values are the same to `===`. */
const IDENTICAL: ReadonlySet<ValueType> = new Set(['text', 'unknown', 'uuid', 'bool', 'int2', 'int4', 'int8', 'date']);

/** Operators, comparisons and conditions. */
export abstract class OperatorChecker extends ConversionChecker {
  protected abstract number(node: Extract<Node, { kind: 'number' }>, sign?: '' | '-'): Checked;

  protected unary(node: Extract<Node, { kind: 'unary' }>): Checked {
    const arg = this.check(node.arg);
    if (node.op === 'not')
      return this.folded({
        kind: 'call',
        run: (a: boolean) => !a,
        strict: true,
        changing: false,
        args: [this.boolean(arg, 'NOT')],
        type: 'bool',
        at: node.at,
        end: node.end,
      });
    // PostgreSQL takes a sign and the digits behind it as one constant (doNegate of gram.y).
    if (node.op === '-' && node.arg.kind === 'number')
      return { ...this.number(node.arg, '-'), at: node.at, end: node.end };
    return this.resolve(`the sign ${node.op}`, unaryOperators[node.op], [arg], node);
  }
  protected binary(node: Extract<Node, { kind: 'binary' }>): Checked {
    const { op } = node;
    if (op === 'and' || op === 'or') return this.logic(node, op);
    const left = this.check(node.left);
    const right = this.check(node.right);
    if (op === '=' || op === '<>' || op === '<' || op === '>' || op === '<=' || op === '>=')
      return this.comparison(op, left, right, node);
    if (op === '~' || op === '~*' || op === '!~' || op === '!~*') return this.regex(op, left, right, node);
    if (op === '||' && left.type !== 'jsonb' && right.type !== 'jsonb') return this.joined(left, right, node);
    return this.resolve(`the operator ${op}`, binaryOperators[op]!, [left, right], node);
  }

  protected logic(node: Extract<Node, { kind: 'binary' }>, op: 'and' | 'or'): Checked {
    const args: Checked[] = [];
    const collect = (n: Node): void => {
      const pending = [n];
      while (pending.length > 0) {
        const next = pending.pop()!;
        if (next.kind === 'binary' && next.op === op) pending.push(next.right, next.left);
        else args.push(this.boolean(this.check(next), op.toUpperCase()));
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

  protected comparison(op: string, left: Checked, right: Checked, node: { at: number; end: number }): Checked {
    const [a, b, type] = this.alike(left, right, `compared with ${op}`, node);
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
    return this.folded({
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

  protected regex(op: string, left: Checked, right: Checked, node: { at: number; end: number }): Checked {
    const text = this.text(left, op);
    const pattern = this.text(right, op);
    if (pattern.kind !== 'const')
      throw new RuleError(
        'A regular expression must be written out in the rule, so that it can be checked.',
        right.at,
        right.end,
      );
    if (pattern.value === null) return { kind: 'const', value: null, type: 'bool', at: node.at, end: node.end };
    const expression = pattern.value as string;
    const flags = op.endsWith('*') ? 'i' : '';
    let matches: (text: string, ctx: RuleContext) => boolean | null;
    try {
      // What means the same in both dialects runs in linear time; the rest as PostgreSQL does it, step by step.
      requireRegex(expression, flags);
      matches = compileRegex(expression, flags === 'i') ?? ((text, ctx) => regexMatches(text, expression, flags, ctx));
    } catch (error) {
      throw new RuleError((error as Error).message, right.at, right.end);
    }
    const negated = op.startsWith('!');
    const run = (t: string, ctx: RuleContext): Value => {
      const found = matches(t, ctx);
      return found === null ? null : found !== negated;
    };
    return this.folded({
      kind: 'call',
      run,
      strict: true,
      changing: false,
      args: [text],
      type: 'bool',
      at: node.at,
      end: node.end,
    });
  }

  protected joined(left: Checked, right: Checked, node: Node): Checked {
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
          ? this.coerce(side, 'text')
          : this.castNode(side, { value: 'text', sql: 'text' }, side);
    return this.resolve('the operator ||', binaryOperators['||']!, [asText(left), asText(right)], node);
  }

  protected isTest(node: Extract<Node, { kind: 'is' }>): Checked {
    const arg = this.check(node.arg);
    const { not, test } = node;
    const wanted = test === 'null' || test === 'unknown' ? null : test === 'true';
    const value = test === 'null' ? arg : this.boolean(arg, `IS ${test.toUpperCase()}`);
    return this.folded({
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

  protected distinct(node: Extract<Node, { kind: 'distinct' }>): Checked {
    const [a, b, type] = this.alike(this.check(node.left), this.check(node.right), 'compared', node);
    const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
    if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
    const run = (x: Value, y: Value): boolean =>
      (x === null || y === null ? x !== y : compare(x, y) !== 0) !== node.not;
    return this.folded({
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

  protected inList(node: Extract<Node, { kind: 'in' }>): Checked {
    const arg = this.check(node.arg);
    const list = node.list.map((n) => this.check(n));
    const type = this.commonType([arg, ...list]);
    if (
      type === null ||
      list.some(
        (item) => item.type !== 'unknown' && arg.type !== 'unknown' && category(item.type) !== category(arg.type),
      )
    )
      throw new RuleError(
        'The values of IN (…) and the value before it must be of one kind; cast where needed.',
        node.at,
        node.end,
      );
    const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
    if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
    const value = this.coerce(arg, type);
    const items = list.map((item) => this.coerce(item, type));
    const { not } = node;
    const place = { type: 'bool' as const, at: node.at, end: node.end };
    if (items.every((item) => item.kind === 'const')) {
      const values = items.map((item) => (item as CheckedConst).value);
      const hasNull = values.includes(null);
      const set = new Set(values.filter((v) => v !== null).map((v) => keyOf(v, type)));
      const run = (x: Value): Value => (set.has(keyOf(x, type)) ? !not : hasNull ? null : not);
      return this.folded({ kind: 'call', run, strict: true, changing: false, args: [value], ...place });
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

  protected between(node: Extract<Node, { kind: 'between' }>): Checked {
    const compare = (op: string, a: Node, b: Node): Checked => this.comparison(op, this.check(a), this.check(b), node);
    const place = { type: 'bool' as const, at: node.at, end: node.end };
    const within = (low: Node, high: Node): Checked =>
      this.simplified(
        node.not ? 'or' : 'and',
        [compare(node.not ? '<' : '>=', node.arg, low), compare(node.not ? '>' : '<=', node.arg, high)],
        place,
      );
    if (!node.symmetric) return within(node.low, node.high);
    return this.simplified(node.not ? 'and' : 'or', [within(node.low, node.high), within(node.high, node.low)], place);
  }
  protected simplified(kind: 'and' | 'or', args: Checked[], place: { type: 'bool'; at: number; end: number }): Checked {
    const decisive = kind === 'or';
    if (args.some((a) => a.kind === 'const' && a.value === decisive))
      return { kind: 'const', value: decisive, ...place };
    return { kind, args, ...place };
  }

  protected like(node: Extract<Node, { kind: 'like' }>): Checked {
    const word = node.insensitive ? 'ILIKE' : 'LIKE';
    const arg = this.text(this.check(node.arg), word);
    const pattern = this.text(this.check(node.pattern), word);
    const escape = node.escape ? this.check(node.escape) : null;
    if (escape && (escape.kind !== 'const' || typeof escape.value !== 'string' || [...escape.value].length > 1))
      throw new RuleError('ESCAPE takes a single character in quotes.', escape.at, escape.end);
    const mark = escape ? ((escape as CheckedConst).value as string) : '\\';
    const { not, insensitive } = node;
    const run = (text: string, p: string, ctx: RuleContext): Value => {
      const matches = like(text, p, mark, insensitive, ctx);
      return matches === null ? null : matches !== not;
    };
    return this.folded({
      kind: 'call',
      run,
      strict: true,
      changing: false,
      args: [arg, pattern],
      type: 'bool',
      at: node.at,
      end: node.end,
    });
  }
}

function namesField(node: Node): boolean {
  let found = false;
  walk(node, (n) => {
    found ||= n.kind === 'field';
  });
  return found;
}
