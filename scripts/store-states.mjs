import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { bundleTesting } from './bundle.mjs';
import { ensureInstalled, root } from './setup.mjs';

/** `npm run store-states -- data/demo/versicle/store`: dumps of what a store looks like after each change, for the tests of the next ones. */
ensureInstalled();
const testing = 'packages/store/src/testing';
await bundleTesting(`${testing}/write-states.ts`, '.cache/store-states.mjs', testing);
const program = [join(root, '.cache/store-states.mjs'), ...process.argv.slice(2)];
process.exit(spawnSync(process.execPath, program, { stdio: 'inherit' }).status ?? 1);
