import { postgresPrograms } from '@versicle/postgres/testing';
import { soak } from './soak.ts';

/** The short form of `npm run soak`: other loads and other instants each time; the seed is in the test's name. */
const SEED = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 1_000_000);
const KILLS = Number(process.env['VERSICLE_SOAK_KILLS'] ?? 20);

(postgresPrograms() === null ? describe.skip : describe)('loads of every kind', () => {
  it(`lose and double nothing, and their figures are true, over ${KILLS} kills (VERSICLE_SEED=${SEED})`, async () => {
    const said: string[] = [];
    const tally = await soak({
      kills: KILLS,
      seed: SEED,
      say: (line) => said.push(line),
      first: SEED % 4,
      loadsEach: 2,
    });
    expect({ wrong: tally.wrong, said: tally.wrong.length > 0 ? said : [] }).toEqual({ wrong: [], said: [] });
    expect(tally).toMatchObject({ lost: 0, doubled: 0, lies: 0 });
    expect(tally.kills).toBeGreaterThanOrEqual(KILLS);
    expect(tally.samples).toBeGreaterThan(0);
  }, 1_200_000);
});
