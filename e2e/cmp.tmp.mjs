import { chromium } from '@playwright/test';
import { readFileSync, existsSync } from 'node:fs';
const VIEWS = [...readFileSync('tests/views.spec.ts','utf8').matchAll(/^  \['([^']+)', '([^']+)', /gm)].map((m) => [m[1], m[2]]);
const base = 'http://127.0.0.1:4399';
const b = await chromium.launch({ executablePath: '/usr/bin/chromium-headless-shell', args: ['--no-sandbox'] });
const types = { js: 'text/javascript', css: 'text/css', html: 'text/html', json: 'application/json', woff2: 'font/woff2', svg: 'image/svg+xml', md: 'text/markdown', png: 'image/png' };
async function open(dir) {
  const c = await b.newContext({ viewport: { width: 1280, height: 800 }, locale: 'en-GB' });
  await c.route((u) => !u.pathname.startsWith('/api/'), async (route) => {
    const u = new URL(route.request().url()); let f = dir + u.pathname;
    if (!/\.\w+$/.test(u.pathname) || !existsSync(f)) f = dir + '/index.html';
    await route.fulfill({ body: readFileSync(f), contentType: types[f.split('.').pop()] ?? 'application/octet-stream' });
  });
  return c.newPage();
}
const before = await open('/tmp/dist-before/browser'), after = await open('/work/main/packages/web/dist/browser');
const only = process.argv[2];
for (const [name, path] of VIEWS) {
  if (only && name !== only) continue;
  const texts = [];
  for (const p of [before, after]) {
    await p.goto(base + path); 
    let last = '', same = 0;
    for (let i = 0; i < 60 && same < 4; i++) { await p.waitForTimeout(250); const t = await p.evaluate(() => { for (const d of document.querySelectorAll('details')) d.open = true; return document.body.innerText; }); if (t === last && t.length > 200) same++; else same = 0; last = t; }
    texts.push((await p.evaluate(() => { const out=[]; const w = document.createTreeWalker(document.body, NodeFilter.SHOW_ELEMENT); return document.body.innerText; })).split('\n'));
  }
  const [x, y] = texts; const d = [];
  const setx = new Map(); for (const l of x) setx.set(l, (setx.get(l) ?? 0) + 1);
  const sety = new Map(); for (const l of y) sety.set(l, (sety.get(l) ?? 0) + 1);
  for (const [l, n] of setx) if ((sety.get(l) ?? 0) < n) d.push('- ' + JSON.stringify(l));
  for (const [l, n] of sety) if ((setx.get(l) ?? 0) < n) d.push('+ ' + JSON.stringify(l));
  console.log(`## ${name} ${x.length} ${y.length}`); for (const l of d.slice(0, 14)) console.log('   ', l.slice(0, 200));
}
await b.close();
