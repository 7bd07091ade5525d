import type { Encoding, OfAnyKind } from './format.ts';

/** An entry of the form by which people correct how a file is read; its name is the setting's, or a mark's. */
export interface SettingEntry {
  readonly name: string;
  readonly title: string;
  readonly type: 'text' | 'number' | 'choice' | 'tick';
  /** What it means when nothing is written, or such as what is written. */
  readonly hint?: string;
  readonly choices?: readonly { readonly value: string; readonly words: string }[];
  readonly proposed?: readonly string[];
}
/** A setting as people are told of it. */
export interface SettingWords {
  readonly label: string;
  readonly value: string;
}

/** The settings of a format, for people. */
export interface FormatSettings<F> {
  /** As it is chosen. */
  readonly title: string;
  readonly entries: readonly SettingEntry[];
  readonly words: (format: F) => readonly SettingWords[];
  /** What is usual, for a text that somebody says is of this format; not there where a format is known by itself only. */
  readonly usual?: (encoding: Encoding) => F;
  /** Whether its fields can be learned from all of its records. */
  readonly isLearned?: boolean;
}

export const choices = (words: Readonly<Record<string, string>>): NonNullable<SettingEntry['choices']> =>
  Object.entries(words).map(([value, said]) => ({ value, words: said }));
export const tick = (name: string, title: string): SettingEntry => ({ name, title, type: 'tick' });

export const skipLinesEntry: SettingEntry = { name: 'skipLines', title: 'Rows above to leave out', type: 'number' };
export const headerEntry = tick('header', 'the first row has the names');
export const emptyEntry = tick('emptyIsNull', 'an empty cell is null');
export const emptyWords = ({ emptyIsNull }: { readonly emptyIsNull: boolean }): SettingWords => ({
  label: 'Empty cell',
  value: emptyIsNull ? 'is null' : 'is an empty text',
});

const UNKNOWN = {
  taken: 'are told, and get a field',
  ignored: 'are left out',
  refused: 'make their record fail',
};
export const unknownEntry = (isLearned = false): SettingEntry => ({
  name: 'unknown',
  title: 'Values without a field',
  type: 'choice',
  choices: choices({
    told: 'are told by each run',
    ...(isLearned ? { taken: UNKNOWN.taken } : {}),
    ignored: UNKNOWN.ignored,
    refused: UNKNOWN.refused,
  }),
});
export const unknownSaid = ({ unknown = 'told' }: OfAnyKind): SettingWords[] =>
  unknown === 'told' ? [] : [{ label: 'Values without a field', value: UNKNOWN[unknown] }];
