import { apply } from '../packages/cli/src/apply.ts';
import { floor } from './floor.ts';

/** One measured piece in a process of its own: prints seconds and the largest memory in MB. */
const [what, source, out, mapping] = process.argv.slice(2) as [string, string, string, string];
const started = performance.now();
if (what === 'floor') await floor(source, out);
else
  await apply(
    ['--mapping', mapping, '--source', `t=${source}`, '--out', out, '--failed', `${out}.failed`],
    () => undefined,
  );
process.stdout.write(
  JSON.stringify({ seconds: (performance.now() - started) / 1000, megabytes: process.resourceUsage().maxRSS / 1024 }),
);
