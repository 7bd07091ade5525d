import type { Checked } from './checked.ts';
import { Checking } from './checking.ts';
import { nodeChecks } from './nodes/index.ts';
import type { Remark, Scope } from './scope.ts';
import type { Node } from './syntax.ts';

/** Syntax tree → typed tree. Throws RuleError. */
export function checkRule(tree: Node, scope: Scope): { checked: Checked; remarks: readonly Remark[] } {
  const checking = new Checking(scope, nodeChecks);
  return { checked: checking.check(tree), remarks: checking.remarks };
}
