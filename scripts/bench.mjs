import { cpSync } from 'node:fs';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { ensureInstalled, fail, root } from './setup.mjs';

/** `npm run bench -- apply|run|send|readers|compile|sheet|join|find|open|plans|changes|gone|store|looks`: prints figures against a floor taken in the same run. */
ensureInstalled();
const { build } = await import('esbuild');
const { buildAll, buildServer, buildWeb } = await import('./build.mjs');
const ALL = [
  'apply',
  'run',
  'send',
  'readers',
  'compile',
  'sheet',
  'join',
  'find',
  'open',
  'plans',
  'changes',
  'gone',
  'store',
  'looks',
];
const names = process.argv.slice(2).length > 0 ? process.argv.slice(2) : ALL;
const out = join(root, '.cache/bench');
await buildServer();
if (names.includes('sheet')) await buildWeb();
if (names.includes('open')) await buildAll();
// The profile runs in two threads, one of them of the server's making.
for (const name of ['profile-part-worker.js', 'profile-part-worker.cjs', 'compiled.js'])
  cpSync(join(root, 'packages/server/dist', name), join(out, name));
for (const name of names) {
  if (!ALL.includes(name)) fail(`There is no benchmark “${name}”; there are ${ALL.join(', ')}.`);
  const programs = name === 'apply' || name === 'join' ? [name, `${name}-child`] : [name];
  const entries = programs.map((program) => [`bench/${program}.ts`, program]);
  if (name === 'apply') entries.push(['packages/cli/src/apply-share-worker.ts', 'apply-share-worker']);
  for (const [entry, program] of entries)
    await build({
      entryPoints: [join(root, entry)],
      outfile: join(out, `${program}.mjs`),
      bundle: true,
      platform: 'node',
      target: 'node20',
      format: 'esm',
      logLevel: 'error',
      external: [
        '@electric-sql/pglite',
        'pg',
        'pg-copy-streams',
        'pg-cursor',
        'exceljs',
        'csv-parse',
        'libpg-query',
        '@playwright/test',
      ],
      banner: { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" },
    });
  const result = spawnSync(process.execPath, [join(out, `${name}.mjs`)], {
    stdio: 'inherit',
    env: { ...process.env, VERSICLE_ROOT: root },
  });
  if (result.status !== 0) process.exit(result.status ?? 1);
}
