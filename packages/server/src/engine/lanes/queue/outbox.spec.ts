import type { Database } from '@versicle/postgres';
import { directDatabase, storedRun } from '../../../testing/direct-database.ts';
import { BY_INDEX, MARK, PAGE, UNANSWERED } from './outbox.ts';

interface Node {
  readonly 'Actual Rows': number;
  readonly 'Actual Loops': number;
  readonly 'Rows Removed by Filter'?: number;
  readonly 'Rows Removed by Join Filter'?: number;
  readonly Plans?: readonly Node[];
}
/** Rows that a plan had in its hands. */
const handled = (node: Node): number =>
  (node['Actual Rows'] + (node['Rows Removed by Filter'] ?? 0) + (node['Rows Removed by Join Filter'] ?? 0)) *
    node['Actual Loops'] +
  (node.Plans ?? []).reduce((sum, n) => sum + handled(n), 0);

/** However much waits, and whatever the database believes of the table, which was empty when it last looked. */
describe('the next records for a target', () => {
  const WAITING = 5000;
  let db: Database;
  beforeAll(async () => {
    db = await directDatabase();
    await db.exec('VACUUM (ANALYZE) outbox');
    const run = await storedRun(db, 'files', 'api/items');
    await db.query("UPDATE run SET state = 'running' WHERE id = $1", [run]);
    await db.query(
      `INSERT INTO outbox (run, target, part, key, order_key, cells, record, on_arrival)
       SELECT $1, 'api/items', 0, md5(n::text), n::text, '[]', '{}', '{}' FROM generate_series(1, ${WAITING}) n`,
      [run],
    );
  });
  afterAll(() => db.close());

  const looked = async (sql: string, params: readonly unknown[]): Promise<number> => {
    const [, rows] = await db.transaction([BY_INDEX, { sql: `EXPLAIN (ANALYZE, FORMAT JSON) ${sql}`, params }]);
    const said = (rows![0] as { 'QUERY PLAN': string | [{ Plan: Node }] })['QUERY PLAN'];
    const [{ Plan: plan }] = typeof said === 'string' ? (JSON.parse(said) as [{ Plan: Node }]) : said;
    return handled(plan);
  };
  it('are found without a look at the others', async () => {
    expect(await looked(PAGE, ['api/items', [3, 4], 20])).toBeLessThan(WAITING / 10);
  });
  it('are marked without a look at the others', async () => {
    const ids = Array.from({ length: 20 }, (_, i) => i + 1);
    expect(await looked(MARK, [ids, ids.map(() => 1)])).toBeLessThan(WAITING / 10);
    expect(await looked(UNANSWERED, ['api/items', []])).toBeLessThan(WAITING / 10);
    expect(await db.query('SELECT 1 FROM outbox WHERE request = 1')).toHaveLength(20);
  });
});
