import { converterTo, Mismatch } from '../fields/convert.ts';
import { parseRuleType, typeName, type FieldType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import type { Column } from '../formats/output.ts';
import { RuleContext } from '../rules/context.ts';
import { RuleError } from '../rules/errors.ts';
import { makeRule } from '../rules/rule.ts';

/**
 * A rule as a test of finished records: cells as text, read as the types of their columns. A record for which the rule gives no
 * value does not meet it. Throws RuleError where the rule can't be used.
 */
export function columnCondition(
  text: string,
  columns: readonly Column[],
): (cells: readonly (string | null)[]) => boolean {
  const types = columns.map((c) => typeOf(c));
  const converters = types.map((type) => converterTo(type, 'text'));
  const rule = makeRule(text, {
    fields: columns.map(({ name }, slot) => ({ alias: null, name, slot, type: types[slot]!.value })),
  });
  if (rule.type !== 'bool' && rule.type !== 'unknown')
    throw new RuleError('records are chosen by a condition such as amount > 100; this gives a value', 0, text.length);
  const ctx = new RuleContext();
  return (cells) => {
    ctx.row = cells.map((cell, i): Value => {
      if (cell === null) return null;
      const value = converters[i]!(cell);
      return value instanceof Mismatch ? null : value;
    });
    ctx.fault = null;
    return rule.run(ctx) === true && ctx.fault === null;
  };
}
const typeOf = ({ type }: Column): FieldType => parseRuleType(type === 'unknown' ? 'text' : typeName(type));
