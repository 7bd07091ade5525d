import { RuleContext, timestampOfMillis } from '../rules/context.ts';
import { RuleError } from '../rules/errors.ts';
import { makeRule, type Rule } from '../rules/rule.ts';
import type { ScopeField } from '../rules/scope.ts';

/** The figures of a step that conditions may ask for. */
export const STEP_FIGURES = [
  'read',
  'filtered',
  'skipped',
  'unchanged',
  'failed',
  'waiting',
  'delivered',
  'unmatched',
] as const;
/** What became of the records of a step; null: it has no such figure. */
export type StepFigures = Partial<Readonly<Record<(typeof STEP_FIGURES)[number], number | null>>>;

/** The rule of a condition over figures of the named steps and over variables. Throws RuleError. */
export function conditionRule(when: string, steps: readonly string[], variables: readonly string[]): Rule {
  const fields = steps.flatMap((alias, i) =>
    STEP_FIGURES.map((name, j): ScopeField => ({ alias, name, type: 'int8', slot: i * STEP_FIGURES.length + j })),
  );
  return makeRule(when, { fields, variables: Object.fromEntries(variables.map((name) => [name, 'text' as const])) });
}

/** Whether a condition is true; otherwise why it can't be told, in a sentence. */
export function isMet(
  when: string,
  figures: ReadonlyMap<string, StepFigures>,
  variables: Readonly<Record<string, string>>,
  now: Date,
): { readonly met: boolean } | { readonly problem: string } {
  try {
    const rule = conditionRule(when, [...figures.keys()], Object.keys(variables));
    const ctx = new RuleContext();
    ctx.now = timestampOfMillis(now.getTime());
    ctx.variables = variables;
    ctx.row = [...figures.values()].flatMap((step) => STEP_FIGURES.map((name) => step[name] ?? null));
    const value = rule.run(ctx);
    if (ctx.fault) return { problem: ctx.fault.message };
    return { met: value === true };
  } catch (error) {
    if (error instanceof RuleError) return { problem: error.message };
    throw error;
  }
}
