import Sequencer from '@jest/test-sequencer';

/** What takes longest, the longest first. Where nothing is known yet, suites are taken by the size of their files, and these are small. */
const LONG = [
  'workers/workers',
  'changes/captured',
  'testing/soak/soak',
  'engine/disturbed',
  'store/backup',
  'plans/share-out',
  'source-sets/source-sets',
  'plans/plans',
  'changes/gone',
  'engine/together',
  'postgres/embedded-server',
  'queue/queue',
  'store/on-server',
  'engine/alike',
  'plans/arrivals',
  'engine/faulty',
];
const placeOf = (path) => {
  const place = LONG.findIndex((name) => path.endsWith(`/${name}.spec.ts`));
  return place < 0 ? LONG.length : place;
};

/** Long suites first, so that none of them is left for the end, when all others have nothing more to do. */
export default class LongestFirst extends Sequencer {
  async sort(tests) {
    const sorted = await super.sort(tests);
    return sorted.sort((a, b) => placeOf(a.path) - placeOf(b.path));
  }
}
