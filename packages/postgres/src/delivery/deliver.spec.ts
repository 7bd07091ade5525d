import { chunkEncodings, type Delivery, type Part, type Value } from '@versicle/core';
import { eachHome } from '../testing/homes.ts';

const part = (dataset: string, columns: Part['columns'], key: readonly string[], rows: Value[][]): Part => {
  const encoder = chunkEncodings.copy.encoder(columns);
  for (const row of rows) encoder.add(row);
  return { dataset, columns, key, rows: rows.length, content: { encoding: 'copy', of: encoder.take() }, ids: [] };
};
const no = { name: 'no', type: 'int4' } as const;

/** A chunk that fills a table and one that refers to it. */
eachHome('a chunk of several parts', (home) => {
  const counts = async (): Promise<unknown> =>
    (
      await home().query('SELECT (SELECT count(*)::int FROM trip) AS trips, (SELECT count(*)::int FROM leg) AS legs')
    )[0];

  beforeAll(() =>
    home().exec(
      `CREATE TABLE trip (no int PRIMARY KEY);
       CREATE TABLE leg (trip int REFERENCES trip, no int, km numeric CHECK (km > 0), PRIMARY KEY (trip, no))`,
    ),
  );

  const legs = [{ name: 'trip', type: 'int4' }, no, { name: 'km', type: 'text' }] as const;
  const chunk: Delivery = {
    source: 'a-run',
    run: 1,
    chunk: 1,
    mode: 'upsert',
    parts: [
      part('trip', [no], ['no'], [[1], [2]]),
      part(
        'leg',
        legs,
        ['trip', 'no'],
        [
          [1, 1, '2.5'],
          [2, 1, '-1'],
          [9, 1, '1'],
        ],
      ),
    ],
  };

  it('goes in as one, parents first; what is refused is told by its part and place', async () => {
    const { rejections, unchanged } = await home().deliver(chunk);
    expect(rejections.map(({ part, index, cells, code }) => ({ part, index, cells, code }))).toEqual([
      { part: 1, index: 1, cells: ['2', '1', '-1'], code: '23514' },
      { part: 1, index: 2, cells: ['9', '1', '1'], code: '23503' },
    ]);
    expect(unchanged).toBe(0);
    expect(await counts()).toEqual({ trips: 2, legs: 1 });
  });
  it('does not go in twice, and what became of it is told again', async () => {
    await home().exec('DELETE FROM leg');
    expect((await home().deliver(chunk)).rejections.map((r) => [r.part, r.index])).toEqual([
      [1, 1],
      [1, 2],
    ]);
    expect(await counts()).toEqual({ trips: 2, legs: 0 });
  });
  it('does not go in at all where one of its tables is not there', async () => {
    const parts = [part('trip', [no], ['no'], [[3]]), part('nowhere', [no], ['no'], [[1]])];
    await expect(home().deliver({ ...chunk, chunk: 2, parts })).rejects.toThrow('nowhere');
    expect(await counts()).toEqual({ trips: 2, legs: 0 });
  });
  it('is read from journals that kept refused rows as lines', async () => {
    const old = JSON.stringify([
      { index: 4, line: 'a\\tb\t\\N', code: '23505', message: 'no', columns: [], constraint: null },
    ]);
    await home().query('INSERT INTO versicle.delivery (source, run, chunk, rejected) VALUES ($1, 1, 7, $2)', [
      'a-run',
      old,
    ]);
    expect((await home().deliver({ ...chunk, chunk: 7 })).rejections).toEqual([
      { part: 0, index: 4, cells: ['a\tb', null], code: '23505', message: 'no', columns: [], constraint: null },
    ]);
  });
});
