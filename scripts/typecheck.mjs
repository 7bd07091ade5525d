import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { ensureInstalled, root } from './setup.mjs';

ensureInstalled();
const projects = [
  'packages/core/tsconfig.json',
  'packages/core/tsconfig.spec.json',
  'packages/contract/tsconfig.json',
  'packages/server/tsconfig.json',
  'packages/files/tsconfig.json',
  'packages/postgres/tsconfig.json',
  'packages/source-sets/tsconfig.json',
  'packages/cli/tsconfig.json',
  'packages/standins/tsconfig.json',
  'packages/web/tsconfig.json',
  'e2e/tsconfig.json',
  'bench/tsconfig.json',
];
let failed = 0;
for (const project of projects) {
  const { status } = spawnSync(
    process.execPath,
    [join(root, 'node_modules/typescript/bin/tsc'), '-p', join(root, project), '--noEmit'],
    { cwd: root, stdio: 'inherit' },
  );
  if (status !== 0) {
    process.stderr.write(`Types do not hold in ${project}.\n`);
    failed++;
  }
}
process.exit(failed === 0 ? 0 : 1);
