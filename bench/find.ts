import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { PgliteHere } from '@versicle/postgres';
import { find } from '../packages/server/src/finder/finder.ts';
import { Failures } from '../packages/server/src/failures/failures.ts';
import { folder } from './data.ts';

/** The finder and the pages of failed records over a store with a million of them; floor: the same search without its index. */

const RECORDS = Number(process.env['BENCH_RECORDS'] ?? 1_000_000);
mkdirSync(folder, { recursive: true });
const home = mkdtempSync(join(folder, 'find-'));
const db = await PgliteHere.open(join(home, 'store'), { trigrams: true });
const migrations = join(process.cwd(), 'packages/store/src/migrations');
for (const name of readdirSync(migrations).sort()) await db.exec(readFileSync(join(migrations, name), 'utf8'));

const document = JSON.stringify({ name: 'Trips', target: { fields: [] }, lines: [], checks: [] });
await db.query("INSERT INTO mapping (id, draft, name) VALUES ('trips', $1, 'Trips to warehouse')", [document]);
await db.query(
  "INSERT INTO revision (mapping, number, document, note, published_by) VALUES ('trips', 1, $1, '', 'Ines')",
  [document],
);
await db.exec(`
  INSERT INTO plan (id, name, document) VALUES ('trips', 'Trips, by the month', '{}');
  INSERT INTO run (kind, plan, mapping, revision, started_by) VALUES ('full', 'trips', 'trips', 1, 'Ines');
  INSERT INTO mapping_use (mapping, thing, name, field, line, number)
    SELECT 'trips', 'line', 'Label ' || n || ' field_' || n, 'field_' || n, 'l' || n, n FROM generate_series(1, 50000) n;
`);
const began = performance.now();
await db.query(
  `INSERT INTO failed_record (mapping, identity, state, run, revision, row_number, cause, line, message, example, label, failures, source, mapped)
   SELECT 'trips', md5(n::text), 'open', 1, 1, n, (ARRAY['rule_error', 'code_not_found', 'too_long'])[1 + n % 3], 'l' || n % 12, 'It is no number.',
          (n % 977)::text || ',' || n % 100, 'TB-' || lpad(n::text, 7, '0'), '[]', '{"trip_id": "x"}', '{}'
     FROM generate_series(1, $1::int) n`,
  [RECORDS],
);
console.log(
  `${RECORDS.toLocaleString('en-GB')} failed records kept in ${((performance.now() - began) / 1000).toFixed(0)} s`,
);
await db.exec('ANALYZE');

const times = async (work: () => Promise<unknown>): Promise<{ median: number; worst: number }> => {
  await work();
  const all: number[] = [];
  for (let i = 0; i < 9; i++) {
    const at = performance.now();
    await work();
    all.push(performance.now() - at);
  }
  all.sort((a, b) => a - b);
  return { median: all[4]!, worst: all[8]! };
};
const ms = (n: number): string => `${n.toFixed(0)} ms`;
for (const text of ['TB-0777123', 'trips', 'field_4711', '123,45', 'waerhouse', 'tb', 'it is nowhere']) {
  const found = await find(db, text, 40);
  const { median, worst } = await times(() => find(db, text, 40));
  console.log(`find “${text}”: ${found.length} found, ${ms(median)} (at most ${ms(worst)})`);
}
await db.exec('SET enable_bitmapscan = off; SET enable_indexscan = off');
const floor = await times(() => find(db, 'TB-0777123', 40));
await db.exec('RESET enable_bitmapscan; RESET enable_indexscan');
const indexed = await times(() => find(db, 'TB-0777123', 40));
console.log(
  `by the index ÷ without: ${ms(indexed.median)} ÷ ${ms(floor.median)} = ${(indexed.median / floor.median).toFixed(3)}`,
);

const failures = new Failures(db);
const asked = { mapping: 'trips', cause: 'rule_error', line: 'l3', filed: 'exactly' as const, limit: 200 };
const first = await failures.list(asked);
const deep = await failures.list({ ...asked, after: first.at(-1)!.id });
for (const [what, work] of [
  ['the causes', () => failures.causes({})],
  ['the first page of a cause', () => failures.list(asked)],
  ['the next page', () => failures.list({ ...asked, after: first.at(-1)!.id })],
  ['a later page', () => failures.list({ ...asked, after: deep.at(-1)!.id })],
] as const) {
  const { median, worst } = await times(work);
  console.log(`${what}: ${ms(median)} (at most ${ms(worst)})`);
}
await db.close();
rmSync(home, { recursive: true, force: true });
