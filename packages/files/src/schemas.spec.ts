import { saidBy } from './testing/program.ts';

/** VERSICLE_SEED reads the same once more. */
const SEED = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 1_000_000);
const SCHEMAS = 100;

it(`what libxml2 calls valid is read whole by the structures of its schema (VERSICLE_SEED=${SEED})`, () => {
  const { found, read } = saidBy<{ found: unknown[]; read: number }>('schemas.ts', SEED, SCHEMAS);
  expect(found).toEqual([]);
  // Of three documents by each.
  expect(read).toBeGreaterThan(SCHEMAS);
});
