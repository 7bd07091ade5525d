import type { Encoding, OfAnyKind } from '../format.ts';
import { unknownEntry, unknownSaid, type FormatSettings, type SettingWords } from '../settings.ts';
import { encodingEntry, encodingWords, textWords } from '../text/settings.ts';

/** A repeating structure of nested records: its path below the record (empty for the record itself), and its fields. */
export interface NestedStructure {
  readonly path: string;
  readonly fields: readonly string[];
}
/** Of formats whose records are nested. */
export interface Nested extends OfAnyKind {
  readonly encoding: Encoding;
  /** Where the records are: member names for JSON (`data.items`), element names for XML (`repairs/order`). */
  readonly records: string;
  readonly structures: readonly NestedStructure[];
  /** The path of the structure that is read. */
  readonly part: string;
  /** What stood beside the records when their structure was learned, by paths like theirs. */
  readonly beside?: readonly string[];
  /** Whether each row has its whole record as JSON in `_doc`. */
  readonly withDoc: boolean;
}

/** The settings of a format whose records are nested. `top`: what the place of its records is called where it has no name. */
export function nestedSettings<F extends Nested>(title: string, hint: string, top = ''): FormatSettings<F> {
  return {
    title,
    entries: [encodingEntry, { name: 'records', title: 'Records at', type: 'text', hint }, unknownEntry(true)],
    words: (format): SettingWords[] => [
      { label: 'Format', value: title },
      encodingWords(format),
      { label: 'Records at', value: format.records || top },
      textWords,
      ...unknownSaid(format),
    ],
    isLearned: true,
  };
}
