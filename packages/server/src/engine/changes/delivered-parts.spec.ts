import * as fc from 'fast-check';
import type { Database } from '@versicle/postgres';
import { directDatabase, storedRun } from '../../testing/direct-database.ts';
import { extentOf, keepInMind, removeFromMemory } from './delivered-parts.ts';
import { HALF, WIDTH } from './digests.ts';
import { findGone, someGone } from './gone.ts';
import { KnownRecords } from './known-records.ts';
import { forgetAll, memoryOf, rememberKeys, type Memory } from './memory.ts';
import { tidyParts } from './tidy-parts.ts';

/** A digest of a record whose key and content are numbers. */
function digest(key: number, content: number): Uint8Array {
  const bytes = new Uint8Array(WIDTH);
  // Keys that begin alike are told apart by what follows.
  new DataView(bytes.buffer).setUint32(0, key % 3, true);
  new DataView(bytes.buffer).setUint32(12, key, true);
  new DataView(bytes.buffer).setUint32(HALF, 1000 + content, true);
  return bytes;
}
const all = (records: readonly (readonly [number, number])[]): Uint8Array =>
  Buffer.concat(records.map(([k, c]) => digest(k, c)));

type Step =
  | { readonly what: 'delivered' | 'refused'; readonly records: readonly (readonly [number, number])[] }
  | { readonly what: 'removed'; readonly keys: readonly number[] }
  | { readonly what: 'all forgotten' | 'tidied' };
const key = fc.integer({ min: 0, max: 12 });
const records = fc.array(fc.tuple(key, fc.integer({ min: 0, max: 3 })), { minLength: 1, maxLength: 6 });
const step: fc.Arbitrary<Step> = fc.oneof(
  { weight: 6, arbitrary: fc.record({ what: fc.constant('delivered' as const), records }) },
  { weight: 2, arbitrary: fc.record({ what: fc.constant('refused' as const), records }) },
  { weight: 2, arbitrary: fc.record({ what: fc.constant('removed' as const), keys: fc.array(key, { minLength: 1 }) }) },
  { weight: 1, arbitrary: fc.record({ what: fc.constantFrom('all forgotten' as const, 'tidied' as const) }) },
);

/** What is known of each record that the target has: its content, or null where nobody knows it. */
function expected(steps: readonly Step[], named: boolean): Map<number, number | null> {
  const known = new Map<number, number | null>();
  for (const s of steps)
    if (s.what === 'delivered') for (const [k, c] of s.records) known.set(k, c);
    else if (s.what === 'refused') for (const [k] of s.records.filter(([of]) => known.has(of))) known.set(k, null);
    else if (s.what === 'removed') for (const k of s.keys) known.delete(k);
    else if (s.what === 'all forgotten' && named) for (const k of known.keys()) known.set(k, null);
    else if (s.what === 'all forgotten') known.clear();
  return known;
}

