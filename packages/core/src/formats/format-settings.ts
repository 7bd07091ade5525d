import { fixedWidthSettings } from './fixed-width/settings.ts';
import { jsonLinesSettings } from './json-lines/settings.ts';
import { jsonSettings } from './json/settings.ts';
import type { FormatSettings, SettingWords } from './settings.ts';
import { workbookSettings } from './xlsx/settings.ts';
import { xmlSettings } from './xml/settings.ts';
import { delimitedSettings } from './delimited/settings.ts';
import type { FileFormat } from './file-format.ts';

type OfKind<K extends FileFormat['kind']> = Extract<FileFormat, { kind: K }>;

/** The settings of each format, for people. */
export const FORMAT_SETTINGS: { readonly [K in FileFormat['kind']]: FormatSettings<OfKind<K>> } = {
  delimited: delimitedSettings,
  fixed: fixedWidthSettings,
  jsonl: jsonLinesSettings,
  json: jsonSettings,
  xml: xmlSettings,
  xlsx: workbookSettings,
};

/** How a file is read, as a short table for people. */
export function formatWords(format: FileFormat): readonly SettingWords[] {
  // Each has words for its own kind, by which it was found.
  const words = FORMAT_SETTINGS[format.kind].words as (format: FileFormat) => readonly SettingWords[];
  return words(format);
}
