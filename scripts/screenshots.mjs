import { mkdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromiumHere } from './chromium.mjs';
import { ensureInstalled, root } from './setup.mjs';

/** `npm run screenshots`: one picture of each main view at 1280×800, from fresh demo data, into docs/screenshots. */
ensureInstalled();
const { buildAll } = await import('./build.mjs');
const { demoEnv, startServer, startStandins, withClock, writeFolder } = await import('./serve.mjs');
const { liveThrough, QUICK, TRIPS } = await import('./demo-history.mjs');
const { chromium } = await import('@playwright/test');
await buildAll();

// A place that reads well on the pictures.
const home = join(tmpdir(), 'larkway');
rmSync(home, { recursive: true, force: true });
mkdirSync(home);
const folder = join(home, 'tidebridge');
writeFolder(folder, TRIPS);
const clockFile = join(home, 'clock');
const server = await startServer({
  data: join(home, 'data'),
  port: '4187',
  env: { ...demoEnv, ...withClock(clockFile), ...QUICK, VERSICLE_ROOTS: home },
});
const standins = await startStandins(4191, null, withClock(clockFile));
await liveThrough({ address: server.address, folder, ports: standins.ports, clockFile });
const night = (await (await fetch(`${server.address}/api/runs?plan=tidebridge-each-night&limit=1`)).json())[0].id;
const failure = (
  await (await fetch(`${server.address}/api/failures?mapping=trips-to-warehouse&cause=rule_error`)).json()
)[0].id;

const trial = `${server.address}/api/mappings/trips-to-warehouse/trial`;
await fetch(trial, {
  method: 'POST',
  headers: { 'Content-Type': 'application/json' },
  body: JSON.stringify({ rowLimit: null }),
});
while ((await (await fetch(trial)).json()).state === 'running') await new Promise((r) => setTimeout(r, 200));

// Members wait until the service may be sent to.
const ask = async (method, path, body) =>
  (
    await fetch(`${server.address}/api${path}`, {
      method,
      headers: { 'Content-Type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    })
  ).json();
const clock = (hours) => new Date(Date.now() + hours * 3_600_000).toISOString().slice(11, 13) + ':00';
const { name, connection } = await ask('GET', '/systems/membership');
const windows = `${clock(4)}–${clock(9)} UTC`;
await ask('PUT', '/systems/membership', { name, connection: { ...connection, windows, pace: '100 a minute' } });
const members = await ask('POST', '/plans', { name: 'Members, each day', mapping: 'members-to-membership-service' });
const { run: waiting } = await ask('POST', `/plans/${members.id}/start`, {});
while ((await ask('GET', `/runs/${waiting}`)).counts.waiting < 5000) await new Promise((r) => setTimeout(r, 200));
const first = (await ask('GET', '/systems/membership/waiting/records?limit=12')).records.map((r) => r.id);
await ask('POST', '/systems/membership/waiting', { act: 'hold', which: { ids: [first[1], first[4]] } });
await ask('POST', '/systems/membership/waiting', { act: 'first', which: { ids: [first[6]] } });

const VIEWS = [
  ['today', '/today'],
  ['systems', '/systems'],
  ['system', '/systems/tidebridge'],
  ['dataset', '/systems/tidebridge/dataset?name=trips-*.csv'],
  ['dataset-values', '/systems/tidebridge/dataset?name=members.txt&tab=values'],
  ['dataset-format', '/systems/tidebridge/dataset?name=members.txt&tab=format'],
  ['mappings', '/mappings'],
  ['sheet', '/mappings/trips-to-warehouse'],
  ['sheet-line', `/mappings/trips-to-warehouse?line=l11&record=${failure}`],
  ['sheet-document', '/mappings/trips-to-warehouse?view=document'],
  ['sheet-source-set', '/mappings/trips-by-station-and-month?view=source'],
  ['code-table', '/codes/tariff'],
  ['sheet-trial', '/mappings/trips-to-warehouse?view=trial'],
  ['plans', '/plans?start=trips-by-the-month'],
  ['plan', '/plans/tidebridge-each-night'],
  ['run', `/runs/${night}`],
  ['waiting', '/systems/membership/waiting'],
  ['failed-records', '/failures'],
  ['lines', '/mappings/all/lines'],
];
const browser = await chromium.launch({
  executablePath: chromiumHere(),
  args: ['--headless', '--no-sandbox', '--disable-gpu', '--no-first-run', '--disable-background-networking'],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, locale: 'en-GB' });
mkdirSync(join(root, 'docs/screenshots'), { recursive: true });
for (const [name, path] of VIEWS) {
  await page.goto(server.address + path, { waitUntil: 'load' });
  // The event stream keeps the network busy for ever; what is shown settles well within this.
  await page.waitForTimeout(name === 'sheet-source-set' ? 8000 : 1500);
  // On a slow day a page takes longer to have what it shows.
  await page
    .getByText(/^(Loading|Looking what is there) …$/)
    .first()
    .waitFor({ state: 'hidden', timeout: 60_000 });
  if (name === 'plan') await page.locator('.gap[data-path="steps[1].when"]').click();
  if (name === 'plan') await page.waitForTimeout(500);
  await page.screenshot({ path: join(root, `docs/screenshots/${name}.png`) });
}
await browser.close();
standins.child.removeAllListeners('exit');
standins.child.stdin.end();
server.child.removeAllListeners('exit');
const ended = new Promise((resolve) => server.child.once('exit', resolve));
server.child.kill('SIGTERM');
await ended;
rmSync(home, { recursive: true, force: true });
