import { hash } from 'node:crypto';
import { createReadStream, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { readerFor, readRows, sniffFormat, Unreadable } from '../packages/core/src/index.ts';
import { document, folder, tripsFile } from './data.ts';
import { benchServer } from './server.ts';

/** A run that reads all records and sends the one per cent that changed, against reading and hashing every record. */

const ROWS = Number(process.env['BENCH_ROWS'] ?? 1_000_000);
const file = await tripsFile(ROWS);
const home = mkdtempSync(join(folder, 'changes-'));
const name = 'trips.csv';
const path = join(home, name);
const lines = readFileSync(file, 'utf8').split('\n');
writeFileSync(path, lines.join('\n'));

const { call, stop, pid } = await benchServer(join(home, 'data'));
await call('POST', '/systems', { id: 'bench', name: 'Bench', connection: { kind: 'folder', root: home } });
await call('POST', '/systems', { id: 'store', name: 'Store', connection: { kind: 'embedded', name: 'store' } });
const upsert = { ...document(`bench/${name}`, 'store/trip'), write: { mode: 'upsert', existing: 'overwrite' } };
const { id } = await call('POST', '/mappings', { document: upsert });
await call('POST', `/mappings/${id}/publish`, {});
const steps = [{ id: 'load', kind: 'mapping', mapping: id, changes: 'compare' }];
const plan = await call('POST', '/plans', { document: { versicle: 1, kind: 'plan', name: 'Changes', steps } });

interface Counts {
  readonly read: number;
  readonly unchanged: number;
  readonly delivered: number;
  readonly failed: number;
}
async function run(): Promise<Counts & { seconds: number }> {
  const { run: number } = await call('POST', `/plans/${plan['id']}/start`, {});
  for (;;) {
    await new Promise((again) => setTimeout(again, 300));
    const detail = (await call('GET', `/runs/${number}`)) as unknown as {
      state: string;
      startedAt: string;
      finishedAt: string | null;
      error: string | null;
      counts: Counts;
    };
    if (detail.finishedAt === null) continue;
    if (detail.state !== 'finished') throw new Error(`${detail.state}: ${detail.error}`);
    return { ...detail.counts, seconds: (Date.parse(detail.finishedAt) - Date.parse(detail.startedAt)) / 1000 };
  }
}
const highest = (): number => Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024;

/** Nothing but our reader and a hash of each record. */
async function readAndHash(): Promise<number> {
  const { format } = sniffFormat(readFileSync(path).subarray(0, 65_536), path);
  const began = performance.now();
  const chunks = createReadStream(path, { highWaterMark: 256 * 1024 }) as AsyncIterable<Uint8Array>;
  let all = 0;
  for await (const batch of readRows(chunks, readerFor(format, null)))
    for (const row of batch.rows) if (!(row instanceof Unreadable)) all += hash('sha256', row.join('\n'), 'buffer')[0]!;
  if (all === 0) throw new Error('Nothing was hashed.');
  return (performance.now() - began) / 1000;
}

const first = await run();
const same = await run();
// Miles, the eighth field, are another's: a hundredth of the records.
const changed = lines.map((line, i) => {
  if (i === 0 || i % 100 !== 0 || line === '') return line;
  const cells = line.split(';');
  return cells.length > 7 ? cells.with(7, '1,25').join(';') : line;
});
writeFileSync(path, changed.join('\n'));
const some = await run();
const floor = await readAndHash();
const n = (count: number): string => count.toLocaleString('en-GB');
console.log(`${n(ROWS)} records, all of them sent: ${first.seconds.toFixed(1)} s (${n(first.delivered)} delivered)`);
console.log(
  `nothing changed: ${same.seconds.toFixed(1)} s (${n(same.unchanged)} unchanged, ${n(same.delivered)} delivered); reading and hashing ${floor.toFixed(1)} s; ratio ${(same.seconds / floor).toFixed(2)}`,
);
console.log(
  `a hundredth changed: ${some.seconds.toFixed(1)} s (${n(some.unchanged)} unchanged, ${n(some.delivered)} delivered); ratio ${(some.seconds / floor).toFixed(2)} (at most 1.3)`,
);
console.log(`memory of the server at its highest: ${highest().toFixed(0)} MB`);
await stop();
rmSync(home, { recursive: true, force: true });
