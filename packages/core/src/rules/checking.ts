import { capital } from '../words.ts';
import { typeName, type FieldType, type ValueType } from '../fields/types.ts';
import { outputText, type Value } from '../fields/values.ts';
import { castBetween, isImplicit, limitCast } from './casts.ts';
import type { Checked, CheckedConst } from './checked.ts';
import { compileChecked } from './compile.ts';
import { RuleContext } from './context.ts';
import { RuleError } from './errors.ts';
import { category, narrowed, parameter, takes, takesCount } from './overloads.ts';
import type { Overload, Parameter } from './registry.ts';
import type { Node } from './syntax.ts';
import type { Remark, Scope } from './scope.ts';

/** How each kind of node is checked, by its kind. */
export type NodeChecks = {
  readonly [K in Node['kind']]: (c: Checking, node: Extract<Node, { kind: K }>) => Checked;
};

/**
 * A rule that is being checked: brings values to the types that they are used with, and finds the operator or function that
 * PostgreSQL would take. What a node means is settled by its own check, found through `checks` only.
 */
export class Checking {
  readonly remarks: Remark[] = [];
  constructor(
    readonly scope: Scope,
    private readonly checks: NodeChecks,
  ) {}

  check(node: Node): Checked {
    const computed = this.scope.computed?.(node);
    if (computed) return { kind: 'slot', ...computed, at: node.at, end: node.end };
    return this.checks[node.kind](this, node as never);
  }

  boolean(node: Checked, where: string): Checked {
    if (node.type === 'bool') return node;
    if (node.type === 'unknown') return this.coerce(node, 'bool');
    throw new RuleError(
      `${where} needs a condition (true or false) here, not ${typeName(node.type)}.`,
      node.at,
      node.end,
    );
  }

  /** Both sides brought to one type for comparing, as PostgreSQL's operators would. */
  alike(
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
  commonType(nodes: readonly Checked[]): ValueType | null {
    let type: ValueType = 'unknown';
    for (const node of nodes) {
      if (node.type === 'unknown' || node.type === type) continue;
      if (type === 'unknown') type = node.type;
      else if (category(type) !== category(node.type)) return null;
      else if (isImplicit(type, node.type) && !isImplicit(node.type, type)) type = node.type;
    }
    return type === 'unknown' ? 'text' : type;
  }
  text(node: Checked, op: string): Checked {
    if (node.type === 'text') return node;
    if (node.type === 'unknown') return this.coerce(node, 'text');
    throw new RuleError(`${op} works on text, not on ${typeName(node.type)}; cast it with ::text.`, node.at, node.end);
  }

  castNode(arg: Checked, type: FieldType, node: { at: number; end: number }): Checked {
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
  literal(arg: CheckedConst, type: ValueType, inner: Checked): Checked {
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
  coerce(node: Checked, type: ValueType): Checked {
    if (node.type === type) return node;
    return this.castNode(node, { value: type, sql: typeName(type) }, node);
  }
  coerceInteger(node: Checked): Checked {
    if (node.type === 'int4' || node.type === 'unknown' || node.type === 'int2') return this.coerce(node, 'int4');
    throw new RuleError('The place in an array is a whole number.', node.at, node.end);
  }

  /** Finds the overload that PostgreSQL would take (func_select_candidate), and casts the arguments to it. */
  resolve(
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

  argument(node: Checked, wanted: Parameter): Checked {
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

  noOverload(
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
  folded(node: Checked): Checked {
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

/** Casts that PostgreSQL calls stable, because settings could change their answer: not worked out before the run. */
function isStableCast(from: ValueType, to: ValueType): boolean {
  const isTime = (t: ValueType): boolean => t === 'date' || t === 'timestamp' || t === 'timestamptz';
  if (from === 'text') return isTime(to) || to === 'interval' || to === 'text[]';
  if (from === 'text[]') return true;
  return isTime(from) && (to === 'text' || ((from === 'timestamptz' || to === 'timestamptz') && from !== to));
}
