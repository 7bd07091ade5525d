import { parseDecimal } from '../fields/decimal.ts';
import { parseRuleType, TYPE_NAMES, typeName, type FieldType, type ValueType } from '../fields/types.ts';
import { fitInteger, outputText, type Value } from '../fields/values.ts';
import { nearest } from '../words.ts';
import { aggregateType, isAggregate } from './aggregates.ts';
import { castBetween, isImplicit, limitCast } from './casts.ts';
import type { Checked } from './checked.ts';
import { compileChecked } from './compile.ts';
import { comparisonFor, keyOf } from './compare.ts';
import { RuleContext, type CodeTables } from './context.ts';
import { RuleError } from './errors.ts';
import { functions, notYet } from './functions.ts';
import { anyOverloads } from './array-functions.ts';
import { buildArray, buildObject, jsonOfValue } from './json-functions.ts';
import { compileRegex, like } from './matching.ts';
import { regexMatches, requireRegex, similarPattern, substringByPattern } from './regex-functions.ts';
import { binaryOperators, unaryOperators } from './operators.ts';
import { category, narrowed, parameter, takes, takesCount } from './overloads.ts';
import { tryCastTo } from './own-functions.ts';
import { fieldText } from './print.ts';
import type { Overload, Parameter } from './registry.ts';
import { walk, type Node } from './syntax.ts';

/** What a rule may name. `field` gives the slot and type of a field, or why there is none (with a proposal). */
export interface Scope {
  readonly fields: readonly ScopeField[];
  readonly variables?: Readonly<Record<string, ValueType>>;
  readonly codeTables?: CodeTables;
  /** Where the source set groups: aggregates and grouped expressions, which come worked out. */
  readonly computed?: (node: Node) => { readonly slot: number; readonly type: ValueType } | null;
  /** Where the source set groups: fields that differ within a group. */
  readonly ungrouped?: readonly ScopeField[];
}
export interface ScopeField {
  readonly alias: string | null;
  readonly name: string;
  readonly type: ValueType;
  readonly slot: number;
}

type CheckedConst = Extract<Checked, { kind: 'const' }>;

/** Syntax tree → typed tree. Throws RuleError. */
export function checkRule(tree: Node, scope: Scope): { checked: Checked; remarks: readonly Remark[] } {
  const checker = new Checker(scope);
  return { checked: checker.check(tree), remarks: checker.remarks };
}
/** Something that people should know of a rule that is sound. */
export interface Remark {
  readonly message: string;
  readonly at: number;
  readonly end: number;
  readonly proposal: string;
}

class Checker {
  readonly remarks: Remark[] = [];
  constructor(private readonly scope: Scope) {}

  check(node: Node): Checked {
    const computed = this.scope.computed?.(node);
    if (computed) return { kind: 'slot', ...computed, at: node.at, end: node.end };
    switch (node.kind) {
      case 'text':
        return { kind: 'const', value: node.value, type: 'unknown', open: true, at: node.at, end: node.end };
      case 'null':
        return { kind: 'const', value: null, type: 'unknown', open: true, at: node.at, end: node.end };
      case 'boolean':
        return { kind: 'const', value: node.value, type: 'bool', at: node.at, end: node.end };
      case 'number':
        return this.number(node);
      case 'field':
        return this.field(node);
      case 'variable':
        return this.variable(node);
      case 'unary':
        return this.unary(node);
      case 'binary':
        return this.binary(node);
      case 'is':
        return this.isTest(node);
      case 'distinct':
        return this.distinct(node);
      case 'in':
        return this.inList(node);
      case 'between':
        return this.between(node);
      case 'like':
        return this.like(node);
      case 'case':
        return this.caseOf(node);
      case 'cast':
        return this.cast(node);
      case 'array':
        return this.array(node);
      case 'subscript':
        return this.subscript(node);
      case 'call':
        return this.callOf(node);
    }
  }

  private number(node: Extract<Node, { kind: 'number' }>): Checked {
    const place = { at: node.at, end: node.end };
    if (/^[\d_]+$/.test(node.value) || /^0[xob]/i.test(node.value)) {
      const whole = BigInt(node.value.replace(/_/g, '').replace(/^0+(?=\d)/, ''));
      const small = fitInteger(whole, 'int4');
      if (small !== null) return { kind: 'const', value: small, type: 'int4', ...place };
      const large = fitInteger(whole, 'int8');
      if (large !== null) return { kind: 'const', value: large, type: 'int8', ...place };
    }
    const value = parseDecimal(node.value);
    if (!value) throw new RuleError(`The number ${node.value.slice(0, 40)} is out of range.`, node.at, node.end);
    return { kind: 'const', value, type: 'numeric', ...place };
  }

