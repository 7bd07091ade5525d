import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { chromium, type Page } from '@playwright/test';
import { chromiumHere } from '../scripts/chromium.mjs';

/**
 * How long pages take to open on a slow laptop (a quarter of this processor, 10 Mbit/s, 20 ms), from the click until what they
 * are about can be read; floor: an answer of the same server that is no page, in the same browser.
 */
const root = process.env['VERSICLE_ROOT']!;
const script = (name: string): Promise<Record<string, CallableFunction & { [key: string]: string }>> =>
  import(pathToFileURL(join(root, 'scripts', name)).href);
const { startServer, startStandins, writeFolder, demoEnv } = await script('serve.mjs');
const { seedDemo } = await script('demo-seed.mjs');

const PAGES: readonly [name: string, path: string, sees: string][] = [
  ['Systems', '/systems', 'Tidebridge export'],
  ['Mappings', '/mappings', 'of 16 agreed'],
  ['Plans', '/plans', 'Trips, by the month'],
  ['Runs', '/runs', 'Trips, by the month'],
  ['Failed records', '/failures', 'As mapped'],
  ['Code tables', '/codes', 'tariff'],
  ['Help', '/help', 'Five minutes with the demo'],
];
const TIMES = 5;

const home = mkdtempSync(join(tmpdir(), 'versicle-open-'));
const folder = join(home, 'tidebridge');
writeFolder!(folder, 4000);
const standins = await startStandins!();
const server = await startServer!({
  data: join(home, 'data'),
  port: '4188',
  env: { ...demoEnv, VERSICLE_ROOTS: home },
});
await seedDemo!(server.address, folder, standins.ports);
const browser = await chromium.launch({
  executablePath: chromiumHere(),
  args: ['--no-sandbox', '--disable-gpu'],
});

async function slowPage(): Promise<Page> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  const cdp = await context.newCDPSession(page);
  await cdp.send('Network.enable');
  await cdp.send('Network.emulateNetworkConditions', {
    offline: false,
    latency: 20,
    downloadThroughput: 10_000_000 / 8,
    uploadThroughput: 5_000_000 / 8,
  });
  await cdp.send('Emulation.setCPUThrottlingRate', { rate: 4 });
  return page;
}
/** Milliseconds from the beginning of the navigation until a text can be read. */
async function opened(path: string, sees: string): Promise<number> {
  const page = await slowPage();
  await page.addInitScript((text) => {
    const look = (): void => {
      if (document.body?.textContent?.includes(text)) (window as unknown as { seen: number }).seen = performance.now();
      else requestAnimationFrame(look);
    };
    requestAnimationFrame(look);
  }, sees);
  await page.goto(`${server.address}${path}`);
  await page.waitForFunction(() => 'seen' in window);
  const seen = await page.evaluate(() => (window as unknown as { seen: number }).seen);
  await page.context().close();
  return seen;
}
/** The same from a click on a link of the contents, within the application. */
async function followed(page: Page, path: string, sees: string): Promise<number> {
  return page.evaluate(
    ([to, text]) =>
      new Promise<number>((done) => {
        const main = document.querySelector('main')!;
        const began = performance.now();
        document.querySelector<HTMLElement>(`nav a[href="${to}"]`)!.click();
        const look = (): void => {
          if (location.pathname.startsWith(to!) && main.textContent.includes(text!)) done(performance.now() - began);
          else requestAnimationFrame(look);
        };
        requestAnimationFrame(look);
      }),
    [path, sees],
  );
}
const median = (all: readonly number[]): number => [...all].sort((a, b) => a - b)[all.length >> 1]!;
async function several(work: () => Promise<number>): Promise<number[]> {
  const all: number[] = [];
  for (let i = 0; i < TIMES; i++) all.push(await work());
  return all;
}

/** How fast this machine is, by a loop that a good laptop has done in some 100 ms. */
function loopMillis(): number {
  const began = performance.now();
  let sum = 0;
  for (let i = 0; i < 1e8; i++) sum += i;
  return sum > 0 ? performance.now() - began : 0;
}

console.log(`a loop of 100,000,000 additions: ${loopMillis().toFixed(0)} ms (some 100 ms on a good laptop)`);
const floor = median(await several(() => opened('/api/health', 'ok')));
const today = await several(() => opened('/today', 'failed in Trips to warehouse'));
console.log(`floor, an answer that is no page: ${floor.toFixed(0)} ms`);
console.log(
  `Today, opened for the first time: ${median(today).toFixed(0)} ms (at most ${Math.max(...today).toFixed(0)}), ${(median(today) / floor).toFixed(1)} × the floor`,
);
for (const [name, path, sees] of PAGES) {
  const firsts: number[] = [];
  const agains: number[] = [];
  for (let i = 0; i < TIMES; i++) {
    const page = await slowPage();
    await page.goto(`${server.address}/today`);
    await page.getByText('failed in Trips to warehouse').first().waitFor();
    firsts.push(await followed(page, path, sees));
    await followed(page, '/today', 'failed in Trips to warehouse');
    agains.push(await followed(page, path, sees));
    await page.context().close();
  }
  console.log(`${name}: ${median(firsts).toFixed(0)} ms for the first time, ${median(agains).toFixed(0)} ms again`);
}

await browser.close();
server.child.removeAllListeners('exit');
server.child.kill('SIGTERM');
standins.child.removeAllListeners('exit');
standins.child.stdin.end();
rmSync(home, { recursive: true, force: true });
process.exit(0);
