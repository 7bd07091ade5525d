import type { ValueType } from '../../fields/types.ts';
import type { Value } from '../../fields/values.ts';
import { RuleError } from '../errors.ts';
import { comparison } from './comparisons.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

export function caseCheck(c: Checking, node: Extract<Node, { kind: 'case' }>): Checked {
  const arg = node.arg ? c.check(node.arg) : null;
  const operand = arg === null ? null : arg.type === 'unknown' ? c.coerce(arg, 'text') : arg;
  const cell = { value: null as Value };
  const conditions = node.branches.map(({ when }) => {
    const checked = c.check(when);
    if (operand === null) return c.boolean(checked, 'WHEN');
    const ref: Checked =
      operand.kind === 'const' ? operand : { kind: 'cell', cell, type: operand.type, at: when.at, end: when.end };
    return comparison(c, '=', ref, checked, when);
  });
  const results = node.branches.map(({ then }) => c.check(then));
  const otherwise = node.otherwise ? c.check(node.otherwise) : null;
  // PostgreSQL counts the ELSE result first.
  const type = c.commonType(otherwise ? [otherwise, ...results] : results);
  if (type === null)
    throw new RuleError('The results of CASE must be of one kind; cast where needed.', node.at, node.end);
  const place = { type, at: node.at, end: node.end };
  const whole = reachable(
    c,
    conditions,
    results.map((r) => c.coerce(r, type)),
    otherwise && c.coerce(otherwise, type),
    place,
  );
  // Where no condition is left, nobody asks for the value.
  return operand === null || operand.kind === 'const' || whole.kind !== 'case'
    ? whole
    : { kind: 'let', value: operand, cell, body: whole, ...place };
}

/** CASE without the branches that constants rule out. */
function reachable(
  c: Checking,
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