  private field(node: Extract<Node, { kind: 'field' }>): Checked {
    const { alias, name } = node;
    const found = this.scope.fields.filter((f) => f.name === name && (alias === null || f.alias === alias));
    if (found.length === 1)
      return { kind: 'slot', slot: found[0]!.slot, type: found[0]!.type, at: node.at, end: node.end };
    if (found.length > 1)
      throw new RuleError(
        `“${name}” is a field of ${found.map((f) => f.alias).join(' and ')}; write ${found[0]!.alias}.${name}.`,
        node.at,
        node.end,
        `${found[0]!.alias}.${name}`,
      );
    const shown = alias === null ? name : `${alias}.${name}`;
    if (this.scope.ungrouped?.some((f) => f.name === name && (alias === null || f.alias === alias)))
      throw new RuleError(
        `${shown} differs within a group; group by it too, or take one value of it, such as min(${shown}).`,
        node.at,
        node.end,
        `min(${shown})`,
      );
    const aliases = [...new Set(this.scope.fields.map((f) => f.alias))];
    if (alias !== null && !aliases.includes(alias)) {
      const sameName = this.scope.fields.find((f) => f.name === name);
      const proposal = sameName ? written(sameName) : undefined;
      const known = aliases.filter((a) => a !== null);
      throw new RuleError(
        `There is no source called “${alias}”.${known.length ? ` Known here: ${known.join(', ')}.` : ''}${proposal ? ` Did you mean ${proposal}?` : ''}`,
        node.at,
        node.end,
        proposal,
      );
    }
    const candidates = this.scope.fields.filter((f) => alias === null || f.alias === alias);
    const near = nearest(
      name,
      candidates.map((f) => f.name),
    );
    const field = near === null ? undefined : candidates.find((f) => f.name === near);
    const proposal = field ? written(field, alias === null) : undefined;
    throw new RuleError(
      `There is no field “${shown}”.${proposal ? ` Did you mean ${proposal}?` : candidates.length === 0 ? ' No fields are known here.' : ''}`,
      node.at,
      node.end,
      proposal,
    );
  }

  private variable(node: Extract<Node, { kind: 'variable' }>): Checked {
    const known = this.scope.variables ?? {};
    if (Object.hasOwn(known, node.name))
      return { kind: 'variable', name: node.name, type: known[node.name]!, at: node.at, end: node.end };
    const near = nearest(node.name, Object.keys(known));
    throw new RuleError(
      `There is no variable :${node.name}.${near ? ` Did you mean :${near}?` : ''}`,
      node.at,
      node.end,
      near ? `:${near}` : undefined,
    );
  }

