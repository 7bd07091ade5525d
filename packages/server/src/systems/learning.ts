import type { DatasetSetting, LearnedStructure } from '@versicle/contract';
import { type LearnedFormat, type LearnedText, quoted, refused, type Structure, withDescribed } from '@versicle/core';
import type { Systems } from './systems.ts';
import { withLearned } from './with-learned.ts';

type FormatSetting = Extract<DatasetSetting, { kind: 'format' }>['format'];

/** Learns what a dataset's records are like from all of them, and settles it. Throws a fault. */
export async function learn(
  systems: Systems,
  id: string,
  name: string,
  signal: AbortSignal,
): Promise<LearnedStructure> {
  const { system } = await systems.openById(id);
  const fromAll = system.learn;
  if (!fromAll) throw refused('Only the datasets of folders are learned from whole files.');
  const { format, records, unread, added } = await systems.inWords(system, () => fromAll(name, signal));
  await keep(systems, id, name, format);
  return { detail: await systems.describe(id, name), records, unread, added: [...added] };
}

/**
 * Adds to what is known of a file's records what a description tells of them, and settles it; gives the fields that were added.
 * `own`: the name that the description has for them.
 */
export async function learnDescribed(
  systems: Systems,
  id: string,
  name: string,
  structures: readonly Structure[],
  own: string,
): Promise<readonly string[]> {
  const { setting, fields } = await systems.describe(id, name);
  if (setting?.kind !== 'format') return [];
  const { format } = setting;
  if (format.kind !== 'json' && format.kind !== 'xml' && format.kind !== 'jsonl') return [];
  const now = fields.map((f) => f.name);
  // What is settled is of the file; a part of it says itself which one it is.
  const whole = format.kind === 'jsonl' ? format : { ...format, part: '', withDoc: false };
  const { format: described, added } = withDescribed(whole as LearnedText, structures, own, now);
  if (added.length > 0) await keep(systems, id, name, described);
  return added;
}

/** All parts of a nested file have one structure; a part that somebody settled by itself has its own. Sheets have theirs. */
async function keep(systems: Systems, id: string, name: string, format: LearnedFormat): Promise<void> {
  const settings = await systems.settings(id);
  const file = format.kind === 'xlsx' ? name : name.split('/')[0]!;
  for (const dataset of new Set([file, name])) {
    const own = settings.get(dataset);
    if (dataset !== file && own?.kind !== 'format') continue;
    // Who settled something of it meanwhile, which may be a while, is not overruled by what was read before.
    const kept = own?.kind === 'format' ? withLearned(own.format, format) : format;
    if (kept === null && dataset === name)
      throw refused(`${quoted(name)} was settled otherwise while it was learned; learn it again.`);
    if (kept === null) continue;
    await systems.keepSetting(id, dataset, { kind: 'format', format: kept as FormatSetting });
  }
}
