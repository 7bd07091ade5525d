import type { Database } from '@versicle/postgres';
import { directDatabase, storedRun } from '../../../testing/direct-database.ts';
import { BY_INDEX, MARK, PAGE, UNANSWERED } from './outbox.ts';

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

  /** Rows of the outbox that a statement had in its hands, also within the functions that it calls. */
  const looked = async (sql: string, params: readonly unknown[]): Promise<number> => {
    const read = `SELECT seq_tup_read + COALESCE(idx_tup_fetch, 0) AS rows FROM pg_stat_xact_user_tables WHERE relname = 'outbox'`;
    const [, , rows] = await db.transaction([BY_INDEX, { sql, params }, { sql: read, params: [] }]);
    const looks = Number(rows![0]!['rows']);
    expect(looks).toBeGreaterThan(0);
    return looks;
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
