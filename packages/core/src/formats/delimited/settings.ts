import type { Encoding, Marks, OfAnyKind } from '../format.ts';
import {
  choices,
  emptyEntry,
  emptyWords,
  headerEntry,
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

export interface DelimitedFormat extends OfAnyKind, LeavesOut {
  readonly kind: 'delimited';
  readonly encoding: Encoding;
  readonly delimiter: string;
  /** One character, or empty where nothing is quoted. */
  readonly quote: string;
  readonly newline: '\n' | '\r';
  /** Lines above the header (or the first record) that are not data. */
  readonly skipLines: number;
  readonly header: boolean;
  /** Whether an empty cell is null (the default for files). */
  readonly emptyIsNull: boolean;
  readonly marks?: Marks;
}

const DELIMITERS: Readonly<Record<string, string>> = {
  ',': 'commas',
  ';': 'semicolons',
  '\t': 'tabs',
  '|': 'vertical bars',
};

export const delimitedSettings: FormatSettings<DelimitedFormat> = {
  title: 'delimited text',
  entries: [
    encodingEntry,
    {
      name: 'delimiter',
      title: 'Delimiter',
      type: 'choice',
      choices: choices({
        ';': 'semicolon ;',
        ',': 'comma ,',
        '\t': 'tab',
        '|': 'vertical bar |',
        '^': 'caret ^',
        '~': 'tilde ~',
      }),
    },
    {
      name: 'quote',
      title: 'Quotes',
      type: 'choice',
      choices: choices({ '"': '" double', "'": "' single", '': 'none' }),
    },
    skipLinesEntry,
    newlineEntry,
    ...marksEntries,
    unknownEntry(),
    beginningEntry,
    headerEntry,
    emptyEntry,
    shortEntry,
  ],
  words: (format) => [
    { label: 'Format', value: `text delimited by ${DELIMITERS[format.delimiter] ?? format.delimiter}` },
    encodingWords(format),
    { label: 'Quotes', value: format.quote === '' ? 'none' : format.quote },
    { label: 'Header', value: format.header ? 'the first row' : 'none' },
    emptyWords(format),
    ...marksWords(format),
    textWords,
    ...unknownSaid(format),
    ...leftOutWords(format),
  ],
  usual: (encoding) => ({
    kind: 'delimited',
    encoding,
    delimiter: ';',
    quote: '"',
    newline: '\n',
    skipLines: 0,
    header: true,
    emptyIsNull: true,
  }),
};
