import type { DatasetSetting } from '@versicle/contract';
import { DATE_PATTERNS } from '@versicle/core';
import { choicesOf, type FormField, type FormValues } from '../shared/form/form-field';

type Format = Extract<DatasetSetting, { kind: 'format' }>['format'];

const TEXT_KINDS = { delimited: 'delimited text', fixed: 'fixed width', jsonl: 'JSON Lines' };
/** What a file can be read as instead. */
function kindsBeside(kind: Format['kind']): Readonly<Record<string, string>> {
  if (kind === 'xlsx') return { xlsx: 'workbook' };
  if (kind === 'json') return { json: 'JSON', ...TEXT_KINDS };
  return kind === 'xml' ? { xml: 'XML', ...TEXT_KINDS } : TEXT_KINDS;
}
const ENCODINGS = {
  'utf-8': 'UTF-8',
  'windows-1252': 'Windows-1252 (Western)',
  'iso-8859-15': 'ISO 8859-15 (Western, €)',
  'utf-16le': 'UTF-16, little-endian',
  'utf-16be': 'UTF-16, big-endian',
};
const DELIMITERS = {
  ';': 'semicolon ;',
  ',': 'comma ,',
  '\t': 'tab',
  '|': 'vertical bar |',
  '^': 'caret ^',
  '~': 'tilde ~',
};
const DATES = DATE_PATTERNS.filter((p) => p !== 'YYYY-MM-DD');

/** Whose fields can be learned from all of their records. */
export const LEARNED: ReadonlySet<Format['kind']> = new Set(['json', 'jsonl', 'xml', 'xlsx']);

/** The entries that say how a file is read. */
export function formatForm(format: Format): readonly FormField[] {
  const of = (...kinds: Format['kind'][]): FormField['when'] => ({ entry: 'kind', is: kinds });
  return [
    { name: 'kind', title: 'Read as', type: 'choice', choices: choicesOf(kindsBeside(format.kind)) },
    {
      name: 'encoding',
      title: 'Encoding',
      type: 'choice',
      choices: choicesOf(ENCODINGS),
      when: of('delimited', 'fixed', 'json', 'jsonl', 'xml'),
    },
    {
      name: 'delimiter',
      title: 'Delimiter',
      type: 'choice',
      choices: choicesOf(DELIMITERS),
      when: of('delimited'),
    },
    {
      name: 'quote',
      title: 'Quotes',
      type: 'choice',
      choices: choicesOf({ '"': '" double', "'": "' single", '': 'none' }),
      when: of('delimited'),
    },
    { name: 'range', title: 'Cells', type: 'text', hint: 'all; such as B4:H200', when: of('xlsx') },
    {
      name: 'records',
      title: 'Records at',
      type: 'text',
      hint: format.kind === 'xml' ? 'such as repairs/order' : 'the top; such as data.items',
      when: of('json', 'xml'),
    },
    {
      name: 'skipLines',
      title: 'Rows above to leave out',
      type: 'number',
      when: of('delimited', 'xlsx', 'fixed'),
    },
    {
      name: 'newline',
      title: 'Lines end with',
      type: 'choice',
      choices: choicesOf({ '\n': 'a line feed', '\r': 'a carriage return' }),
      when: of('delimited', 'fixed'),
    },
    {
      name: 'counts',
      title: 'Places count',
      type: 'choice',
      choices: choicesOf({ characters: 'characters', bytes: 'bytes, as older systems do' }),
      when: of('fixed'),
    },
    { name: 'mergedRepeat', title: 'repeat the value of merged cells', type: 'tick', when: of('xlsx') },
    {
      name: 'decimal',
      title: 'Decimal sign',
      type: 'choice',
      choices: choicesOf({ '.': 'point 1204.50', ',': 'comma 1204,50' }),
      when: of('delimited', 'fixed'),
    },
    {
      name: 'dates',
      title: 'Dates are written',
      type: 'text',
      hint: '2026-08-03 (ISO)',
      proposed: DATES,
      when: of('delimited', 'fixed'),
    },
    {
      name: 'unknown',
      title: 'Values without a field',
      type: 'choice',
      choices: choicesOf({
        told: 'are told by each run',
        ...(LEARNED.has(format.kind) ? { taken: 'are told, and get a field' } : {}),
        ignored: 'are left out',
        refused: 'make their record fail',
      }),
      when: of('delimited', 'fixed', 'json', 'jsonl', 'xml', 'xlsx'),
    },
    {
      name: 'withoutBeginning',
      title: 'Leave out rows that begin with',
      type: 'text',
      hint: 'none; such as Total, Page',
      when: of('delimited', 'fixed'),
    },
    { name: 'header', title: 'the first row has the names', type: 'tick', when: of('delimited', 'xlsx') },
    { name: 'emptyIsNull', title: 'an empty cell is null', type: 'tick', when: of('delimited', 'fixed') },
    { name: 'withoutShort', title: 'leave out rows that are too short', type: 'tick', when: of('delimited', 'fixed') },
  ];
}
export function formatValues(format: Format): FormValues {
  const marks = 'marks' in format ? format.marks : undefined;
  const texts = Object.entries(format).map(([name, value]) => [
    name,
    typeof value === 'boolean' ? (value ? 'true' : '') : typeof value === 'object' ? '' : String(value as string),
  ]);
  return {
    newline: '\n',
    counts: 'characters',
    unknown: 'told',
    ...Object.fromEntries(texts),
    decimal: marks?.decimal ?? '.',
    dates: marks?.dates ?? '',
  };
}
