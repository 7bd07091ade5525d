import { execFileSync } from 'node:child_process';
import { createWriteStream, existsSync, mkdirSync, statSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import { join } from 'node:path';
import { folder } from './data.ts';

/** 1,000,000 × 200,000 rows joined by `apply`, file to file; floor: PostgreSQL (PGlite) alone, the same COPY, join and reading. */
const child = join(process.env['VERSICLE_ROOT']!, '.cache/bench/join-child.mjs');
const LEFT = 1_000_000;
const RIGHT = 200_000;

async function rows(name: string, header: string, count: number, row: (i: number) => string): Promise<string> {
  const path = join(folder, name);
  if (existsSync(path) && statSync(path).size > 0) return path;
  const out = createWriteStream(path);
  out.write(`${header}\n`);
  for (let i = 0; i < count; i++) if (!out.write(`${row(i)}\n`)) await once(out, 'drain');
  out.end();
  await once(out, 'finish');
  return path;
}
function measure(what: string, files: readonly string[]): { seconds: number; megabytes: number } {
  const text = execFileSync(process.execPath, [child, what, ...files], { encoding: 'utf8' });
  return JSON.parse(text.slice(text.lastIndexOf('{'))) as { seconds: number; megabytes: number };
}

mkdirSync(folder, { recursive: true });
const left = await rows('join-left.csv', 'no,name,tariff', LEFT, (i) => `${i},Rider ${i},T${(i * 7919) % RIGHT}`);
const right = await rows('join-right.csv', 'code,label,price', RIGHT, (i) => `T${i},Label ${i},${i}.50`);
const mapping = join(folder, 'join.versicle.json');
writeFileSync(
  mapping,
  JSON.stringify({
    versicle: 1,
    name: 'Join',
    source: {
      primary: { alias: 'm', dataset: 'bench/left.csv' },
      joins: [{ alias: 't', dataset: 'bench/right.csv', kind: 'left', on: 't.code = m.tariff' }],
    },
    target: {
      dataset: 'bench/out',
      key: ['no'],
      fields: ['no', 'label', 'price'].map((name) => ({ name, type: 'text' })),
    },
    lines: [
      { id: 'a', target: 'no', kind: 'straight', source: 'm.no' },
      { id: 'b', target: 'label', kind: 'rule', rule: 'upper(t.label)' },
      { id: 'c', target: 'price', kind: 'straight', source: 't.price' },
    ],
  }),
);
const floor = measure('floor', [left, right]);
const ours = measure('apply', [left, right, mapping, join(folder, 'join-out.csv')]);
console.log(
  `join 1,000,000 × 200,000: ${ours.seconds.toFixed(1)} s; floor ${floor.seconds.toFixed(1)} s; ratio ${(ours.seconds / floor.seconds).toFixed(2)}; largest memory ${ours.megabytes.toFixed(0)} MB (an empty PGlite alone: ${measure('empty', []).megabytes.toFixed(0)} MB)`,
);
