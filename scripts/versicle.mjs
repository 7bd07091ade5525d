import { join } from 'node:path';
import { bundle, sourcesOf, whenChanged } from './bundle.mjs';
import { ensureInstalled, root } from './setup.mjs';

ensureInstalled();
const program = join(root, 'packages/cli/dist/versicle.mjs');
await whenChanged(
  'cli',
  sourcesOf(
    'packages/core/src',
    'packages/contract/src',
    'packages/files/src',
    'packages/postgres/src',
    'packages/source-sets/src',
    'packages/store/src',
    'packages/cli/src',
  ),
  program,
  async () => {
    for (const [entry, outfile] of [
      ['apply-share-worker.ts', 'apply-share-worker.mjs'],
      ['bin.ts', 'versicle.mjs'],
    ])
      await bundle({ entry: `packages/cli/src/${entry}`, outfile: `packages/cli/dist/${outfile}` });
  },
);
// npm runs scripts in the project's folder; paths are meant from where the person stands.
process.chdir(process.env.INIT_CWD ?? process.cwd());
await import(program);
