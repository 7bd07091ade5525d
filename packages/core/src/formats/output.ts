import type { FieldType, ValueType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import type { ByteWriter } from './text/byte-writer.ts';

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
/** Makes the writer of a format for these fields. Throws a fault when they can't be written that way. */
export type RowFormatOf = (fields: readonly OutField[]) => RowFormat;

export interface Column {
  readonly name: string;
  readonly type: ValueType;
}

/** As they are written. */
export const columnsOf = (fields: readonly OutField[]): Column[] =>
  fields.map((f) => ({ name: f.name, type: f.type.value }));

/** Numbers, dates and booleans have nothing in them that would need quotes or escapes. */
export function mayHoldAnything(type: ValueType): boolean {
  return type === 'text' || type === 'jsonb' || type === 'unknown';
}

export const nothing = (): void => undefined;
export const canAlways = (): null => null;
