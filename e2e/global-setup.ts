import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { PORT } from './playwright.config.ts';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');

/** Builds what changed, and starts the application with the demo world (4,000 trips) on a data directory of its own. */
export default async function setUp(): Promise<() => Promise<void>> {
  if (spawnSync(process.execPath, [join(root, 'scripts/build.mjs')], { stdio: 'inherit' }).status !== 0)
    throw new Error('The application could not be built.');
  const { startServer, startStandins, writeFolder, demoEnv } = await import('../scripts/serve.mjs');
  const { seedDemo } = await import('../scripts/demo-seed.mjs');
  const home = mkdtempSync(join(tmpdir(), 'versicle-e2e-'));
  const folder = join(home, 'tidebridge');
  process.env['E2E_FOLDER'] = folder;
  writeFolder(folder, 4000);
  const standins = await startStandins();
  process.env['E2E_PORTS'] = JSON.stringify(standins.ports);
  const server = await startServer({
    data: join(home, 'data'),
    port: String(PORT),
    env: { ...demoEnv, VERSICLE_CHECK_ANSWERS: '1', VERSICLE_ROOTS: tmpdir() },
  });
  await seedDemo(server.address, folder, standins.ports);
  return async () => {
    server.child.removeAllListeners('exit');
    const ended = new Promise((resolve) => server.child.once('exit', resolve));
    server.child.kill('SIGTERM');
    await ended;
    standins.child.removeAllListeners('exit');
    standins.child.stdin.end();
    rmSync(home, { recursive: true, force: true });
  };
}
