import type { Rows } from '@versicle/contract';
import {
  comparisonFor,
  type FileFormat,
  makeRule,
  marksOf,
  type RawRow,
  readRowsAs,
  sortRule,
  refused,
  RuleContext,
  RuleError,
  Unreadable,
  type Value,
  type ValueType,
} from '@versicle/core';
import { GrowingFields } from './growing-fields.ts';
import type { OpenSystem, PreviewOptions, ReadOptions } from './kinds/kind.ts';

/** What is asked of a system for it. */
export type Previewed = Pick<OpenSystem, 'read' | 'columns' | 'describe' | 'sourcePlan'>;
interface Found {
  readonly row: number;
  readonly file: string | null;
  readonly values: RawRow;
  readonly order: Value;
}

/** A preview looks at a million records at the most, for twenty seconds, so that a filter that nothing meets ends. */
const MAX_LOOKED = 1_000_000;
const MAX_MILLIS = 20_000;
/** Of records with thousands of fields, fewer are shown. */
const MAX_CELLS = 100_000;
const FEW_ROWS = 5;

/** The first rows of a dataset that meet a filter, in the order read or sorted. */
export async function preview(system: Previewed, dataset: string, options: PreviewOptions): Promise<Rows> {
  if (!system.read) throw refused('This kind of system holds no records.');
  const { filter } = options;
  let { limit } = options;
  const descending = options.sort?.startsWith('-') ?? false;
  const sort = options.sort?.replace(/^-/, '') ?? null;
  const growing = new GrowingFields();
  let keep: ((row: readonly (string | null)[]) => boolean) | null = null;
  let orderOf: ((row: readonly (string | null)[]) => Value) | null = null;
  let found: Found[] = [];
  let looked = 0;
  let more = false;
  let compare: (a: Value, b: Value) => number = () => 0;
  const until = performance.now() + MAX_MILLIS;
  const better = (a: Found, b: Found): number => (descending ? -1 : 1) * compare(a.order, b.order) || a.row - b.row;
  reading: for await (const batch of system.read(dataset, {
    ...(system.columns ? given(options) : {}),
    signal: options.signal,
  })) {
    if (growing.next(batch.fields)) {
      limit = Math.min(limit, Math.max(FEW_ROWS, Math.floor(MAX_CELLS / growing.names.length)));
      keep = filter === null || system.columns ? null : condition(filter, growing.names);
      if (sort !== null && !system.columns) {
        const rule = compiled(sort, growing.names, 'sort');
        orderOf = rule.run;
        compare = nullsLast(rule.type);
      }
    }
    if (options.signal?.aborted) break;
    for (const raw of batch.rows) {
      looked++;
      const values = growing.row(raw);
      if (keep && (values instanceof Unreadable || !keep(values))) continue;
      if (!orderOf && found.length >= limit) {
        looked--;
        more = true;
        break reading;
      }
      found.push({
        row: looked,
        file: batch.file,
        values,
        order: orderOf && !(values instanceof Unreadable) ? orderOf(values) : null,
      });
      if (orderOf && found.length > limit * 4 + 1000) {
        found = found.sort(better).slice(0, limit);
        more = true;
      }
    }
    if (looked >= MAX_LOOKED || performance.now() > until) {
      more = true;
      break;
    }
  }
  if (orderOf) {
    more ||= found.length > limit;
    found = found.sort(better).slice(0, limit);
  }
  const fields = growing.names.length > 0 ? growing.names : (await system.describe(dataset)).fields.map((f) => f.name);
  const rows = found.map(({ row, file, values }) =>
    values instanceof Unreadable
      ? { row, file, values: [], problem: `${values.message} ${values.raw ? `It begins: ${values.raw}` : ''}`.trim() }
      : { row, file, values: [...values], problem: null },
  );
  return {
    fields: [...fields],
    rows,
    reading: system.columns ? null : await readingOf(system, dataset, fields, found),
    looked,
    more,
    // Where the system carries out the filter, the others were not seen.
    all: more || (system.columns && filter !== null) ? null : looked,
  };
}
/** What the rows read as; a file's format says, guessed or declared, how its numbers and dates are written. */
async function readingOf(
  system: Previewed,
  dataset: string,
  fields: readonly string[],
  found: readonly Found[],
): Promise<Rows['reading']> {
  const { setting = null, settled = false } = system.sourcePlan ? await system.describe(dataset) : {};
  const marks = setting?.kind === 'format' ? marksOf(setting.format as FileFormat) : null;
  const reading = readRowsAs(
    fields,
    found.map((f) => f.values),
    marks,
  );
  return {
    fields: reading.fields.map((f) => ({ name: f.name, readsAs: f.readsAs, sort: sortRule(f) })),
    cells: reading.cells.map((cells) => [...cells]),
    declared: settled ? marks : null,
  };
}

type Evaluate = (row: readonly (string | null)[]) => Value;
function compiled(text: string, fields: readonly string[], what: string): { type: ValueType; run: Evaluate } {
  try {
    const rule = makeRule(text, { fields: fields.map((name, slot) => ({ alias: null, name, slot, type: 'text' })) });
    const ctx = new RuleContext();
    return {
      type: rule.type,
      run: (row) => {
        ctx.row = row;
        ctx.fault = null;
        const value = rule.run(ctx);
        return ctx.fault === null ? value : null;
      },
    };
  } catch (error) {
    throw error instanceof RuleError
      ? refused(`The ${what} can't be used: ${error.message}`, [{ path: what, message: error.message }])
      : error;
  }
}
/** A filter as a test of records that come as text. Throws a fault. */
export function condition(text: string, fields: readonly string[]): (row: readonly (string | null)[]) => boolean {
  const { type, run } = compiled(text, fields, 'filter');
  if (type !== 'bool' && type !== 'unknown')
    throw refused('A filter is a condition such as miles IS NOT NULL; this gives a value.');
  return (row) => run(row) === true;
}
function nullsLast(type: ValueType): (a: Value, b: Value) => number {
  const compare = comparisonFor(type) as ((a: Value, b: Value) => number) | null;
  return (a, b) => (a === null || b === null ? Number(a === null) - Number(b === null) : compare ? compare(a, b) : 0);
}
function given({ filter, sort }: PreviewOptions): ReadOptions {
  return { ...(filter === null ? {} : { filter }), ...(sort === null ? {} : { sort }) };
}
