import { saidBy } from './testing/program.ts';

/** VERSICLE_SEED reads the same once more; docs/formats.md says how to read more. */
const SEED = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 1_000_000);
const VARIANTS = 1200;

it(`damaged files are read whole or with a sentence, and none ends the program (VERSICLE_SEED=${SEED})`, () => {
  const { found, sentences } = saidBy<{ found: string[]; sentences: Record<string, number> }>(
    'mutations.ts',
    SEED,
    VARIANTS,
  );
  expect(found).toEqual([]);
  // The variants are damaged, and most of the damage is found.
  expect(Object.values(sentences).reduce((sum, n) => sum + n, 0)).toBeGreaterThan(VARIANTS / 2);
});
