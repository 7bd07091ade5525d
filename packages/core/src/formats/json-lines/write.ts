import type { ValueType } from '../../fields/types.ts';
import { valueText, type Value } from '../../fields/values.ts';
import { canAlways, columnsOf, nothing, type Column, type RowFormatOf } from '../output.ts';
import type { ByteWriter } from '../text/byte-writer.ts';

export const jsonLines: RowFormatOf = (fields) => {
  const columns = columnsOf(fields);
  return { cantWrite: canAlways, begin: nothing, row: (out, values) => jsonLine(out, values, columns), end: nothing };
};

/** One JSON object a line; whole numbers and booleans as such, decimals and all else as text, so that nothing is rounded. */
export function jsonLine(out: ByteWriter, values: readonly Value[], columns: readonly Column[]): void {
  const parts = columns.map(({ name, type }, i) => {
    const value = values[i]!;
    return `${JSON.stringify(name)}:${value === null ? 'null' : jsonValue(value, type)}`;
  });
  out.text(`{${parts.join(',')}}\n`);
}
function jsonValue(value: NonNullable<Value>, type: ValueType): string {
  if (type === 'bool' || type === 'int2' || type === 'int4') return String(value);
  if (type === 'jsonb') return value as string;
  return JSON.stringify(valueText(value, type));
}
