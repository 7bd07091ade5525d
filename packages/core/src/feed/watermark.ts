import { durationSeconds, type MappingStep } from '../plan/plan.ts';
import type { CompiledMapping } from '../compile/compile.ts';
import type { Timestamp } from '../fields/dates.ts';
import { typeName, type ValueType } from '../fields/types.ts';
import { outputText, type Value } from '../fields/values.ts';
import { comparisonFor, type Comparison } from '../rules/compare.ts';
import { RuleContext } from '../rules/context.ts';
import { makeRule, type Rule } from '../rules/rule.ts';
import { refused } from '../faults.ts';

export type Watermark = NonNullable<MappingStep['watermark']>;
/** Up to which value a load has come: its text as PostgreSQL prints it, and its type. */
export interface HighestValue {
  readonly value: string;
  readonly type: WatermarkType;
}
const MOMENTS = ['date', 'timestamp', 'timestamptz'] as const;
const NUMBERS = ['int2', 'int4', 'int8', 'numeric'] as const;
/** Types whose order is the order in which records come about. */
export type WatermarkType = (typeof MOMENTS)[number] | (typeof NUMBERS)[number];

const isMoment = (type: ValueType): boolean => (MOMENTS as readonly string[]).includes(type);
const isOrdered = (type: ValueType): type is WatermarkType =>
  isMoment(type) || (NUMBERS as readonly string[]).includes(type);

/**
 * The filter that a load from a value on has besides its own. What equals the value is read once more, since more of the same
 * moment may have come meanwhile; so is what has no value, since nothing says that it is old.
 */
export function watermarkFilter({ field, overlap }: Watermark, { value, type }: HighestValue): string {
  const from = `CAST('${value.replaceAll("'", "''")}' AS ${type})`;
  const back = overlap === undefined ? '' : ` - INTERVAL '${durationSeconds(overlap)} seconds'`;
  return `(${field}) IS NULL OR (${field}) >= ${from}${back}`;
}

/** Tells the highest value of a watermark among the records that it is shown. */
export class HighestSeen {
  private readonly ctx = new RuleContext();
  private readonly rule: Rule;
  private readonly type: WatermarkType;
  private readonly compare: Comparison;
  private highest: Value = null;

  /** Throws a fault for a field whose order says nothing, a RuleError for what is no rule. */
  constructor(mapping: CompiledMapping, { field, overlap }: Watermark, startedAt: Timestamp) {
    this.rule = makeRule(field, { ...mapping.scope, variables: {} });
    const { type } = this.rule;
    if (!isOrdered(type))
      throw refused(
        `What is new can’t be told by ${field}, which is ${typeName(type)}: its order is not that in which records come about. Say it as a moment or a number, such as CAST(${field} AS timestamp) or parse_date(${field}, 'DD.MM.YYYY').`,
      );
    if (overlap !== undefined && !isMoment(type))
      throw refused(
        `What is new is told by ${field}, which is ${typeName(type)}: there is no looking back ${overlap} from a number.`,
      );
    this.type = type;
    this.compare = comparisonFor(type)!;
    this.ctx.now = startedAt;
    this.ctx.codeTables = mapping.codeTables;
  }

  see(row: readonly Value[]): void {
    this.ctx.row = row;
    this.ctx.fault = null;
    const value = this.rule.run(this.ctx);
    if (this.ctx.fault !== null || value === null) return;
    if (this.highest !== null && this.compare(value as never, this.highest as never) <= 0) return;
    // Nothing is newer than what is without end: such a value would hide all that comes.
    if (/inf|nan/i.test(outputText(value, this.type)!)) return;
    this.highest = value;
  }
  /** The highest of those seen since it was taken last; null where none had a value. */
  take(): HighestValue | null {
    const value = outputText(this.highest, this.type);
    this.highest = null;
    return value === null ? null : { value, type: this.type };
  }
}
