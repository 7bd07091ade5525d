import { parseDecimal } from '../../fields/decimal.ts';
import { fitInteger } from '../../fields/values.ts';
import { RuleError } from '../errors.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

/** A number as it is written; `sign` is what stands before it. */
export function numberOf(c: Checking, node: Extract<Node, { kind: 'number' }>, sign: '' | '-' = ''): Checked {
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
