import type { Encoding, Marks, OfAnyKind } from '../format.ts';
import {
  choices,
  emptyEntry,
  emptyWords,
  skipLinesEntry,
  unknownEntry,
  unknownSaid,
  type FormatSettings,
} from '../settings.ts';
import type { LeavesOut } from '../text/left-out.ts';
import {
  beginningEntry,
  encodingEntry,
  encodingWords,
  leftOutWords,
  marksEntries,
  marksWords,
  newlineEntry,
  shortEntry,
  textWords,
} from '../text/settings.ts';

/** Columns by their place in the line, in characters, or in bytes of the encoding. */
export interface FixedWidthFormat extends OfAnyKind, LeavesOut {
  readonly kind: 'fixed';
  readonly encoding: Encoding;
  /** Lines above the first record that are not data. */
  readonly skipLines: number;
  readonly columns: readonly FixedWidthColumn[];
  /** What ends a line; a line feed where nothing is said. */
  readonly newline?: '\n' | '\r';
  /** What places and widths count; characters where nothing is said. Older systems count bytes. */
  readonly counts?: 'characters' | 'bytes';
  readonly emptyIsNull: boolean;
  readonly marks?: Marks;
}
export interface FixedWidthColumn {
  readonly name: string;
  /** 1-based, as rulers and record descriptions count. */
  readonly from: number;
  readonly width: number;
}

export const fixedWidthSettings: FormatSettings<FixedWidthFormat> = {
  title: 'fixed width',
  entries: [
    encodingEntry,
    skipLinesEntry,
    newlineEntry,
    {
      name: 'counts',
      title: 'Places count',
      type: 'choice',
      choices: choices({ characters: 'characters', bytes: 'bytes, as older systems do' }),
    },
    ...marksEntries,
    unknownEntry(),
    beginningEntry,
    emptyEntry,
    shortEntry,
  ],
  words: (format) => [
    { label: 'Format', value: `fixed width, ${format.columns.length} columns` },
    encodingWords(format),
    ...(format.counts === 'bytes' ? [{ label: 'Places count', value: 'bytes' }] : []),
    emptyWords(format),
    ...marksWords(format),
    textWords,
    ...unknownSaid(format),
    ...leftOutWords(format),
  ],
  usual: (encoding) => ({
    kind: 'fixed',
    encoding,
    skipLines: 0,
    columns: [{ name: 'column_1', from: 1, width: 20 }],
    emptyIsNull: true,
  }),
};
