import { Fault } from '../faults.ts';
import type { FieldType } from '../fields/types.ts';
import { outputText, type Value } from '../fields/values.ts';
import type { ByteWriter } from './byte-writer.ts';
import { csvHeader, csvLine, jsonLine, type Column } from './write.ts';
import { NOT_IN_XML, xmlText } from './xml-text.ts';

/** A field as it is written into a file. */
export interface OutField {
  readonly name: string;
  readonly type: FieldType;
}
/** Why a record can't be written: the field that it is about, and what is wrong with its value. */
export interface CantWrite {
  readonly field: string;
  readonly message: string;
}
/** Writes records one after the other as text of one format. */
export interface RowFormat {
  /** Null: the record can be written as it is. Only such records may go into `row`. */
  cantWrite(values: readonly Value[]): CantWrite | null;
  begin(out: ByteWriter): void;
  row(out: ByteWriter, values: readonly Value[]): void;
  end(out: ByteWriter): void;
}
export type TextOutput = 'csv' | 'jsonl' | 'json' | 'xml' | 'fixed';

const nothing = (): void => undefined;
const canAlways = (): null => null;

/** Throws a fault when the fields can't be written that way. */
export function rowFormat(kind: TextOutput, fields: readonly OutField[]): RowFormat {
  const columns: Column[] = fields.map((f) => ({ name: f.name, type: f.type.value }));
  switch (kind) {
    case 'csv':
      return {
        cantWrite: canAlways,
        begin: (o) => csvHeader(o, columns),
        row: (o, v) => csvLine(o, v, columns),
        end: nothing,
      };
    case 'jsonl':
      return { cantWrite: canAlways, begin: nothing, row: (o, v) => jsonLine(o, v, columns), end: nothing };
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
    cantWrite: canAlways,
    row: (out, values) => {
      if (!first) out.text(',');
      first = false;
      jsonLine(out, values, columns);
    },
    end: (out) => out.text(']\n'),
  };
}

/** A field's name as an element's name (XML 1.0, section 2.3). */
function elementName(name: string): string {
  const safe = name.replace(/[^\p{L}\p{N}._-]/gu, '_');
  return /^[\p{L}_]/u.test(safe) && !/^xml/i.test(safe) ? safe : `_${safe}`;
}
/** Nulls are left out, so that an empty element is an empty text. */
function xmlList(columns: readonly Column[]): RowFormat {
  const names = columns.map((c) => elementName(c.name));
  const twice = names.findIndex((name, i) => names.indexOf(name) !== i);
  if (twice >= 0)
    throw new Fault(
      'unwritable',
      `The fields ${columns[names.indexOf(names[twice]!)]!.name} and ${columns[twice]!.name} would both be the element ${names[twice]}; give one of them another name.`,
    );
  return {
    cantWrite: (values) => {
      const holds = (value: Value, type: Column['type']): boolean =>
        (typeof value === 'string' || Array.isArray(value)) && NOT_IN_XML.test(outputText(value, type)!);
      const at = columns.findIndex(({ type }, i) => holds(values[i]!, type));
      if (at < 0) return null;
      return { field: columns[at]!.name, message: 'it holds a control character, which XML can’t carry' };
    },
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
}