  private unary(node: Extract<Node, { kind: 'unary' }>): Checked {
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
    return this.resolve(`the sign ${node.op}`, unaryOperators[node.op], [arg], node);
  }
  private binary(node: Extract<Node, { kind: 'binary' }>): Checked {
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

  private logic(node: Extract<Node, { kind: 'binary' }>, op: 'and' | 'or'): Checked {
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

  private boolean(node: Checked, where: string): Checked {
    if (node.type === 'bool') return node;
    if (node.type === 'unknown') return this.coerce(node, 'bool');
    throw new RuleError(
      `${where} needs a condition (true or false) here, not ${typeName(node.type)}.`,
      node.at,
      node.end,
    );
  }

  private comparison(op: string, left: Checked, right: Checked, node: { at: number; end: number }): Checked {
    const [a, b, type] = this.alike(left, right, `compared with ${op}`, node);
    const compare = comparisonFor(type);
    if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
    const identical =
      type !== 'numeric' && type !== 'timestamp' && type !== 'timestamptz' && type !== 'interval' && type !== 'float8';
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

  /** Both sides brought to one type for comparing, as PostgreSQL's operators would. */
  private alike(
    left: Checked,
    right: Checked,
    doing: string,
    node: { at: number; end: number },
  ): [Checked, Checked, ValueType] {
    const type = this.commonType([left, right]);
    if (
      type === null ||
      ((left.type === 'unknown') !== (right.type === 'unknown') ? false : category(left.type) !== category(right.type))
    )
      throw new RuleError(
        `${typeName(left.type)} and ${typeName(right.type)} can't be ${doing}; cast one of them.`,
        node.at,
        node.end,
      );
    return [this.coerce(left, type), this.coerce(right, type), type];
  }

  /** select_common_type of PostgreSQL: null when the types do not meet. */
  private commonType(nodes: readonly Checked[]): ValueType | null {
    let type: ValueType = 'unknown';
    for (const node of nodes) {
      if (node.type === 'unknown' || node.type === type) continue;
      if (type === 'unknown') type = node.type;
      else if (category(type) !== category(node.type)) return null;
      else if (isImplicit(type, node.type) && !isImplicit(node.type, type)) type = node.type;
    }
    return type === 'unknown' ? 'text' : type;
  }

  private regex(op: string, left: Checked, right: Checked, node: { at: number; end: number }): Checked {
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
  private text(node: Checked, op: string): Checked {
    if (node.type === 'text') return node;
    if (node.type === 'unknown') return this.coerce(node, 'text');
    throw new RuleError(`${op} works on text, not on ${typeName(node.type)}; cast it with ::text.`, node.at, node.end);
  }

  private joined(left: Checked, right: Checked, node: Node): Checked {
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

  private isTest(node: Extract<Node, { kind: 'is' }>): Checked {
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

  private distinct(node: Extract<Node, { kind: 'distinct' }>): Checked {
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

  private inList(node: Extract<Node, { kind: 'in' }>): Checked {
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

  private between(node: Extract<Node, { kind: 'between' }>): Checked {
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
  private simplified(kind: 'and' | 'or', args: Checked[], place: { type: 'bool'; at: number; end: number }): Checked {
    const decisive = kind === 'or';
    if (args.some((a) => a.kind === 'const' && a.value === decisive))
      return { kind: 'const', value: decisive, ...place };
    return { kind, args, ...place };
  }

  private like(node: Extract<Node, { kind: 'like' }>): Checked {
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

  private caseOf(node: Extract<Node, { kind: 'case' }>): Checked {
    const arg = node.arg ? this.check(node.arg) : null;
    const operand = arg === null ? null : arg.type === 'unknown' ? this.coerce(arg, 'text') : arg;
    const cell = { value: null as Value };
    const conditions = node.branches.map(({ when }) => {
      const checked = this.check(when);
      if (operand === null) return this.boolean(checked, 'WHEN');
      const ref: Checked =
        operand.kind === 'const' ? operand : { kind: 'cell', cell, type: operand.type, at: when.at, end: when.end };
      return this.comparison('=', ref, checked, when);
    });
    const results = node.branches.map(({ then }) => this.check(then));
    const otherwise = node.otherwise ? this.check(node.otherwise) : null;
    // PostgreSQL counts the ELSE result first.
    const type = this.commonType(otherwise ? [otherwise, ...results] : results);
    if (type === null)
      throw new RuleError('The results of CASE must be of one kind; cast where needed.', node.at, node.end);
    const place = { type, at: node.at, end: node.end };
    const whole = this.reachable(
      conditions,
      results.map((r) => this.coerce(r, type)),
      otherwise && this.coerce(otherwise, type),
      place,
    );
    // Where no condition is left, nobody asks for the value.
    return operand === null || operand.kind === 'const' || whole.kind !== 'case'
      ? whole
      : { kind: 'let', value: operand, cell, body: whole, ...place };
  }

  /** CASE without the branches that constants rule out. */
  private reachable(
    conditions: readonly Checked[],
    results: readonly Checked[],
    otherwise: Checked | null,
    place: { type: ValueType; at: number; end: number },
  ): Checked {
    const branches: { when: Checked; then: Checked }[] = [];
    let last = otherwise;
    for (const [i, when] of conditions.entries()) {
      if (when.kind === 'const' && when.value !== true) continue;
      if (when.kind === 'const') {
        last = results[i]!;
        break;
      }
      branches.push({ when, then: results[i]! });
    }
    if (branches.length > 0) return { kind: 'case', branches, otherwise: last, ...place };
    return last ?? { kind: 'const', value: null, ...place };
  }

  private cast(node: Extract<Node, { kind: 'cast' }>): Checked {
    let type: FieldType;
    try {
      type = parseRuleType(node.type);
    } catch (error) {
      const near = nearest(node.type, TYPE_NAMES) ?? undefined;
      throw new RuleError((error as Error).message, node.typeAt, node.typeEnd, near);
    }
    if (type.padded)
      throw new RuleError('char(n) is not supported in rules; use varchar or text.', node.typeAt, node.typeEnd);
    return this.castNode(this.check(node.arg), type, node);
  }

  private castNode(arg: Checked, type: FieldType, node: { at: number; end: number }): Checked {
    const cast = castBetween(arg.type, type.value);
    if (!cast) throw new RuleError(`${typeName(arg.type)} can't be cast to ${type.sql}.`, node.at, node.end);
    const place = { type: type.value, at: node.at, end: node.end };
    const changing = isStableCast(arg.type, type.value);
    const inner: Checked = { kind: 'call', run: cast as never, strict: true, changing, args: [arg], ...place };
    const done =
      arg.type === type.value
        ? { ...arg, ...place }
        : arg.kind === 'const' && arg.open
          ? this.literal(arg, type.value, inner)
          : this.folded(inner);
    const limit = limitCast(type);
    if (!limit) return done as Checked;
    return this.folded({
      kind: 'call',
      run: limit as never,
      strict: true,
      changing: false,
      args: [done as Checked],
      ...place,
    });
  }

  /** A text literal that stands for a value of another type is read at once; PostgreSQL, too, refuses it before running. */
  private literal(arg: CheckedConst, type: ValueType, inner: Checked): Checked {
    if (arg.value === null) return { kind: 'const', value: null, type, at: inner.at, end: inner.end };
    const ctx = new RuleContext();
    const value = compileChecked(inner)(ctx);
    if (ctx.fault)
      throw new RuleError(
        `${ctx.fault.message}${type === 'interval' ? " Write it as in '3 days' or '01:30:00'." : type === 'date' || type === 'timestamp' || type === 'timestamptz' ? " Write it as in '2026-08-03'." : ''}`,
        arg.at,
        arg.end,
      );
    return { kind: 'const', value, type, at: inner.at, end: inner.end };
  }

  /** Brought to a type it is known to reach without being asked (implicit cast, or a literal of open type). */
  private coerce(node: Checked, type: ValueType): Checked {
    if (node.type === type) return node;
    return this.castNode(node, { value: type, sql: typeName(type) }, node);
  }

  private callOf(node: Extract<Node, { kind: 'call' }>): Checked {
    const call: Node = node;
    if (isAggregate(call)) {
      aggregateType(call, (n) => this.check(n));
      throw new RuleError(
        `${node.name} is an aggregate; it is possible only in lines of a source set that groups.`,
        node.at,
        node.nameEnd,
      );
    }
    if (node.over)
      throw new RuleError(
        `${node.name} is no aggregate; DISTINCT, ORDER BY, FILTER and * belong to those.`,
        node.at,
        node.end,
      );
    switch (node.name) {
      case 'coalesce':
      case 'greatest':
      case 'least':
        return this.several(node);
      case 'nullif':
        return this.nullif(node);
      case 'try_cast':
        return this.tryCast(node);
      case 'to_jsonb':
      case 'jsonb_build_object':
      case 'jsonb_build_array':
        return this.toJson(node);
      case 'lookup':
        this.knownTable(node);
        break;
      case '= any':
        return this.resolve(
          '= ANY',
          anyOverloads,
          node.args.map((a) => this.check(a)),
          node,
        );
      case 'similar to':
      case 'substring similar':
        return this.similar(node);
      default:
    }
    const found = functions.get(node.name);
    if (found?.lenient) this.remark(node, found.name, found.lenient);
    if (!found) {
      if (notYet.has(node.name))
        throw new RuleError(`The function ${node.name} is not supported.${instead(node.name)}`, node.at, node.nameEnd);
      const near = nearest(node.name, functions.keys());
      throw new RuleError(
        `There is no function ${node.name}.${near ? ` Did you mean ${near}?` : ''}`,
        node.at,
        node.nameEnd,
        near ?? undefined,
      );
    }
    return this.resolve(
      `the function ${node.name}`,
      found.overloads,
      node.args.map((a) => this.check(a)),
      node,
      found.signature,
    );
  }

  /** ARRAY[…] of texts; other items are cast by whoever wants them as texts. */
  private array(node: Extract<Node, { kind: 'array' }>): Checked {
    const items = node.items.map((item) => {
      const checked = this.check(item);
      if (checked.type !== 'text' && checked.type !== 'unknown')
        throw new RuleError(
          `Arrays are of texts here; cast this ${typeName(checked.type)} with ::text.`,
          item.at,
          item.end,
        );
      return this.coerce(checked, 'text');
    });
    if (items.length === 0)
      throw new RuleError("An empty array is written '{}'::text[].", node.at, node.end, "'{}'::text[]");
    const run = (...values: Value[]): Value => values.slice(0, -1) as (string | null)[];
    const place = { type: 'text[]' as const, at: node.at, end: node.end };
    return this.folded({ kind: 'call', run, strict: false, changing: false, args: items, ...place });
  }
  private subscript(node: Extract<Node, { kind: 'subscript' }>): Checked {
    const arg = this.check(node.arg);
    if (arg.type === 'jsonb') {
      const index = this.check(node.index);
      const key = index.type === 'unknown' ? this.coerce(index, 'text') : index;
      return this.resolve('the subscript of JSON', binaryOperators['->']!, [arg, key], node);
    }
    if (arg.type !== 'text[]')
      throw new RuleError(
        `${typeName(arg.type)} is no array; nothing can be taken out of it by […].`,
        node.at,
        node.end,
      );
    const index = this.coerceInteger(this.check(node.index));
    const run = (items: readonly (string | null)[], i: number): Value => items[i - 1] ?? null;
    const place = { type: 'text' as const, at: node.at, end: node.end };
    return this.folded({ kind: 'call', run, strict: true, changing: false, args: [arg, index], ...place });
  }
  /** SIMILAR TO and SUBSTRING (… SIMILAR … ESCAPE …): the pattern is made a regular expression beforehand. */
  private similar(node: Extract<Node, { kind: 'call' }>): Checked {
    const [text, pattern, escape] = node.args.map((a) => this.text(this.check(a), 'SIMILAR'));
    if (pattern!.kind !== 'const' || (escape && escape.kind !== 'const'))
      throw new RuleError('The pattern of SIMILAR must be written out in the rule.', node.at, node.end);
    const mark = escape ? (escape as CheckedConst).value : '\\';
    const place = { at: node.at, end: node.end };
    const substring = node.name === 'substring similar';
    const type = substring ? ('text' as const) : ('bool' as const);
    if (pattern!.value === null || mark === null) return { kind: 'const', value: null, type, ...place };
    if ([...(mark as string)].length > 1)
      throw new RuleError('ESCAPE takes a single character in quotes.', escape!.at, escape!.end);
    let regex: string;
    try {
      regex = similarPattern(pattern!.value as string, mark as string);
      requireRegex(regex, '');
    } catch (error) {
      throw new RuleError((error as Error).message, pattern!.at, pattern!.end);
    }
    const run = substring
      ? (t: string, ctx: RuleContext) => substringByPattern(t, regex, ctx)
      : (t: string, ctx: RuleContext) => regexMatches(t, regex, '', ctx);
    return this.folded({ kind: 'call', run, strict: true, changing: false, args: [text!], type, ...place });
  }
  /** What runs, but reads damage without a word. */
  private remark(node: Extract<Node, { kind: 'call' }>, name: string, strict: string): void {
    if (this.remarks.some((r) => r.at === node.at)) return;
    this.remarks.push({
      message: `${name} reads over what does not fit, such as a day 00 or text behind the end; ${strict} is strict.`,
      at: node.at,
      end: node.nameEnd,
      proposal: strict,
    });
  }
  private coerceInteger(node: Checked): Checked {
    if (node.type === 'int4' || node.type === 'unknown' || node.type === 'int2') return this.coerce(node, 'int4');
    throw new RuleError('The place in an array is a whole number.', node.at, node.end);
  }

  /** Functions that make JSON of values of any type. */
  private toJson(node: Extract<Node, { kind: 'call' }>): Checked {
    const { name } = node;
    const args = node.args.map((arg, i) => {
      const checked = this.check(arg);
      const isKey = name === 'jsonb_build_object' && i % 2 === 0;
      if (isKey) return this.argument(checked, 'any');
      const typed = checked.type === 'unknown' ? this.coerce(checked, 'text') : checked;
      const { type } = typed;
      return this.folded({
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

  private several(node: Extract<Node, { kind: 'call' }>): Checked {
    if (node.args.length === 0)
      throw new RuleError(`${node.name.toUpperCase()} needs at least one value.`, node.at, node.end);
    const args = node.args.map((a) => this.check(a));
    const type = this.commonType(args);
    if (type === null)
      throw new RuleError(
        `The values of ${node.name.toUpperCase()} must be of one kind; cast where needed.`,
        node.at,
        node.end,
      );
    const values = args.map((a) => this.coerce(a, type));
    const place = { type, at: node.at, end: node.end };
    if (node.name === 'coalesce') return this.coalesced(values, place);
    const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
    if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
    const sign = node.name === 'greatest' ? 1 : -1;
    const run = (...list: Value[]): Value => {
      let best: Value = null;
      for (let i = 0; i < list.length - 1; i++)
        if (list[i] !== null && (best === null || compare(list[i]!, best) * sign > 0)) best = list[i]!;
      return best;
    };
    return this.folded({ kind: 'call', run, strict: false, changing: false, args: values, ...place });
  }

  private coalesced(values: readonly Checked[], place: { type: ValueType; at: number; end: number }): Checked {
    const useful = values.filter((v) => v.kind !== 'const' || v.value !== null);
    const decided = useful.findIndex((v) => v.kind === 'const');
    const args = decided < 0 ? useful : useful.slice(0, decided + 1);
    if (args.length === 0) return { kind: 'const', value: null, ...place };
    return args.length === 1 ? { ...args[0]!, ...place } : { kind: 'coalesce', args, ...place };
  }

  private nullif(node: Extract<Node, { kind: 'call' }>): Checked {
    if (node.args.length !== 2) throw new RuleError('NULLIF takes two values.', node.at, node.end);
    const first = this.check(node.args[0]!);
    const [a, b, type] = this.alike(first, this.check(node.args[1]!), 'compared by NULLIF', node);
    const compare = comparisonFor(type) as ((x: Value, y: Value) => number) | null;
    if (!compare) throw new RuleError(`Values of type ${typeName(type)} can't be compared here.`, node.at, node.end);
    // The result keeps the first value's own type, though it may be compared in a wider one.
    const own = first.type === 'unknown' ? type : first.type;
    const result = own === type ? a : first;
    if ([a, b].some((side) => side.kind === 'const' && side.value === null))
      return { ...result, type: own, at: node.at, end: node.end };
    const run = (x: Value, y: Value, keep: Value): Value =>
      x !== null && y !== null && compare(x, y) === 0 ? null : keep;
    return this.folded({
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

  private tryCast(node: Extract<Node, { kind: 'call' }>): Checked {
    const [value, type] = node.args;
    if (node.args.length !== 2 || type?.kind !== 'text')
      throw new RuleError(
        "try_cast takes a value and a type in quotes: try_cast(value, 'integer').",
        node.at,
        node.end,
      );
    const arg = this.check(value!);
    const from = arg.type === 'unknown' ? this.coerce(arg, 'text') : arg;
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

  private knownTable(node: Extract<Node, { kind: 'call' }>): void {
    const [table] = node.args;
    if (!table) return;
    if (table.kind !== 'text')
      throw new RuleError("The code table is named in quotes: lookup('tariff', …).", table.at, table.end);
    const known = this.scope.codeTables;
    if (!known || known.has(table.value)) return;
    const near = nearest(table.value, known.keys());
    throw new RuleError(
      `There is no code table “${table.value}”.${near ? ` Did you mean “${near}”?` : ' Add it to the document first.'}`,
      table.at,
      table.end,
      near ? `'${near}'` : undefined,
    );
  }

  /** Finds the overload that PostgreSQL would take (func_select_candidate), and casts the arguments to it. */
  private resolve(
    what: string,
    overloads: readonly Overload[],
    args: readonly Checked[],
    node: { at: number; end: number },
    signature?: string,
  ): Checked {
    const fitting = overloads.filter(
      (o) => takesCount(o, args.length) && args.every((a, i) => takes(parameter(o, i), a.type)),
    );
    const chosen = fitting.length > 1 ? narrowed(fitting, args) : fitting;
    if (chosen.length !== 1) throw this.noOverload(what, overloads, args, node, signature, chosen.length);
    const overload = chosen[0]!;
    const values = args.map((a, i) => this.argument(a, parameter(overload, i)));
    let run = overload.run;
    if (overload.prepare) {
      try {
        run = overload.prepare(values.map((v) => (v.kind === 'const' ? v.value : undefined))) ?? run;
      } catch (error) {
        throw new RuleError(capital((error as Error).message), node.at, node.end);
      }
    }
    const type = overload.returns;
    return this.folded({
      kind: 'call',
      run,
      strict: overload.strict,
      changing: overload.changing ?? false,
      args: values,
      type,
      at: node.at,
      end: node.end,
    });
  }

  private argument(node: Checked, wanted: Parameter): Checked {
    if (wanted !== 'any') return this.coerce(node, wanted);
    const typed = node.type === 'unknown' ? this.coerce(node, 'text') : node;
    if (typed.type === 'text') return typed;
    const { type } = typed;
    return this.folded({
      kind: 'call',
      run: (v: Value) => outputText(v, type),
      strict: true,
      changing: false,
      args: [typed],
      type: 'text',
      at: node.at,
      end: node.end,
    });
  }

  private noOverload(
    what: string,
    overloads: readonly Overload[],
    args: readonly Checked[],
    node: { at: number; end: number },
    signature: string | undefined,
    left: number,
  ): RuleError {
    const counts = overloads.some((o) => takesCount(o, args.length));
    const shown = signature ? ` It is used so: ${signature}.` : '';
    if (!counts)
      return new RuleError(
        `${capital(what)} does not take ${args.length === 0 ? 'no values' : args.length === 1 ? 'one value' : `${args.length} values`}.${shown}`,
        node.at,
        node.end,
      );
    const types = args.map((a) => typeName(a.type)).join(' and ');
    if (left > 1)
      return new RuleError(
        `It is not clear what ${what} should do with ${types}; cast one of them.${shown}`,
        node.at,
        node.end,
      );
    const text = args.find((a) => a.type === 'text');
    const hint =
      text && /operator|sign/.test(what)
        ? ' Turn text into a number with parse_number(…), into a date with parse_date(…, pattern), or cast it.'
        : '';
    return new RuleError(`${capital(what)} does not work on ${types}.${hint}${shown}`, node.at, node.end);
  }

  /**
   * Works out what depends on constants alone, as PostgreSQL's planner does: a strict function with a null among its
   * arguments is null, and a part that can only fail is refused (PostgreSQL fails on it even where it is never reached).
   */
  private folded(node: Checked): Checked {
    if (node.kind !== 'call') return node;
    if (node.strict && node.args.some((a) => a.kind === 'const' && a.value === null))
      return { kind: 'const', value: null, type: node.type, at: node.at, end: node.end };
    if (node.changing || !node.args.every((a) => a.kind === 'const')) return node;
    const ctx = new RuleContext();
    const value = compileChecked(node)(ctx);
    if (ctx.fault) throw new RuleError(`This part can only fail: ${ctx.fault.message}`, node.at, node.end);
    return { kind: 'const', value, type: node.type, at: node.at, end: node.end };
  }
}

function written(field: ScopeField, withoutAlias = false): string {
  return fieldText(withoutAlias ? null : field.alias, field.name);
}
const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
function instead(name: string): string {
  if (name === 'to_date') return ' Use the strict reader parse_date(text, pattern).';
  if (name === 'to_timestamp') return ' Use the strict reader parse_timestamp(text, pattern).';
  if (name === 'to_number') return ' Use the strict reader parse_number(text, decimal mark, group mark).';
  return '';
}

/** Casts that PostgreSQL calls stable, because settings could change their answer: not worked out before the run. */
function isStableCast(from: ValueType, to: ValueType): boolean {
  const isTime = (t: ValueType): boolean => t === 'date' || t === 'timestamp' || t === 'timestamptz';
  if (from === 'text') return isTime(to) || to === 'interval' || to === 'text[]';
  if (from === 'text[]') return true;
  return isTime(from) && (to === 'text' || ((from === 'timestamptz' || to === 'timestamptz') && from !== to));
}

function namesField(node: Node): boolean {
  let found = false;
  walk(node, (n) => (found ||= n.kind === 'field'));
  return found;
}
