import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder } from './data.ts';
import { benchServer } from './server.ts';

/** How long other people's requests wait while somebody looks at a file of very many columns, against a server that does nothing. */

const COLUMNS = Number(process.env['BENCH_COLUMNS'] ?? 20_000);
const ROWS = Number(process.env['BENCH_RECORDS'] ?? 2_000);
const home = mkdtempSync(join(folder, 'looks-'));
const cells = (of: (at: number) => string): string => Array.from({ length: COLUMNS }, (_, at) => of(at)).join(',');
const rows = Array.from({ length: ROWS }, (_, row) => cells((at) => String((row * 31 + at) % 997)));
writeFileSync(join(home, 'wide.csv'), `${[cells((at) => `column_${at}`), ...rows].join('\n')}\n`);

const { address, call, stop } = await benchServer(join(home, 'data'));
await call('POST', '/systems', { id: 'wide', name: 'Wide', connection: { kind: 'folder', root: home } });
const waits: number[] = [];
let isOver = false;
const asking = (async () => {
  while (!isOver) {
    const at = performance.now();
    await (await fetch(`${address}/api/health`)).text();
    waits.push(performance.now() - at);
    await new Promise((r) => setTimeout(r, 10));
  }
})();
const at = '?dataset=wide.csv';
await told('nothing', () => new Promise((r) => setTimeout(r, 2000)));
for (const time of ['first', 'second']) {
  await told(`structure, ${time} look`, () => text(`/systems/wide/dataset${at}`));
  await told(`rows, ${time} look`, () => text(`/systems/wide/rows${at}&limit=100`));
}
await told('profile, until it is kept', async () => {
  await call('POST', '/systems/wide/profile', { dataset: 'wide.csv' });
  for (;;) {
    const found = await text(`/systems/wide/knowledge${at}`);
    if (!found.includes('"state":"running"')) return found;
    await new Promise((r) => setTimeout(r, 500));
  }
});
await told('profile, shown again', () => text(`/systems/wide/knowledge${at}`));
isOver = true;
await asking;
await stop();
rmSync(home, { recursive: true, force: true });

async function text(path: string): Promise<string> {
  const answer = await fetch(`${address}/api${path}`);
  if (!answer.ok) throw new Error(`${path} gave ${answer.status}: ${await answer.text()}`);
  return answer.text();
}
async function told(what: string, look: () => Promise<unknown>): Promise<void> {
  waits.length = 0;
  const from = performance.now();
  const answer = await look();
  const seconds = (performance.now() - from) / 1000;
  // What the answer itself held up shows in the request behind it.
  await new Promise((r) => setTimeout(r, 100));
  const size = typeof answer === 'string' ? `, ${(answer.length / 1e6).toFixed(1)} MB` : '';
  const sorted = [...waits].sort((a, b) => a - b);
  const ms = (share: number): string => `${sorted[Math.floor((sorted.length - 1) * share)]!.toFixed(0)} ms`;
  console.log(
    `${what}: ${seconds.toFixed(1)} s${size}; meanwhile ${sorted.length} small requests waited ${ms(0.5)} in the median, ${ms(1)} at the longest (100 ms asked)`,
  );
}