describe('what was delivered before', () => {
  let db: Database;
  let made = 0;
  beforeAll(async () => (db = await directDatabase()));
  afterAll(() => db.close());

  async function memory(named: boolean): Promise<{ mapping: string; memory: Memory }> {
    const mapping = `m${++made}`;
    const found = (await memoryOf(db, mapping, `store/t${made}`, true))!;
    if (named) await rememberKeys(db, found, ['no'], null);
    return { mapping, memory: { ...found, keys: named ? ['no'] : null } };
  }
  const remembered = (of: readonly (readonly [number, number])[], named: boolean) => ({
    digests: all(of),
    cells: named ? of.map(([k]) => JSON.stringify([String(k)])) : null,
    sources: null,
  });
  async function carryOut(steps: readonly Step[], named: boolean): Promise<Memory> {
    const { mapping, memory: of } = await memory(named);
    for (const s of steps)
      if (s.what === 'delivered')
        await db.transaction(keepInMind(of, 1, remembered(s.records, named), new Uint8Array()));
      else if (s.what === 'refused') await db.transaction(keepInMind(of, 1, remembered([], named), all(s.records)));
      else if (s.what === 'removed')
        await db.transaction([
          removeFromMemory(of.id, 1, Buffer.concat(s.keys.map((k) => digest(k, 0).subarray(0, HALF)))),
        ]);
      else if (s.what === 'all forgotten') await db.transaction([forgetAll(mapping)]);
      else await tidyParts(db, of.id, await KnownRecords.load(db, of.id, null), 0);
    return of;
  }

  it.each([false, true])('says of each record what the last delivery says (keys remembered: %s)', async (named) => {
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 14 }), async (steps) => {
        const { id } = await carryOut(steps, named);
        const want = expected(steps, named);
        const known = await KnownRecords.load(db, id, null);
        expect(known.count).toBe(want.size);
        for (let k = 0; k <= 13; k++) {
          const tried = [0, 1, 2, 3].filter((c) => known.same(digest(k, c)).has(0));
          // The first that was not the same left nothing that is known.
          expect(tried).toEqual(want.get(k) === 0 ? [0] : []);
        }
        const again = await KnownRecords.load(db, id, null);
        const right = [...want].map(([k, c]) => [k, c ?? 9] as const);
        expect([...again.same(all(right))]).toEqual(right.flatMap(([, c], at) => (c === 9 ? [] : [at])));
      }),
      { numRuns: 40 },
    );
  });

  it('brings many small parts together, and says the same', async () => {
    const steps: Step[] = Array.from({ length: 120 }, (_, i) => ({ what: 'delivered', records: [[i % 40, i % 7]] }));
    steps.push({ what: 'refused', records: [[3, 0]] }, { what: 'removed', keys: [5, 6] });
    const of = await carryOut(steps, true);
    expect(await extentOf(db, of.id)).toMatchObject({ parts: 122, records: 123 });
    await tidyParts(db, of.id, await KnownRecords.load(db, of.id, null));
    expect(await extentOf(db, of.id)).toMatchObject({ parts: 1, records: 38 });
    const known = await KnownRecords.load(db, of.id, null);
    const want = expected(steps, true);
    expect(known.count).toBe(38);
    const right = [...want].map(([k, c]) => [k, c ?? 9] as const);
    expect(known.same(all(right)).size).toBe(37);
    // Deliveries after it count again.
    await db.transaction(
      keepInMind(
        of,
        2,
        remembered(
          [
            [3, 1],
            [5, 2],
          ],
          true,
        ),
        new Uint8Array(),
      ),
    );
    const later = await KnownRecords.load(db, of.id, null);
    expect([
      ...later.same(
        all([
          [3, 1],
          [5, 2],
          [6, 0],
        ]),
      ),
    ]).toEqual([0, 1]);
  });

  it('takes nothing for the same that the run itself delivered before it was taken up again', async () => {
    const { memory: of } = await memory(false);
    await db.transaction(keepInMind(of, 7, remembered([[1, 1]], false), new Uint8Array()));
    await db.transaction(keepInMind(of, 8, remembered([[2, 2]], false), new Uint8Array()));
    const known = await KnownRecords.load(db, of.id, 8);
    expect([
      ...known.same(
        all([
          [1, 1],
          [2, 2],
        ]),
      ),
    ]).toEqual([0]);
  });

  it('finds what is gone: what was delivered, is still there and was not met', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 10 }), fc.uniqueArray(key), async (steps, met) => {
        const of = await carryOut(steps, true);
        const target = `store/t${made}`;
        const other = (await memoryOf(db, `other of ${made}`, target, true))!;
        await db.transaction(
          keepInMind(
            other,
            1,
            remembered(
              [
                [11, 1],
                [12, 1],
              ],
              false,
            ),
            new Uint8Array(),
          ),
        );
        await db.transaction([removeFromMemory(other.id, 1, digest(12, 0).subarray(0, HALF))]);
        const run = await runThatMet(met);
        const want = [...expected(steps, true).keys()].filter((k) => !met.includes(k) && k !== 11);
        expect(await findGone(db, run, of, target, null)).toMatchObject({ records: want.length, untold: 0 });
        const found = await someGone(db, run, 100, new Uint8Array());
        expect(found.map((g) => Number(g.cells[0])).sort()).toEqual(want.sort());
      }),
      { numRuns: 25 },
    );
  });
  async function runThatMet(met: readonly number[]): Promise<number> {
    const run = await storedRun(db, 'files', `store/t${made}`);
    await db.query('UPDATE run SET chunk = 1 WHERE id = $1', [run]);
    await db.query('INSERT INTO run_seen (run, chunk, keys, untold) VALUES ($1, 1, $2, 0)', [
      run,
      Buffer.concat(met.map((k) => digest(k, 0).subarray(0, HALF))),
    ]);
    return run;
  }
});
