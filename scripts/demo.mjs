import { existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { delimiter, join, resolve } from 'node:path';
import { ensureInstalled, fail, root } from './setup.mjs';

/** `npm run demo`: builds what is missing, starts the server in this process, and fills it at the first start. */
ensureInstalled();
const { buildAll } = await import('./build.mjs');
const { demoEnv, startServer, startStandins, withClock, writeFolder } = await import('./serve.mjs');
const { followPorts, notices } = await import('./demo-seed.mjs');
const { liveThrough, QUICK, TRIPS } = await import('./demo-history.mjs');
await buildAll();

const home = resolve(process.env.INIT_CWD ?? root, process.env.VERSICLE_DATA ?? join(root, 'data/demo'));
const folder = join(home, 'tidebridge');
const seeded = join(home, 'seeded');
const clockFile = join(home, 'clock');
const isFirst = !existsSync(seeded);
const begun = join(home, 'seeding');
try {
  mkdirSync(home, { recursive: true });
  // A first start that was cut off begins anew: a week can't be lived through from its middle. Only what it made goes.
  if (isFirst && existsSync(begun))
    for (const part of ['versicle', 'systems', 'tidebridge'])
      rmSync(join(home, part), { recursive: true, force: true });
  if (isFirst) writeFileSync(begun, '');
  writeFolder(folder, TRIPS);
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
// Demo data never goes into the store that somebody works with.
process.env.DATABASE_URL = '';
let standins;
try {
  // The other systems listen right behind us; they end with this process.
  standins = await startStandins(Number(port) + 1, join(home, 'systems'), isFirst ? withClock(clockFile) : {});
} catch (error) {
  fail(`${error.message} They need the nine ports after ${port}; choose another port with VERSICLE_PORT.`);
}
if (isFirst)
  try {
    await firstWeek();
    writeFileSync(seeded, '');
    rmSync(begun);
  } catch (error) {
    fail(`The demo data could not be loaded: ${error.message}`);
  }
// It ends the process with a sentence when it can't start; Ctrl-C is its to handle.
await import(join(root, 'packages/server/dist/main.js'));

const address = `http://${process.env.VERSICLE_HOST ?? '127.0.0.1'}:${port}`;
while (!(await answers())) await new Promise((again) => setTimeout(again, 100));
await followPorts(address, standins.ports).catch((error) => process.stderr.write(`${error.message}\n`));
await notices(address, standins.ports);
process.stdout.write(
  `Ready: open ${address} in a browser (Ctrl-C ends it).\nHow the other systems behave can be set at http://127.0.0.1:${standins.ports.control}.\n`,
);

/** A server of its own lives through the week before, with a clock of its own. */
async function firstWeek() {
  const { child, address } = await startServer({
    data: process.env.VERSICLE_DATA,
    port,
    env: { ...withClock(clockFile), ...QUICK },
  });
  child.removeAllListeners('exit');
  const ended = new Promise((resolve) => child.once('exit', resolve));
  // It does not outlive this process.
  const giveUp = () => {
    child.kill('SIGTERM');
    void ended.then(() => process.exit(1));
  };
  for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, giveUp);
  try {
    const world = { address, folder, ports: standins.ports, clockFile };
    await liveThrough(world, (text) => process.stdout.write(`${text}\n`));
  } finally {
    for (const signal of ['SIGINT', 'SIGTERM']) process.off(signal, giveUp);
    child.kill('SIGTERM');
    await ended;
  }
}

async function answers() {
  try {
    return (await fetch(`${address}/api/health`)).ok;
  } catch {
    return false;
  }
}
