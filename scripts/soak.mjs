import { spawnSync } from 'node:child_process';
import { cpSync } from 'node:fs';
import { join } from 'node:path';
import { buildServer } from './build.mjs';
import { bundleTesting } from './bundle.mjs';
import { ensureInstalled, root } from './setup.mjs';

/** `npm run soak -- --kills 500 --seed 7`: loads of every kind, killed at random instants; docs/reliability.md has the record. */
ensureInstalled();
await buildServer();
const testing = 'packages/server/src/testing';
await bundleTesting(`${testing}/soak/program.ts`, '.cache/soak.mjs', testing);
// Whatever is built meanwhile, the servers stay the same.
cpSync(join(root, 'packages/server/dist'), join(root, '.cache/soak-server'), { recursive: true });
const env = { ...process.env, VERSICLE_PROGRAM: join(root, '.cache/soak-server/main.js') };
const program = [join(root, '.cache/soak.mjs'), ...process.argv.slice(2)];
process.exit(spawnSync(process.execPath, program, { stdio: 'inherit', env }).status ?? 1);
