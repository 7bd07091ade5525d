import { parseDecimal } from '../fields/decimal.ts';
import type { ValueType } from '../fields/types.ts';
import { fitInteger, type Value } from '../fields/values.ts';
import { nearest } from '../words.ts';
import type { Checked } from './checked.ts';
import { RuleError } from './errors.ts';
import { fieldText } from './print.ts';
import type { Node } from './syntax.ts';
import type { Remark, Scope, ScopeField } from './scope.ts';
import { CallChecker } from './check-calls.ts';

/** Syntax tree → typed tree. Throws RuleError. */
export function checkRule(tree: Node, scope: Scope): { checked: Checked; remarks: readonly Remark[] } {
  const checker = new Checker(scope);
  return { checked: checker.check(tree), remarks: checker.remarks };
}

class Checker extends CallChecker {
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

  /** A number as it is written; `sign` is what stands before it. */
  protected number(node: Extract<Node, { kind: 'number' }>, sign: '' | '-' = ''): Checked {
    const place = { at: node.at, end: node.end };
    if (/^[\d_]+$/.test(node.value) || /^0[xob]/i.test(node.value)) {
      const digits = BigInt(node.value.replace(/_/g, '').replace(/^0+(?=\d)/, ''));
      const whole = sign === '-' ? -digits : digits;
      const small = fitInteger(whole, 'int4');
      if (small !== null) return { kind: 'const', value: small, type: 'int4', ...place };
      const large = fitInteger(whole, 'int8');
      if (large !== null) return { kind: 'const', value: large, type: 'int8', ...place };
    }
    const value = parseDecimal(sign + node.value);
    if (!value) throw new RuleError(`The number ${node.value.slice(0, 40)} is out of range.`, node.at, node.end);
    return { kind: 'const', value, type: 'numeric', ...place };
  }

  protected field(node: Extract<Node, { kind: 'field' }>): Checked {
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

  protected variable(node: Extract<Node, { kind: 'variable' }>): Checked {
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

  protected caseOf(node: Extract<Node, { kind: 'case' }>): Checked {
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
  protected reachable(
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
}

function written(field: ScopeField, withoutAlias = false): string {
  return fieldText(withoutAlias ? null : field.alias, field.name);
}
