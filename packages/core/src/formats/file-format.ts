import type { DelimitedFormat } from './delimited/settings.ts';
import type { FixedWidthFormat } from './fixed-width/settings.ts';
import type { Marks } from './format.ts';
import type { JsonLinesFormat } from './json-lines/settings.ts';
import type { JsonFormat } from './json/settings.ts';
import type { WorkbookFormat } from './xlsx/settings.ts';
import type { XmlFormat } from './xml/settings.ts';

/** Formats that are read from first to last byte. */
export type StreamFormat = DelimitedFormat | JsonLinesFormat | FixedWidthFormat | JsonFormat | XmlFormat;
export type FileFormat = StreamFormat | WorkbookFormat;
/** How a format's numbers and dates are written, where it says so. */
export function marksOf(format: FileFormat): Marks | null {
  return 'marks' in format ? (format.marks ?? null) : null;
}
