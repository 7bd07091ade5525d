import type { ValueType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import { checkRule } from './check.ts';
import type { Remark, Scope } from './scope.ts';
import { compileChecked } from './compile.ts';
import type { Compiled } from './context.ts';
import { parseRule } from './parse.ts';
import { printRule } from './print.ts';
import { walk, type Node } from './syntax.ts';

/** A rule that is ready to run. */
export interface Rule {
  readonly text: string;
  readonly tree: Node;
  readonly type: ValueType;
  readonly run: Compiled;
  /** The fields that the rule names, in order of appearance, each once. */
  readonly uses: readonly { readonly alias: string | null; readonly name: string; readonly slot: number }[];
  /** What it reads too leniently, with what to use instead. */
  readonly remarks: readonly Remark[];
  /** The value when the rule names nothing that changes; undefined otherwise. */
  readonly constant: Value | undefined;
}

/** Parses, checks and compiles. Throws RuleError with message, position and, where there is one, a proposal. */
export function makeRule(text: string, scope: Scope): Rule {
  const tree = parseRule(text);
  const { checked, remarks } = checkRule(tree, scope);
  const uses: { alias: string | null; name: string; slot: number }[] = [];
  const use = (alias: string | null, name: string, slot: number): void => {
    if (!uses.some((u) => u.slot === slot)) uses.push({ alias, name, slot });
  };
  walk(tree, (node) => {
    const computed = scope.computed?.(node);
    if (computed) {
      use(null, printRule(node), computed.slot);
      return false;
    }
    if (node.kind !== 'field') return true;
    const field = scope.fields.find((f) => f.name === node.name && (node.alias === null || f.alias === node.alias))!;
    use(field.alias, field.name, field.slot);
    return true;
  });
  return {
    text,
    tree,
    type: checked.type,
    run: compileChecked(checked),
    uses,
    remarks,
    constant: checked.kind === 'const' ? checked.value : undefined,
  };
}
