import type { OutField, RowFormat } from './output.ts';
import { WRITERS, type TextOutput } from './registered.ts';

export type { TextOutput };

/** Writes records as text of one format. Throws a fault when the fields can't be written that way. */
export const rowFormat = (kind: TextOutput, fields: readonly OutField[]): RowFormat => WRITERS[kind](fields);
