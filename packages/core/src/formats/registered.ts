import type { DelimitedFormat } from './delimited/settings.ts';
import { DelimitedReader } from './delimited/read.ts';
import { sniffDelimited } from './delimited/sniff.ts';
import { csvLines } from './delimited/write.ts';
import type { FileFormat, StreamFormat } from './file-format.ts';
import { FixedWidthReader } from './fixed-width/read.ts';
import { sniffFixedWidth } from './fixed-width/sniff.ts';
import { fixedLines } from './fixed-width/write.ts';
import { JsonLinesReader } from './json-lines/read.ts';
import { sniffJsonLines } from './json-lines/sniff.ts';
import { jsonLines } from './json-lines/write.ts';
import { JsonReader } from './json/read.ts';
import { sniffJson } from './json/sniff.ts';
import { jsonList } from './json/write.ts';
import type { RowBatch } from './format.ts';
import type { RowFormatOf } from './output.ts';
import type { Guess, Sample } from './sample.ts';
import { XmlReader } from './xml/read.ts';
import { sniffXml } from './xml/sniff.ts';
import { xmlList } from './xml/write.ts';

/** What reads, knows and writes each format: whoever adds one adds its folder, and its lines here, in format-settings.ts and file-format.ts. */

type OfKind<K extends FileFormat['kind']> = Extract<FileFormat, { kind: K }>;

/** Reads bytes that come one after the other. */
export interface RowReader {
  readonly names: readonly string[] | null;
  push(bytes: Uint8Array): RowBatch;
  end(): RowBatch;
}
/** `fields`: those of the dataset, where the file does not name its own. Workbooks are no stream (xlsx/read-sheet.ts). */
export const READERS: {
  readonly [K in StreamFormat['kind']]: (format: OfKind<K>, fields: readonly string[] | null) => RowReader;
} = {
  delimited: (format: DelimitedFormat, fields) => new DelimitedReader(format, fields),
  fixed: (format) => new FixedWidthReader(format),
  jsonl: (format, fields) => new JsonLinesReader(format, fields),
  json: (format) => new JsonReader(format),
  xml: (format) => new XmlReader(format),
};

/** They are asked in this order: first those that can be told by a sign; what nobody claims is delimited text. */
export const SNIFFERS: readonly ((sample: Sample) => Guess<StreamFormat> | null)[] = [
  sniffJsonLines,
  sniffXml,
  sniffJson,
  sniffFixedWidth,
  sniffDelimited,
];

export const WRITERS = {
  csv: csvLines,
  jsonl: jsonLines,
  json: jsonList,
  xml: xmlList,
  fixed: fixedLines,
} satisfies Record<string, RowFormatOf>;
export type TextOutput = keyof typeof WRITERS;
