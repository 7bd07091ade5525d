import { Fault } from '../../faults.ts';
import type { FieldType } from '../../fields/types.ts';
import { outputText, type Value } from '../../fields/values.ts';
import { nothing, type OutField, type RowFormatOf } from '../output.ts';

const WIDTHS: Partial<Record<FieldType['value'], number>> = {
  bool: 1,
  int2: 6,
  int4: 11,
  int8: 20,
  date: 10,
  timestamp: 26,
  timestamptz: 32,
  uuid: 36,
};
/** How many characters a field takes at the most. Throws a fault when its type does not say. */
export function fieldWidth({ name, type }: OutField): number {
  const width =
    type.length ??
    (type.value === 'numeric' && type.precision !== undefined
      ? type.precision + ((type.scale ?? 0) > 0 ? 2 : 1)
      : WIDTHS[type.value]);
  if (width !== undefined) return width;
  throw new Fault(
    'unreadable',
    `The field ${name} (${type.sql}) has no width, which fixed-width text needs; give it a length, such as varchar(40).`,
  );
}
const RIGHT = new Set<FieldType['value']>(['int2', 'int4', 'int8', 'numeric', 'float8']);

/** Numbers stand to the right, all else to the left. A line break within a value would end the record. */
export const fixedLines: RowFormatOf = (fields) => {
  const widths = fields.map(fieldWidth);
  const textOf = (values: readonly Value[], i: number): string => outputText(values[i]!, fields[i]!.type.value) ?? '';
  return {
    cantWrite: (values) => {
      const at = fields.findIndex((_, i) => {
        const text = textOf(values, i);
        return text.length > widths[i]! || /[\r\n]/.test(text);
      });
      if (at < 0) return null;
      const text = textOf(values, at).slice(0, 60);
      return { field: fields[at]!.name, message: `“${text}” does not fit into ${widths[at]} characters of one line` };
    },
    begin: nothing,
    row: (out, values) => {
      const cells = fields.map(({ type }, i) => {
        const text = textOf(values, i);
        return RIGHT.has(type.value) ? text.padStart(widths[i]!) : text.padEnd(widths[i]!);
      });
      out.text(`${cells.join('')}\n`);
    },
    end: nothing,
  };
};
