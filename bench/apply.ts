import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { document, folder, tripsFile } from './data.ts';

/** (a) and (c): file → file with `apply`, against hand-written rules around the same scanner; rows a second at three sizes. */

const child = join(process.env['VERSICLE_ROOT']!, '.cache/bench/apply-child.mjs');
const mapping = join(folder, 'bench.versicle.json');

/** `threads`: how many share in mapping. */
function measure(what: string, source: string, threads = 1): { seconds: number; megabytes: number } {
  const out = join(folder, `out-${what}.csv`);
  return JSON.parse(
    execFileSync(process.execPath, ['--max-semi-space-size=32', child, what, source, out, mapping], {
      encoding: 'utf8',
      env: { ...process.env, VERSICLE_MAPPING_THREADS: String(threads) },
    }),
  ) as {
    seconds: number;
    megabytes: number;
  };
}
const median = (list: number[]): number => [...list].sort((a, b) => a - b)[list.length >> 1]!;

const million = await tripsFile(1_000_000);
writeFileSync(mapping, JSON.stringify(document('bench/trips.csv', 'bench/trip')));
const ours: { seconds: number; megabytes: number }[] = [];
const two: number[] = [];
const floors: number[] = [];
for (let i = 0; i < 3; i++) {
  floors.push(measure('floor', million).seconds);
  ours.push(measure('apply', million));
  two.push(measure('apply', million, 2).seconds);
}
const seconds = median(ours.map((o) => o.seconds));
const floor = median(floors);
console.log(
  `(a) apply 1,000,000 rows × 12 rules: ${seconds.toFixed(2)} s; floor ${floor.toFixed(2)} s; ratio ${(seconds / floor).toFixed(2)} (at most 0.9)`,
);
console.log(
  `    with two mapping threads: ${median(two).toFixed(2)} s; ratio ${(median(two) / floor).toFixed(2)} (at most 0.6)`,
);
console.log(`    largest memory ${Math.max(...ours.map((o) => o.megabytes)).toFixed(0)} MB (below 400)`);
console.log('(c) rows a second at');
for (const rows of [10_000, 100_000, 1_000_000]) {
  const file = await tripsFile(rows);
  const best = Math.min(...[1, 2, 3].map(() => measure('apply', file).seconds));
  console.log(
    `    ${rows.toLocaleString('en-GB').padStart(9)} rows: ${Math.round(rows / best).toLocaleString('en-GB')}`,
  );
}
