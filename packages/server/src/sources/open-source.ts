import { refused } from '@versicle/core';
import type { OpenSystem, ReadOptions, SourcePlan } from '../systems/kinds/kind.ts';
import { unlessAborted } from '../systems/outage.ts';
import { land, type Landing } from './land.ts';
import type { RevisionReadings } from './readings.ts';

/** A dataset that is to be read from its beginning to its end. */
export interface SourceWish extends Pick<Landing, 'path' | 'rowLimit'> {
  readonly system: OpenSystem;
  readonly dataset: string;
  /** What people call it. */
  readonly name: string;
  readonly options: Omit<ReadOptions, 'signal'>;
  readonly signal: AbortSignal;
  /** The fields that whoever reads it expects, where the system itself does not say what it has. */
  readonly expected: () => Promise<readonly string[]>;
  /** How files are read for the revision that reads them; left out, as they are found now. */
  readonly readings?: RevisionReadings | undefined;
  /** Heard before records are fetched. */
  readonly fetches?: () => Promise<void>;
}
export interface OpenedSource {
  readonly plan: SourcePlan;
  /** Records that had to be fetched; null where the files themselves are read. */
  readonly fetched: number | null;
}

/**
 * Whatever a dataset is: the files from which its records are read. Files are read where they lie; what a system gives but
 * once is fetched and kept under `path`. Runs, trials, profiles and source sets all come here. Throws a fault, or Aborted.
 */
export async function openSource(wish: SourceWish): Promise<OpenedSource> {
  const { system, dataset, name, signal, path, rowLimit = null } = wish;
  const options = { ...wish.options, signal, whole: rowLimit === null };
  if (system.sourcePlan) {
    const as = (await wish.readings?.of(name)) ?? null;
    const plan = await unlessAborted(system.sourcePlan(dataset, { ...options, as }), signal);
    if (as === null) await wish.readings?.keep(name, plan);
    return { plan, fetched: null };
  }
  if (!system.read) throw refused(`${name} holds no records that could be read.`);
  await wish.fetches?.();
  const columns = (await system.columns?.(dataset)) ?? null;
  const types = columns && Object.fromEntries(columns.map((f) => [f.name, f.type]));
  let absent: readonly string[] | null = null;
  // A database says itself what fields it has; of others, a member that is missing everywhere is empty.
  const known = async (found: readonly string[]): Promise<readonly string[]> => {
    if (columns === null) {
      const expected = await wish.expected();
      absent = expected.filter((name) => !found.includes(name));
      return expected;
    }
    return found.length > 0 ? [] : columns.map((f) => f.name);
  };
  const { plan, records } = await land(system.read(dataset, options), { path, rowLimit, signal, known });
  return {
    plan: {
      ...plan,
      ...(absent === null ? {} : { absent: { fields: absent, records } }),
      ...(types === null ? {} : { types }),
    },
    fetched: records,
  };
}
