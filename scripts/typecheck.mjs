import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { PROJECTS } from './projects.mjs';
import { ensureInstalled, root } from './setup.mjs';

ensureInstalled();
let failed = 0;
for (const project of PROJECTS) {
  const { status } = spawnSync(
    process.execPath,
    [join(root, 'node_modules/typescript-checker/bin/tsc'), '-p', join(root, project), '--noEmit'],
    { cwd: root, stdio: 'inherit' },
  );
  if (status !== 0) {
    process.stderr.write(`Types do not hold in ${project}.\n`);
    failed++;
  }
}
process.exit(failed === 0 ? 0 : 1);
