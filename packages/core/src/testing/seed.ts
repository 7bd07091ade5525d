import * as fc from 'fast-check';

/** The suite is the same each time; VERSICLE_SEED explores other cases. */
export const seed = Number(process.env['VERSICLE_SEED'] ?? 20_260_803);
fc.configureGlobal({ seed });
