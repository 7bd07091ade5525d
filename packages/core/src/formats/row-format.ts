import { Fault } from '../faults.ts';
import type { FieldType } from '../fields/types.ts';
import { outputText, type Value } from '../fields/values.ts';
import type { ByteWriter } from './byte-writer.ts';
import { csvHeader, csvLine, jsonLine, type Column } from './write.ts';

/** A field as it is written into a file. */
export interface OutField {
  readonly name: string;
  readonly type: FieldType;
}
/** Writes records one after the other as text of one format. */
export interface RowFormat {
  begin(out: ByteWriter): void;
  row(out: ByteWriter, values: readonly Value[]): void;
  end(out: ByteWriter): void;
}
export type TextOutput = 'csv' | 'jsonl' | 'json' | 'xml' | 'fixed';

const nothing = (): void => undefined;

/** Throws a fault when the fields can't be written that way. */
export function rowFormat(kind: TextOutput, fields: readonly OutField[]): RowFormat {
  const columns: Column[] = fields.map((f) => ({ name: f.name, type: f.type.value }));
  switch (kind) {
    case 'csv':
      return { begin: (o) => csvHeader(o, columns), row: (o, v) => csvLine(o, v, columns), end: nothing };
    case 'jsonl':
      return { begin: nothing, row: (o, v) => jsonLine(o, v, columns), end: nothing };
    case 'json':
      return jsonList(columns);
    case 'xml':
      return xmlList(columns);
    case 'fixed':
      return fixedLines(fields);
  }
}

function jsonList(columns: readonly Column[]): RowFormat {
  let first = true;
  return {
    begin: (out) => out.text('[\n'),
    row: (out, values) => {
      if (!first) out.text(',');
      first = false;
      jsonLine(out, values, columns);
    },
    end: (out) => out.text(']\n'),
  };
}

/** XML 1.0 (section 2.2) has no place for most control characters: they become the replacement character. */
const NOT_IN_XML = /[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu;
function xmlText(text: string): string {
  return text
    .replace(NOT_IN_XML, '\ufffd')
    .replace(/[&<>\r]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '\r': '&#13;' })[c]!);
}
/** A field's name as an element's name (XML 1.0, section 2.3). */
function elementName(name: string): string {
  const safe = name.replace(/[^\p{L}\p{N}._-]/gu, '_');
  return /^[\p{L}_]/u.test(safe) && !/^xml/i.test(safe) ? safe : `_${safe}`;
}
/** Nulls are left out, so that an empty element is an empty text. */
function xmlList(columns: readonly Column[]): RowFormat {
  const names = columns.map((c) => elementName(c.name));
  return {
    begin: (out) => out.text('<?xml version="1.0" encoding="UTF-8"?>\n<records>\n'),
    row: (out, values) => {
      const cells = names.map((name, i) => {
        const value = values[i]!;
        return value === null ? '' : `<${name}>${xmlText(outputText(value, columns[i]!.type)!)}</${name}>`;
      });
      out.text(`<record>${cells.join('')}</record>\n`);
    },
    end: (out) => out.text('</records>\n'),
  };
}

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
function fixedLines(fields: readonly OutField[]): RowFormat {
  const widths = fields.map(fieldWidth);
  return {
    begin: nothing,
    row: (out, values) => {
      const cells = fields.map(({ name, type }, i) => {
        const value = values[i]!;
        const text = value === null ? '' : outputText(value, type.value)!;
        if (text.length > widths[i]! || /[\r\n]/.test(text))
          throw new Fault(
            'unreadable',
            `“${text.slice(0, 60)}” does not fit into the field ${name} of ${widths[i]} characters in one line.`,
          );
        return RIGHT.has(type.value) ? text.padStart(widths[i]!) : text.padEnd(widths[i]!);
      });
      out.text(`${cells.join('')}\n`);
    },
    end: nothing,
  };
}
