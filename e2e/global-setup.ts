import { spawnSync, type ChildProcess } from 'node:child_process';
import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { PORTS } from './playwright.config.ts';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');

/**
 * Builds what changed, and starts the application with the demo world (4,000 trips) once for each third of the tests,
 * each on a data directory of its own: the demo is loaded once, and copied while nobody runs on it.
 */
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
  const data = (port: number): string => join(home, `data-${port}`);
  const start = (port: number): Promise<{ child: ChildProcess; address: string }> =>
    startServer({
      data: data(port),
      port: String(port),
      env: { ...demoEnv, VERSICLE_CHECK_ANSWERS: '1', VERSICLE_ROOTS: tmpdir() },
    });
  const first = await start(PORTS.stories);
  await seedDemo(first.address, folder, standins.ports);
  // Nothing starts by itself while tests look at figures, whatever the hour.
  await fetch(`${first.address}/api/plans/tidebridge-each-night/held`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: '{"held":true}',
  });
  await profiled(first.address);
  await end(first.child);
  for (const port of [PORTS.sheets, PORTS.plans]) cpSync(data(PORTS.stories), data(port), { recursive: true });
  const servers = await Promise.all(Object.values(PORTS).map(start));
  return async () => {
    await Promise.all(servers.map((server) => end(server.child)));
    standins.child.removeAllListeners('exit');
    standins.child.stdin.end();
    rmSync(home, { recursive: true, force: true });
  };
}

/** What is being profiled would be given up when the server ends. */
async function profiled(address: string): Promise<void> {
  const system = `${address}/api/systems/tidebridge`;
  const datasets = (await (await fetch(`${system}/datasets`)).json()) as readonly { name: string }[];
  for (const { name } of datasets)
    for (let waits = 0; waits < 300; waits++) {
      const answer = await fetch(`${system}/knowledge?dataset=${encodeURIComponent(name)}`);
      const { state } = (await answer.json()) as { state?: string };
      if (state !== 'running' && (state !== 'none' || name !== 'stations.csv')) break;
      await new Promise((again) => setTimeout(again, 200));
    }
}
async function end(child: ChildProcess): Promise<void> {
  child.removeAllListeners('exit');
  const ended = new Promise((resolve) => child.once('exit', resolve));
  child.kill('SIGTERM');
  await ended;
}
