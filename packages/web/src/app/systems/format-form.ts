import type { DatasetSetting } from '@versicle/contract';
import { FORMAT_SETTINGS } from '@versicle/core';
import { choicesOf, type FormField, type FormValues } from '../shared/form/form-field';

export type Format = Extract<DatasetSetting, { kind: 'format' }>['format'];
type Kind = Format['kind'];

/** What a file can be read as: what it is, and what any text can be said to be. */
function kindsBeside(kind: Kind): Readonly<Record<string, string>> {
  const all = Object.entries(FORMAT_SETTINGS) as [Kind, (typeof FORMAT_SETTINGS)[Kind]][];
  const texts = kind === 'xlsx' ? [] : all.filter(([other, { usual }]) => other !== kind && usual !== undefined);
  return Object.fromEntries([[kind, FORMAT_SETTINGS[kind]] as const, ...texts].map(([k, { title }]) => [k, title]));
}

/** The entries that say how a file is read. */
export function formatForm({ kind }: Format): readonly FormField[] {
  return [
    { name: 'kind', title: $localize`Read as`, type: 'choice', choices: choicesOf(kindsBeside(kind)) },
    ...FORMAT_SETTINGS[kind].entries,
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
/** What is usual of another kind, in the same encoding; null: it can't be said to be that. */
export function usualFormat(kind: Kind, before: Format): Format | null {
  if (kind === before.kind || before.kind === 'xlsx') return null;
  return (FORMAT_SETTINGS[kind].usual?.(before.encoding) as Format | undefined) ?? null;
}
export const isLearned = (format: Format): boolean => FORMAT_SETTINGS[format.kind].isLearned === true;
