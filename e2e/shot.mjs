import { chromium } from '@playwright/test';
const [base, ...views] = process.argv.slice(2);
const b = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--headless', '--no-sandbox', '--disable-gpu', '--no-first-run', '--disable-background-networking'],
});
const p = await b.newPage({ viewport: { width: 1280, height: 800 } });
for (const v of views) {
  const [n, path] = v.split('|');
  await p.goto(base + path);
  await p.waitForTimeout(1800);
  await p.screenshot({ path: `/tmp/shots/${n}.png` });
}
await b.close();
