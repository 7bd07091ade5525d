import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { delimiter, join, resolve } from 'node:path';
import { ensureInstalled, fail, root } from './setup.mjs';

/** `npm run demo`: builds what is missing, starts the server in this process, and fills it at the first start. */
ensureInstalled();
const { buildAll } = await import('./build.mjs');
const { demoEnv, startStandins, writeFolder } = await import('./serve.mjs');
const { followPorts, seedDemo } = await import('./demo-seed.mjs');
await buildAll();

const home = resolve(process.env.INIT_CWD ?? root, process.env.VERSICLE_DATA ?? join(root, 'data/demo'));
const folder = join(home, 'tidebridge');
const seeded = join(home, 'seeded');
try {
  mkdirSync(home, { recursive: true });
  writeFolder(folder);
} catch (error) {
  fail(
    `The demo keeps its data in ${home}, which can’t be used: ${error.message}. Choose another directory with VERSICLE_DATA.`,
  );
}

const port = process.env.VERSICLE_PORT ?? '4170';
const roots = [home, ...(process.env.VERSICLE_ROOTS ? [process.env.VERSICLE_ROOTS] : [])].join(delimiter);
process.env.VERSICLE_ROOTS = roots;
const settings = { ...demoEnv, VERSICLE_PORT: port, VERSICLE_TEMPLATE: join(root, '.cache/template') };
for (const [name, value] of Object.entries(settings)) process.env[name] ??= value;
process.env.VERSICLE_DATA = join(home, 'versicle');
let standins;
try {
  // The other systems listen right behind us; they end with this process.
  standins = await startStandins(Number(port) + 1, join(home, 'systems'));
} catch (error) {
  fail(`${error.message} They need the nine ports after ${port}; choose another port with VERSICLE_PORT.`);
}
// It ends the process with a sentence when it can't start; Ctrl-C is its to handle.
await import(join(root, 'packages/server/dist/main.js'));

const address = `http://${process.env.VERSICLE_HOST ?? '127.0.0.1'}:${port}`;
while (!(await answers())) await new Promise((again) => setTimeout(again, 100));
if (existsSync(seeded))
  await followPorts(address, standins.ports).catch((error) => process.stderr.write(`${error.message}\n`));
else {
  try {
    await seedDemo(address, folder, standins.ports, (text) => process.stdout.write(`${text}\n`));
    writeFileSync(seeded, '');
  } catch (error) {
    process.stderr.write(`The demo data could not be loaded: ${error.message}\n`);
    process.kill(process.pid, 'SIGTERM');
  }
}
process.stdout.write(
  `Ready: open ${address} in a browser (Ctrl-C ends it).\nHow the other systems behave can be set at http://127.0.0.1:${standins.ports.control}.\n`,
);

async function answers() {
  try {
    return (await fetch(`${address}/api/health`)).ok;
  } catch {
    return false;
  }
}
