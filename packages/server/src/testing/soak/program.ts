import { parseArgs } from 'node:util';
import { soak } from './soak.ts';

/** `npm run soak -- --kills 500 --seed 7`: prints each load, and what it all came to; ends with 1 where anything was wrong. */
const { values } = parseArgs({
  options: {
    kills: { type: 'string', default: '500' },
    seed: { type: 'string', default: String(Date.now() % 1_000_000) },
  },
});
const [kills, seed] = [Number(values.kills), Number(values.seed)];
if (!Number.isInteger(kills) || kills < 1 || !Number.isInteger(seed))
  throw new Error('Kills and seed are whole numbers.');
const interrupted = new AbortController();
process.once('SIGINT', () => interrupted.abort()).once('SIGTERM', () => interrupted.abort());
const began = performance.now();
process.stdout.write(`soak of ${kills} kills, seed ${seed}\n`);
const { by, wrong, ...tally } = await soak({
  kills,
  seed,
  say: (line) => process.stdout.write(`${line}\n`),
  signal: interrupted.signal,
});
process.stdout.write(
  `\n${tally.kills} kills (${Object.entries(by)
    .map(([name, n]) => `${name} ${n}`)
    .join(
      ', ',
    )})\n${tally.loads} loads, ${tally.records} records, figures looked at ${tally.samples} times, ${Math.round((performance.now() - began) / 1000)} s\n${tally.lost} lost, ${tally.doubled} doubled, ${tally.lies} loads whose figures were not true\n`,
);
for (const one of wrong) process.stdout.write(`- ${one}\n`);
process.exit(tally.lost + tally.doubled + tally.lies === 0 ? 0 : 1);
