import { spawnSync } from 'node:child_process';
import { join } from 'node:path';

/** VERSICLE_SEED reads the same once more; docs/formats.md says how to read more. */
const SEED = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 1_000_000);
const VARIANTS = 1200;

it(`damaged files are read whole or with a sentence, and none ends the program (VERSICLE_SEED=${SEED})`, () => {
  // In a program of its own: libxml2, the second opinion on XML, is an ES module.
  const program = join(__dirname, 'testing/mutations.ts');
  const { stdout, stderr, status } = spawnSync(
    process.execPath,
    ['--import', 'tsx', program, String(SEED), String(VARIANTS)],
    { cwd: join(__dirname, '../../..'), encoding: 'utf8', maxBuffer: 1e8 },
  );
  if (status !== 0) throw new Error(stderr);
  const { found, sentences } = JSON.parse(stdout) as { found: string[]; sentences: Record<string, number> };
  expect(found).toEqual([]);
  // The variants are damaged, and most of the damage is found.
  expect(Object.values(sentences).reduce((sum, n) => sum + n, 0)).toBeGreaterThan(VARIANTS / 2);
});
