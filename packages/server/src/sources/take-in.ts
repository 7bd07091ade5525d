import { isFault, isLearned, listed } from '@versicle/core';
import type { SourcePlan } from '../systems/kinds/kind.ts';
import { learn } from '../systems/learning.ts';
import type { Systems } from '../systems/systems.ts';

/**
 * Gives fields to what records have and the structure of their dataset does not know, where the dataset says so: its structure is
 * learned from all of them. Whoever maps it finds them from then on; what runs now reads as before. A sentence of what came of it,
 * or null where nothing was to be done.
 */
export async function takeIn(
  systems: Systems,
  name: string,
  { format }: SourcePlan,
  signal: AbortSignal,
): Promise<{ readonly said: string; readonly well: boolean } | null> {
  if (format.unknown !== 'taken' || !isLearned(format)) return null;
  try {
    const { id, dataset } = await systems.openDataset(name);
    const { added } = await learn(systems, id, dataset, signal);
    if (added.length === 0) return null;
    return {
      said: `${name} has ${added.length === 1 ? 'a field' : 'fields'} for it now: ${listed(few(added))}`,
      well: true,
    };
  } catch (error) {
    if (!isFault(error)) throw error;
    return { said: `It could not be taken into the structure of ${name}: ${error.message}`, well: false };
  }
}
const SHOWN = 12;
const few = (names: readonly string[]): string[] =>
  names.length <= SHOWN
    ? [...names]
    : [...names.slice(0, SHOWN), `${(names.length - SHOWN).toLocaleString('en-GB')} more`];
