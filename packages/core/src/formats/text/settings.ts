import type { Encoding, Marks } from '../format.ts';
import { choices, tick, type SettingEntry, type SettingWords } from '../settings.ts';
import type { LeavesOut } from './left-out.ts';
import { DATE_PATTERNS } from './marks.ts';

/** What formats of text have in common. */

const ENCODINGS: Readonly<Record<Encoding, string>> = {
  'utf-8': 'UTF-8',
  'windows-1252': 'Windows-1252',
  'iso-8859-15': 'ISO 8859-15',
  'utf-16le': 'UTF-16',
  'utf-16be': 'UTF-16',
};
export const encodingEntry: SettingEntry = {
  name: 'encoding',
  title: 'Encoding',
  type: 'choice',
  choices: choices({
    'utf-8': 'UTF-8',
    'windows-1252': 'Windows-1252 (Western)',
    'iso-8859-15': 'ISO 8859-15 (Western, €)',
    'utf-16le': 'UTF-16, little-endian',
    'utf-16be': 'UTF-16, big-endian',
  }),
};
export const encodingWords = ({ encoding }: { readonly encoding: Encoding }): SettingWords => ({
  label: 'Encoding',
  value: ENCODINGS[encoding],
});
export const textWords: SettingWords = { label: 'Read as', value: 'text first; a mapping decides on types' };

export const newlineEntry: SettingEntry = {
  name: 'newline',
  title: 'Lines end with',
  type: 'choice',
  choices: choices({ '\n': 'a line feed', '\r': 'a carriage return' }),
};

export const marksEntries: readonly SettingEntry[] = [
  {
    name: 'decimal',
    title: 'Decimal sign',
    type: 'choice',
    choices: choices({ '.': 'point 1204.50', ',': 'comma 1204,50' }),
  },
  {
    name: 'dates',
    title: 'Dates are written',
    type: 'text',
    hint: '2026-08-03 (ISO)',
    proposed: DATE_PATTERNS.filter((p) => p !== 'YYYY-MM-DD'),
  },
];
export const marksWords = ({ marks }: { readonly marks?: Marks }): SettingWords[] =>
  marks
    ? [
        { label: 'Decimal sign', value: marks.decimal === ',' ? 'comma' : 'point' },
        { label: 'Dates', value: marks.dates ?? 'ISO 8601' },
      ]
    : [];

export const beginningEntry: SettingEntry = {
  name: 'withoutBeginning',
  title: 'Leave out rows that begin with',
  type: 'text',
  hint: 'none; such as Total, Page',
};
export const shortEntry = tick('withoutShort', 'leave out rows that are too short');
export const leftOutWords = ({ withoutShort, withoutBeginning }: LeavesOut): SettingWords[] => [
  ...(withoutShort ? [{ label: 'Rows that are too short', value: 'are left out' }] : []),
  ...(withoutBeginning ? [{ label: 'Rows are left out that begin with', value: withoutBeginning }] : []),
];
