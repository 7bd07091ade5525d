import type { Database } from '@versicle/postgres';
import { directDatabase } from '../../../testing/direct-database.ts';
import { onServer } from '../../../testing/store-home.ts';
import type { KindContext, OpenSystem, ReadOptions } from '../kind.ts';
import { embedded } from './embedded.ts';

const ROWS = 6500;
let db: Database;
let system: OpenSystem;
beforeAll(async () => {
  db = await directDatabase();
  await db.exec(`
    CREATE TABLE stock (no integer PRIMARY KEY, at text);
    INSERT INTO stock SELECT n, 'before' FROM generate_series(1, ${ROWS}) n;
    CREATE VIEW shown AS SELECT no, at FROM stock ORDER BY no DESC;
  `);
  const context = { embedded: () => Promise.resolve(db) } as unknown as KindContext;
  system = await embedded.open({ kind: 'embedded', name: 'store', newTables: 'made' }, context);
});
afterAll(() => db.close());

/** What is read while somebody does something each time a page has come. */
async function read(dataset: string, options: ReadOptions, meanwhile?: () => Promise<void>): Promise<string[]> {
  const found: string[] = [];
  for await (const { rows } of system.read!(dataset, options)) {
    for (const row of rows) found.push((row as string[]).join(' '));
    await meanwhile?.();
  }
  return found;
}
const held = async (): Promise<number> => (await db.query('SELECT 1 FROM pg_cursors WHERE is_holdable')).length;

describe('records of an embedded database', () => {
  it('come as they were when they were asked for, however others write meanwhile', async () => {
    const numbers = Array.from({ length: ROWS }, (_, i) => `${i + 1} before`);
    let times = 0;
    const found = await read('stock', { whole: true }, async () => {
      // Rows that are written anew get other places: ahead of the reader, and behind it.
      await db.exec(`UPDATE stock SET at = 'after ${++times}' WHERE no % 2 = ${times % 2}`);
      await db.exec('DELETE FROM stock WHERE no > 6000');
      await db.exec('VACUUM stock');
    });
    expect(found).toEqual(numbers);
    expect(times).toBe(4);
    expect(await held()).toBe(0);
    expect(await read('stock', { whole: true })).toHaveLength(6000);
  });
  it('of a view come in its order, each once', async () => {
    const found = await read('shown', { whole: true });
    expect(found.map((row) => Number(row.split(' ')[0]))).toEqual(Array.from({ length: 6000 }, (_, i) => 6000 - i));
  });
  it('are chosen by their keys, and by a filter', async () => {
    const rows = { fields: ['no'], keys: [['5'], ['7'], ['9999']] };
    expect((await read('stock', { rows })).map((row) => row.split(' ')[0]).sort()).toEqual(['5', '7']);
    expect(await read('stock', { whole: true, filter: 'no <= 10', sort: '-no' })).toHaveLength(10);
  });
  it('are not held for whoever leaves off', async () => {
    for await (const { rows } of system.read!('stock', { whole: true })) {
      expect(rows).toHaveLength(2000);
      break;
    }
    expect(await held()).toBe(0);
    const stop = new AbortController();
    const given = read('stock', { whole: true, signal: stop.signal }, () => Promise.resolve(stop.abort()));
    // An embedded database has all of them aside by then; a server is told to stop.
    if (onServer) await expect(given).rejects.toThrow();
    else await expect(given).resolves.toHaveLength(6000);
    await expect(read('stock', { whole: true, signal: stop.signal })).rejects.toThrow();
    await db.query('SELECT 1');
    expect(await held()).toBe(0);
  });
});
