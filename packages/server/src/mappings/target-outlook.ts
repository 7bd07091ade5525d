import type { TargetFit } from '@versicle/contract';
import {
  isFault,
  timestampOfMillis,
  troubleAhead,
  knownSourceFields,
  type DeclaredMarks,
  type KeyMaps,
  type MappingDocument,
} from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { Systems } from '../systems/systems.ts';

/** What the target has, against what a document would write into it; nothing is known of one that does not answer. */
export async function fitOf(
  systems: Systems,
  document: MappingDocument,
): Promise<Pick<TargetFit, 'lacking' | 'twice'>> {
  const { dataset: name } = document.target;
  const found = await unlessFault(async () => {
    const { system, dataset } = await systems.openDataset(name);
    return (await system.target?.outlook?.(document, dataset)) ?? null;
  });
  // What is wrong with the target is said where it is written to.
  if (found === null) return { lacking: [], twice: null };
  const adds = document.write.mode === 'insert' || document.write.mode === 'append';
  return {
    lacking: found.lacking.map(({ name: field, type }) => ({ name: field, type })),
    twice:
      adds && found.holds && document.target.key.length === 0
        ? `${name} has records already, and this mapping adds its own without a key to tell them by: what an earlier run wrote is there once more then.`
        : null,
  };
}

/** What the profile of the source tells of the lines; nothing where there is none, or the source can't be looked at now. */
export async function aheadOf(
  db: Database,
  systems: Pick<Systems, 'looks'>,
  document: MappingDocument,
  source: () => Promise<{
    names: readonly string[];
    marks: DeclaredMarks;
    keyMaps: KeyMaps;
    variables: Record<string, string>;
  }>,
): Promise<Pick<TargetFit, 'ahead' | 'of'>> {
  const { dataset } = document.source.primary;
  const slash = dataset.indexOf('/');
  const [row] = await db.query<{ result: string | null }>(
    "SELECT result FROM profile WHERE system = $1 AND dataset = $2 AND state = 'done' ORDER BY id DESC LIMIT 1",
    [dataset.slice(0, slash), dataset.slice(slash + 1)],
  );
  if (!row?.result) return { ahead: [], of: null };
  // In a thread: there may be tens of thousands of fields, of which only those are wanted that the document uses.
  const profile = await systems.looks.ask(dataset, 'profiled', [row.result, knownSourceFields(document)]);
  const known = await unlessFault(source);
  if (known === null) return { ahead: [], of: null };
  const now = timestampOfMillis(Date.now());
  const { names, marks, keyMaps, variables } = known;
  return { ahead: troubleAhead(document, names, marks, profile, now, keyMaps, variables), of: profile.records };
}

async function unlessFault<T>(look: () => Promise<T>): Promise<T | null> {
  try {
    return await look();
  } catch (error) {
    if (isFault(error)) return null;
    throw error;
  }
}
