import type { ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { chromium, type Page } from '@playwright/test';
import { chromiumHere } from '../scripts/chromium.mjs';

/** The sheet of 1,000 lines in 14 columns, in a browser: opening it, a key, a step of the sample, an edit. */

const root = process.env['VERSICLE_ROOT']!;
const LINES = Number(process.env['BENCH_LINES'] ?? 1000);
const { startServer } = (await import(pathToFileURL(join(root, 'scripts/serve.mjs')).href)) as {
  startServer(given: {
    data: string;
    port: string;
    env?: Record<string, string>;
  }): Promise<{ child: ChildProcess; address: string }>;
};
const home = mkdtempSync(join(tmpdir(), 'versicle-sheet-'));
const FIELDS = ['no', 'started', 'miles', 'tariff', 'rating', 'note'];
writeFileSync(
  join(home, 'trips.csv'),
  `${FIELDS.join(';')}\n${Array.from({ length: 400 }, (_, i) => `000${i};0${(i % 9) + 1}.08.2026 10:${10 + (i % 50)};${i},5;${'ABC'[i % 3]};${i % 6};note ${i}`).join('\n')}\n`,
);
const RULES = [
  'trim(t.note)',
  "parse_number(t.miles, ',') * 1.609344",
  "upper(t.tariff) || '-' || t.no",
  "CASE WHEN t.rating = '5' THEN 'best' ELSE t.rating END",
  "parse_timestamp(t.started, 'DD.MM.YYYY HH24:MI')",
  "split_part(t.started, ' ', 2)",
  "regexp_replace(t.no, '^0+', '')",
];
const TYPES = ['text', 'numeric', 'text', 'text', 'timestamp', 'text', 'text'];
const COLUMNS = 'line source value condition how default onFail target result check state failed note lineage'.split(
  ' ',
);

const server = await startServer({ data: join(home, 'data'), port: '0', env: { VERSICLE_ROOTS: home } });
const post = async (path: string, body: unknown): Promise<{ id: string }> =>
  (await (
    await fetch(`${server.address}/api${path}`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify(body),
    })
  ).json()) as { id: string };
const browser = await chromium.launch({
  executablePath: chromiumHere(),
  args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
});
try {
  await post('/systems', { id: 'files', name: 'Files', connection: { kind: 'folder', root: home } });
  const { id } = await post('/mappings', {
    document: {
      versicle: 1,
      name: 'Wide',
      source: { primary: { alias: 't', dataset: 'files/trips.csv' } },
      target: {
        dataset: 'files/out.csv',
        fields: Array.from({ length: LINES }, (_, i) => ({ name: `field_${i}`, type: TYPES[i % 7] })),
      },
      lines: Array.from({ length: LINES }, (_, i) => ({
        id: `l${i}`,
        target: `field_${i}`,
        kind: 'rule',
        rule: RULES[i % 7],
      })),
    },
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.addInitScript(
    (shown) => localStorage.setItem('versicle.sheet.columns', JSON.stringify({ shown, widths: {} })),
    COLUMNS,
  );
  await measure(page, id);
} finally {
  await browser.close();
  server.child.removeAllListeners('exit');
  server.child.kill('SIGTERM');
  rmSync(home, { recursive: true, force: true });
}

async function measure(page: Page, id: string): Promise<void> {
  await page.goto(`${server.address}/mappings`);
  await page.getByRole('heading', { name: 'Mappings' }).waitFor();
  const began = await page.evaluate((to) => {
    const now = performance.now();
    history.pushState({}, '', to);
    dispatchEvent(new PopStateEvent('popstate'));
    return now;
  }, `/mappings/${id}`);
  const since = (): Promise<number> => page.evaluate((t) => performance.now() - t, began);
  await page.getByLabel(/^Line 1, /).waitFor();
  const opened = await since();
  await page.getByRole('gridcell', { name: '000' }).first().waitFor();
  const results = await since();
  await page.waitForTimeout(1500);

  // An empty turn of the browser is the floor: nothing shows sooner than with the next frame.
  const turn = (key: string | null): Promise<number> =>
    page.evaluate(async (k) => {
      const began = performance.now();
      if (k)
        document.querySelector('input.box')!.dispatchEvent(new KeyboardEvent('keydown', { key: k, bubbles: true }));
      await new Promise<void>((done) => requestAnimationFrame(() => setTimeout(done)));
      return performance.now() - began;
    }, key);
  const most = async (times: number, once: () => Promise<number>): Promise<[median: number, longest: number]> => {
    const all: number[] = [];
    for (let i = 0; i < times; i++) all.push(await once());
    all.sort((a, b) => a - b);
    return [all[times >> 1]!, all.at(-1)!];
  };
  const floor = await most(40, () => turn(null));
  const key = await most(60, () => turn('ArrowDown'));
  const step = await most(20, async () => {
    const took = await page.evaluate(async () => {
      const values = (): string => Array.from(document.querySelectorAll('.c-value'), (e) => e.textContent).join('|');
      const before = values();
      const began = performance.now();
      document.querySelector<HTMLElement>('[aria-label="Next sample record"]')!.click();
      while (values() === before && performance.now() - began < 20_000) await new Promise((r) => setTimeout(r, 1));
      return performance.now() - began;
    });
    await page.waitForTimeout(60);
    return took;
  });
  const figures = ([median, longest]: readonly [number, number]): string =>
    `${median.toFixed(0)} ms (at most ${longest.toFixed(0)})`;
  console.log(`sheet of ${LINES.toLocaleString('en-GB')} lines × ${COLUMNS.length} columns`);
  console.log(`  opened: ${opened.toFixed(0)} ms, with results ${results.toFixed(0)} ms (below 1,000)`);
  console.log(`  a key: ${figures(key)}, an empty turn of the browser ${figures(floor)} (below 50)`);
  console.log(`  a step of the sample, all results: ${figures(step)} (below 100)`);
}
