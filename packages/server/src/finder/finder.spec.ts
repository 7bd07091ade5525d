import { parseDocument } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { keepUses } from '../mappings/uses.ts';
import { directDatabase, storedRun } from '../testing/direct-database.ts';
import { itemsDocument } from '../testing/running-server.ts';
import { find } from './finder.ts';

describe('the finder', () => {
  let db: Database;
  beforeAll(async () => {
    db = await directDatabase();
    const run = await storedRun(db, 'files', 'store/items');
    await db.transaction([
      keepUses('m1', parseDocument({ ...itemsDocument(), name: 'Members to membership service' })),
    ]);
    await db.query("UPDATE plan SET name = 'Members, nightly' WHERE id = 'm1'");
    await db.query("INSERT INTO system (id, name, connection) VALUES ('tide', 'Tidebridge export', '{}')");
    await db.query("INSERT INTO known_dataset (system, name) VALUES ('tide', 'members.txt'), ('tide', '100%_odd.csv')");
    await db.query(
      `INSERT INTO structure (system, dataset, number, source, fields) VALUES
         ('tide', 'members.txt', 1, 'read', '[{"name": "born_where", "type": "text"}]'),
         ('tide', 'members.txt', 2, 'read', '[{"name": "date_of_birth", "label": "Born", "type": "text"}]')`,
    );
    await db.query(
      "INSERT INTO code_table (name, description, codes, updated_by) VALUES ('tariffs', '', '[]', 'Ines')",
    );
    await db.query(
      `INSERT INTO failed_record (mapping, identity, state, run, revision, row_number, cause, line, message, example, label, failures, source, mapped)
       SELECT 'm1', n::text, CASE WHEN n = 3 THEN 'remark' ELSE 'open' END, $1, 1, n, 'rule_error', 'l1', 'It is no date.', '00.00.0000', 'TB-' || n, '[]', '{}', '{}'
         FROM generate_series(1, 400) n`,
      [run],
    );
  });
  afterAll(() => db.close());
  const found = async (text: string, limit = 40): Promise<string[]> =>
    (await find(db, text, limit)).map((f) => `${f.what} ${f.name}`);

  it('finds things of every kind by words of their names, in any order', async () => {
    expect(await found('service members')).toEqual(['mapping Members to membership service']);
    expect(await found('NIGHTLY')).toEqual(['plan Members, nightly', 'run Run 1']);
    expect(await found('tidebridge')).toEqual(
      expect.arrayContaining(['system Tidebridge export', 'dataset members.txt', 'dataset 100%_odd.csv']),
    );
    expect(await found('born')).toEqual(['field date_of_birth Born']);
    expect(await found('tariffs')).toEqual(['code table tariffs']);
    expect(await found('price')).toEqual(['line Price price']);
    expect(await find(db, 'price', 5)).toEqual([
      expect.objectContaining({ id: 'l3', of: 'm1', note: 'Members to membership service, line 3' }),
    ]);
  });
  it('takes words of the mapping for its lines, of the dataset for its fields, but not these alone', async () => {
    expect(await found('price membership')).toEqual(['line Price price']);
    expect(await found('birth members.txt')).toEqual(['field date_of_birth Born']);
    expect((await found('membership')).filter((f) => f.startsWith('line'))).toEqual([]);
  });
  it('takes the newest structure only, and what is spelt like it', async () =>
    expect(await found('born_where')).toEqual(['field date_of_birth Born']));
  it('finds failed records by key and value, not their remarks', async () => {
    expect((await find(db, 'TB-377', 5))[0]).toMatchObject({ what: 'failed record', name: 'TB-377', of: 'm1' });
    await db.query("UPDATE failed_record SET label = '7' WHERE row_number = 9");
    expect(await found('7')).toEqual(['failed record 7']);
    expect(await found('TB-3', 100)).not.toContain('failed record TB-3');
    expect(await found('00.00.0000', 100)).toHaveLength(100);
  });
  it('finds what is called just so, however many others have it in their names', async () => {
    await db.query("UPDATE failed_record SET label = 'TB-', example = '' WHERE row_number = 400");
    expect((await found('TB-'))[0]).toBe('failed record TB-');
    await db.query(
      "INSERT INTO run (kind, plan, mapping, revision, started_by) SELECT 'full', 'm1', 'm1', 1, 'Ines' FROM generate_series(1, 3)",
    );
    await db.query('UPDATE run SET id = id + 5000 WHERE id > 1');
    expect((await found('5003'))[0]).toBe('run Run 5003');
  });
  it('knows the datasets that mappings use, also where nobody looked yet', async () => {
    await db.query("INSERT INTO system (id, name, connection) VALUES ('files', 'Files of the store', '{}')");
    expect(await found('items.csv')).toContain('dataset items.csv');
  });
  it('forgives misspellings of names', async () => {
    expect(await found('membrship servise')).toContain('mapping Members to membership service');
    expect(await found('memebrs servcie')).toContain('mapping Members to membership service');
    expect(await found('tidebrige')).toContain('system Tidebridge export');
    expect(await found('tarifs')).toEqual(['code table tariffs']);
  });
  it('takes signs as they are written, and nothing for nothing', async () => {
    expect(await found('100%_')).toEqual(['dataset 100%_odd.csv']);
    expect(await found("'; DROP TABLE run; --")).toEqual([]);
    for (const text of ['', '   ', '%', '\\']) expect((await found(text)).length).toBeLessThan(3);
  });
  it('gives no more than asked', async () => expect(await found('TB-', 7)).toHaveLength(7));
});
