import { spawn, spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './setup.mjs';

/** Starts the built server; resolves with its address once it listens, or rejects with what it said. */
export function startServer({ data, port = '4170', env = {} }) {
  const child = spawn(process.execPath, ['--single-threaded-gc', join(root, 'packages/server/dist/main.js')], {
    env: {
      ...process.env,
      // Demo data never goes into the store that somebody works with.
      DATABASE_URL: '',
      VERSICLE_DATA: data,
      VERSICLE_PORT: String(port),
      VERSICLE_TEMPLATE: join(root, '.cache/template'),
      ...env,
    },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  return new Promise((resolve, reject) => {
    let said = '';
    child.stdout.on('data', (piece) => {
      said += piece;
      const address = /Versicle is at (\S+)/.exec(said)?.[1];
      if (address) resolve({ child, address });
    });
    let complaint = '';
    child.stderr.on('data', (piece) => {
      complaint += piece;
      process.stderr.write(piece);
    });
    child.on('exit', (code) => reject(Object.assign(new Error(complaint.trim()), { code })));
  });
}

/** The demo world's export folder, written once. */
export function writeFolder(folder, trips) {
  if (existsSync(join(folder, 'repairs.xsd'))) return;
  const result = spawnSync(
    process.execPath,
    [join(root, 'packages/standins/dist/standins.mjs'), folder, ...(trips ? [String(trips)] : [])],
    { stdio: 'inherit' },
  );
  if (result.status !== 0) throw new Error(`The export folder ${folder} could not be written.`);
}

/** The simulated systems, in a process of their own that ends with this one. Gives their ports. Their databases stay in `home`, if any. */
export function startStandins(first = 0, home = null, env = {}) {
  const child = spawn(process.execPath, [join(root, 'packages/standins/dist/standins.mjs'), 'serve', String(first)], {
    stdio: ['pipe', 'pipe', 'inherit'],
    env: {
      ...process.env,
      STANDINS_TEMPLATE: join(root, '.cache/template'),
      ...(home === null ? {} : { STANDINS_HOME: home }),
      ...env,
    },
  });
  return new Promise((resolve, reject) => {
    child.stdout.once('data', (line) => resolve({ child, ports: JSON.parse(line) }));
    child.once('exit', (code) => reject(new Error(`The simulated systems did not start (exit code ${code}).`)));
  });
}

/** What lets a process have the clock of a file. */
export const withClock = (file) => ({
  DEMO_CLOCK: file,
  NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ''} --import=${join(root, 'scripts/clock.mjs')}`.trim(),
});

export const demoEnv = {
  VERSICLE_OWNER: 'Ines Marlowe',
  VERSICLE_WORKSPACE: 'Larkway Cycles',
  VERSICLE_ENVIRONMENT: 'Test',
};
