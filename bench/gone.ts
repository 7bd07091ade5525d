import { readFileSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { document, folder, TARGET, tripsFile } from './data.ts';
import { benchServer } from './server.ts';

/**
 * A table of 1,000,000 records of which a hundredth changed and a thousandth went: found by comparing all of them, and by what
 * the database wrote down itself. The floor is a run that finds nothing changed, since it too reads every record.
 */

const ROWS = Number(process.env['BENCH_ROWS'] ?? 1_000_000);
const file = await tripsFile(ROWS);
const home = mkdtempSync(join(folder, 'gone-'));
const { call, stop, pid } = await benchServer(join(home, 'data'));
await call('POST', '/systems', { id: 'bench', name: 'Bench', connection: { kind: 'folder', root: folder } });
for (const id of ['source', 'copy'])
  await call('POST', '/systems', { id, name: id, connection: { kind: 'embedded', name: id } });

interface Detail {
  readonly state: string;
  readonly startedAt: string;
  readonly finishedAt: string | null;
  readonly error: string | null;
  readonly counts: Record<'read' | 'unchanged' | 'delivered' | 'failed', number>;
}
async function plan(name: string, steps: readonly object[]): Promise<() => Promise<Detail & { seconds: number }>> {
  const { id } = await call('POST', '/plans', { document: { versicle: 1, kind: 'plan', name, steps } });
  return async () => {
    const { run } = await call('POST', `/plans/${id}/start`, {});
    for (;;) {
      await new Promise((again) => setTimeout(again, 200));
      const detail = (await call('GET', `/runs/${run}`)) as unknown as Detail;
      if (detail.finishedAt === null) continue;
      if (detail.state !== 'finished') throw new Error(`${name} ${detail.state}: ${detail.error}`);
      return { ...detail, seconds: (Date.parse(detail.finishedAt) - Date.parse(detail.startedAt)) / 1000 };
    }
  };
}
async function mapping(of: object): Promise<string> {
  const id: string = (await call('POST', '/mappings', { document: of }))['id']!;
  await call('POST', `/mappings/${id}/publish`, {});
  return id;
}
const load = await mapping({ ...document(`bench/${file.split('/').at(-1)!}`, 'source/trip'), name: 'Loaded' });
await (
  await plan('Load', [{ id: 'load', kind: 'mapping', mapping: load }])
)();

const copied = (name: string): Promise<string> =>
  mapping({
    versicle: 1,
    name,
    source: { primary: { alias: 't', dataset: 'source/trip' } },
    target: { dataset: `copy/${name}`, key: ['trip_no'], fields: TARGET },
    lines: (TARGET as readonly { name: string }[]).map(({ name: field }) => ({
      id: field,
      target: field,
      kind: 'straight',
      source: `t.${field}`,
    })),
    write: { mode: 'upsert', existing: 'overwrite' },
  });
const ways = { compare: await copied('by_compare'), captured: await copied('by_capture') };
const run = Object.fromEntries(
  await Promise.all(
    Object.entries(ways).map(async ([changes, of]) => [
      changes,
      await plan(changes, [{ id: 'load', kind: 'mapping', mapping: of, changes, vanished: 'delete' }]),
    ]),
  ),
) as Record<keyof typeof ways, Awaited<ReturnType<typeof plan>>>;
await run.compare();
await run.captured();
const same = await run.compare();
const idle = await run.captured();
const sql = (text: string): object => ({ id: 'sql', kind: 'sql', system: 'source', sql: text });
await (
  await plan('Change', [sql("UPDATE trip SET fare = fare + 1 WHERE right(trip_no, 2) = '07'")])
)();
await (
  await plan('Delete', [sql("DELETE FROM trip WHERE right(trip_no, 3) = '500'")])
)();
const compared = await run.compare();
const captured = await run.captured();
const n = (count: number): string => count.toLocaleString('en-GB');
const told = (words: string, { seconds, counts }: typeof same): void =>
  console.log(
    `${words}: ${seconds.toFixed(1)} s, ${n(counts.read)} read, ${n(counts.delivered)} delivered; ratio ${(seconds / same.seconds).toFixed(2)}`,
  );
console.log(`${n(ROWS)} records of an embedded database, a hundredth changed, a thousandth deleted`);
told('compared, nothing changed (the floor)', same);
told('compared, with what went', compared);
told('captured, nothing changed', idle);
told('captured, with what went', captured);
const left = (await call('GET', '/systems/copy/datasets')) as unknown as { name: string; records: number }[];
console.log(`left in the targets: ${left.map(({ name, records }) => `${name} ${n(records)}`).join(', ')}`);
console.log(
  `memory of the server at its highest: ${(Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024).toFixed(0)} MB`,
);
await stop();
rmSync(home, { recursive: true, force: true });
