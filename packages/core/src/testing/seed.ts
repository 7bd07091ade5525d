import * as fc from 'fast-check';

/** Properties are the same each time; VERSICLE_SEED explores other cases. */
export const seed = Number(process.env['VERSICLE_SEED'] ?? 20_260_803);
fc.configureGlobal({ seed });

/** For comparing with PostgreSQL: other cases each time, and the seed is printed, so that they can be run again. */
export const freshSeed = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 100_000_000);
