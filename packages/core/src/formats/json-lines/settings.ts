import type { Encoding, Marks, OfAnyKind } from '../format.ts';
import { unknownEntry, unknownSaid, type FormatSettings } from '../settings.ts';
import { encodingEntry, encodingWords, textWords } from '../text/settings.ts';

export interface JsonLinesFormat extends OfAnyKind {
  readonly kind: 'jsonl';
  readonly encoding: Encoding;
  /** The names of all its objects, where they were learned from whole files; otherwise those of the first ones. */
  readonly fields?: readonly string[];
  /** Kept by us: a line that begins with `!` is a record that could not be read when it was fetched (landedUnreadable). */
  readonly landed?: true;
  /** Of the dataset that they were taken from. */
  readonly marks?: Marks;
}

export const jsonLinesSettings: FormatSettings<JsonLinesFormat> = {
  title: 'JSON Lines',
  entries: [encodingEntry, unknownEntry(true)],
  words: (format) => [
    { label: 'Format', value: 'JSON Lines' },
    encodingWords(format),
    textWords,
    ...unknownSaid(format),
  ],
  usual: (encoding) => ({ kind: 'jsonl', encoding }),
  isLearned: true,
};
