import { typeName, type ValueType } from '../fields/types.ts';
import type { Checked } from './checked.ts';
import { RuleError } from './errors.ts';
import type { RuleFunction } from './registry.ts';
import type { Node } from './syntax.ts';

/**
 * Aggregates (PostgreSQL documentation, Aggregate Functions). PostgreSQL works them out when the source set groups; here is
 * only what they take and give, so that rules can be checked.
 */
type AggregateNode = Extract<Node, { kind: 'call' }>;

const WHOLE: readonly ValueType[] = ['int2', 'int4', 'int8'];
const SORTABLE: readonly ValueType[] = [
  'text',
  'int2',
  'int4',
  'int8',
  'numeric',
  'float8',
  'date',
  'timestamp',
  'timestamptz',
  'interval',
];

/** What an aggregate gives for values of a type; null where it takes none of that type. */
const RESULTS: Readonly<Record<string, (of: ValueType) => ValueType | null>> = {
  count: () => 'int8',
  sum: (t) =>
    t === 'int2' || t === 'int4'
      ? 'int8'
      : t === 'int8'
        ? 'numeric'
        : t === 'numeric' || t === 'float8' || t === 'interval'
          ? t
          : null,
  avg: (t) => (WHOLE.includes(t) || t === 'numeric' ? 'numeric' : t === 'float8' || t === 'interval' ? t : null),
  min: (t) => (SORTABLE.includes(t) ? t : null),
  max: (t) => (SORTABLE.includes(t) ? t : null),
  string_agg: (t) => (t === 'text' ? 'text' : null),
  bool_and: (t) => (t === 'bool' ? 'bool' : null),
  bool_or: (t) => (t === 'bool' ? 'bool' : null),
};
export function isAggregate(node: Node): node is AggregateNode {
  return node.kind === 'call' && Object.hasOwn(RESULTS, node.name);
}

/** The type that an aggregate gives. `check` settles what stands in its brackets. Throws RuleError. */
export function aggregateType(node: AggregateNode, check: (node: Node) => Checked): ValueType {
  const { name, args, over } = node;
  const wanted = over?.star ? 0 : name === 'string_agg' ? 2 : 1;
  if (args.length !== wanted)
    throw new RuleError(
      `${name} takes ${wanted === 2 ? 'a text and what stands between the texts' : name === 'count' ? 'one value, or *' : 'one value'}.`,
      node.at,
      node.end,
    );
  for (const { by } of over?.orderBy ?? []) check(by);
  if (over?.distinct && over.orderBy.length > 0)
    throw new RuleError('With DISTINCT the values of an aggregate are not sorted otherwise.', node.at, node.end);
  if (over?.filter && !['bool', 'unknown'].includes(check(over.filter).type))
    throw new RuleError('The filter of an aggregate must be true or false.', over.filter.at, over.filter.end);
  if (over?.star) return 'int8';
  const types = args.map((arg) => {
    const { type } = check(arg);
    return type === 'unknown' ? 'text' : type;
  });
  const result = RESULTS[name]!(types[0]!);
  if (result === null || (types[1] ?? 'text') !== 'text')
    throw new RuleError(
      `${name} does not work on ${types.map(typeName).join(' and ')}; cast first.`,
      node.at,
      node.end,
    );
  return result;
}

const shown = (name: string, signature: string, summary: string, rule: string): RuleFunction => ({
  name,
  group: 'aggregate',
  signature,
  summary,
  example: { rule, value: null },
  overloads: [],
});
/** For completion and Help; the examples need a source set that groups. */
export const aggregateFunctions: readonly RuleFunction[] = [
  shown(
    'count',
    'count(*) or count([DISTINCT] value) → bigint',
    'How many records the group has, or values that are not null.',
    'count(*)',
  ),
  shown('sum', 'sum(number) → number', 'The sum of the group; null when no value is there.', 'sum(t.minutes)'),
  shown('min', 'min(value) → value', 'The smallest value of the group.', 'min(t.started_at)'),
  shown('max', 'max(value) → value', 'The largest value of the group.', 'max(t.started_at)'),
  shown('avg', 'avg(number) → number', 'The mean of the group’s values.', 'avg(t.minutes)'),
  shown(
    'string_agg',
    'string_agg(text, separator [ORDER BY value]) → text',
    'The texts of the group, joined.',
    "string_agg(p.name, ', ' ORDER BY p.name)",
  ),
  shown(
    'bool_or',
    'bool_or(condition) → boolean',
    'True when it is true for one record of the group.',
    "bool_or(t.state = 'open')",
  ),
  shown(
    'bool_and',
    'bool_and(condition) → boolean',
    'True when it is true for all records of the group.',
    "bool_and(t.state = 'closed')",
  ),
];
