import { parseFieldType } from '../fields/types.ts';
import { valueText, type Value } from '../fields/values.ts';
import { castBetween } from '../rules/casts.ts';
import { RuleContext } from '../rules/context.ts';
import { RuleError } from '../rules/errors.ts';
import { makeRule } from '../rules/rule.ts';
import { COLUMNS, ROWS, type Answer } from './reference.ts';

const columns = Object.entries(COLUMNS).map(([name, type], slot) => ({
  alias: null,
  name,
  slot,
  type: parseFieldType(type).value,
}));
const rows = ROWS.map((row) =>
  columns.map(({ name, type }): Value => {
    const text = row[name as keyof typeof row];
    if (text === null) return null;
    const ctx = new RuleContext();
    const value = castBetween('text', type)!(text as never, ctx);
    if (ctx.fault) throw new Error(`${text} is no ${type}`);
    return value;
  }),
);

/** Our answers for the reference's rows, or the refusal. */
export function evaluate(rule: string): Answer[] | RuleError {
  let made;
  try {
    made = makeRule(rule, { fields: columns });
  } catch (error) {
    if (error instanceof RuleError) return error;
    throw error;
  }
  return rows.map((row) => {
    const ctx = new RuleContext();
    ctx.row = row;
    const value = made.run(ctx);
    return ctx.fault ? { value: null, error: ctx.fault.message } : { value: valueText(value, made.type), error: null };
  });
}

/** What differs between our answers and the reference's; empty when they agree in value and in error or none. */
export function differences(ours: readonly Answer[], theirs: readonly Answer[]): string[] {
  return ours.flatMap((o, i) => {
    const t = theirs[i]!;
    if (o.error !== null && t.error !== null) return [];
    return o.value === t.value && (o.error === null) === (t.error === null)
      ? []
      : [`row ${i}: ours ${JSON.stringify(o)}, PostgreSQL ${JSON.stringify(t)}`];
  });
}
