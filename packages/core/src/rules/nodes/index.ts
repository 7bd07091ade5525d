import type { CheckedConst } from '../checked.ts';
import type { NodeChecks } from '../checking.ts';
import { arrayCheck, subscriptCheck } from './arrays.ts';
import { callCheck } from './calls.ts';
import { caseCheck } from './cases.ts';
import { castCheck } from './casts.ts';
import { between, distinct, inList, isCheck } from './comparisons.ts';
import { numberOf } from './constants.ts';
import { field, variable } from './names.ts';
import { binary, unary } from './operators.ts';
import { likeCheck } from './patterns.ts';

const constant = (
  { at, end }: { at: number; end: number },
  rest: Pick<CheckedConst, 'value' | 'type'> & { open?: boolean },
): CheckedConst => ({ kind: 'const', ...rest, at, end });

/** How each kind of node is checked. */
export const nodeChecks: NodeChecks = {
  text: (_, node) => constant(node, { value: node.value, type: 'unknown', open: true }),
  null: (_, node) => constant(node, { value: null, type: 'unknown', open: true }),
  boolean: (_, node) => constant(node, { value: node.value, type: 'bool' }),
  number: numberOf,
  field,
  variable,
  unary,
  binary,
  is: isCheck,
  distinct,
  in: inList,
  between,
  like: likeCheck,
  case: caseCheck,
  cast: castCheck,
  array: arrayCheck,
  subscript: subscriptCheck,
  call: callCheck,
};
