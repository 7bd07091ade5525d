import type { DatasetSetting } from '@versicle/contract';
import type { LearnedFormat } from '@versicle/core';

type FormatSetting = Extract<DatasetSetting, { kind: 'format' }>['format'];

/** What decides which records are read; what was learned is of these. */
const READS = ['kind', 'records', 'sheet', 'range', 'header', 'skipLines'];
const reads = (format: FormatSetting | LearnedFormat): string =>
  JSON.stringify(READS.map((name) => (format as unknown as Readonly<Record<string, unknown>>)[name]));

/** What was learned, within the format that is settled now; null where that reads other records. */
export function withLearned(now: FormatSetting, learned: LearnedFormat): FormatSetting | null {
  if (reads(now) !== reads(learned)) return null;
  if (learned.kind === 'jsonl') return { ...now, fields: learned.fields } as FormatSetting;
  if (learned.kind === 'xlsx') return { ...now, width: learned.width } as FormatSetting;
  const { structures, beside } = learned;
  return { ...now, structures, ...(beside ? { beside } : {}) } as FormatSetting;
}
