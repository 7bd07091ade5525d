import { chunkEncodings, type Delivery, type Part, type Value } from '@versicle/core';
import { eachHome } from '../testing/homes.ts';

const part = (dataset: string, columns: Part['columns'], key: readonly string[], rows: Value[][]): Part => {
  const encoder = chunkEncodings.copy.encoder(columns);
  for (const row of rows) encoder.add(row);
  return { dataset, columns, key, rows: rows.length, content: { encoding: 'copy', of: encoder.take() }, ids: [] };
};
const no = { name: 'no', type: 'int4' } as const;

/** What becomes of records whose key is there, and of those whose key is not. */
eachHome('the ways of writing', (home) => {
  const text = { name: 'name', type: 'text' } as const;
  const price = { name: 'price', type: 'text' } as const;
  const doc = { name: 'doc', type: 'text' } as const;
  let n = 0;
  const put = async (mode: Delivery['mode'], rows: Value[][], columns: Part['columns'] = [no, text, price, doc]) => {
    const { rejections, unchanged } = await home().deliver({
      source: `way-${++n}`,
      run: 1,
      claim: 1,
      chunk: 1,
      mode,
      parts: [part('way', columns, ['no'], rows)],
    });
    return { refused: rejections.map((r) => [r.index, r.code]), unchanged };
  };
  const rows = (): Promise<unknown[]> =>
    home().query('SELECT no, name, price::text AS price, doc::text AS doc FROM way ORDER BY no');
  beforeEach(() =>
    home().exec(
      `DROP TABLE IF EXISTS way; CREATE TABLE way (no int PRIMARY KEY, name text, price numeric CHECK (price > 0), doc json);
       INSERT INTO way VALUES (1, NULL, 1, NULL), (2, 'two', NULL, '{"a":1}'), (3, 'three', 3, NULL)`,
    ),
  );

  it('update changes what is there, and refuses what is not', async () => {
    expect(
      await put('update', [
        [1, 'one', '1.5', null],
        [3, 'three', '3', null],
        [9, 'nine', '9', null],
        [2, 'two', '-1', '{"a":1}'],
      ]),
    ).toEqual({
      refused: [
        [2, 'not_there'],
        [3, '23514'],
      ],
      unchanged: 1,
    });
    expect(await rows()).toEqual([
      { no: 1, name: 'one', price: '1.5', doc: null },
      { no: 2, name: 'two', price: null, doc: '{"a":1}' },
      { no: 3, name: 'three', price: '3', doc: null },
    ]);
  });
  it('update tells of each of many that are not there, or refused', async () => {
    const many = Array.from({ length: 120 }, (_, i): Value[] => [i + 1, i % 2 ? 'x' : 'y', i % 3 ? '1' : '-1', null]);
    const { refused, unchanged } = await put('update', many);
    expect(unchanged).toBe(0);
    expect(refused.map(([index, code]) => `${index} ${code}`)).toEqual(
      many.flatMap(([key, , price], i) =>
        Number(key) > 3 ? [`${i} not_there`] : price === '-1' ? [`${i} 23514`] : [],
      ),
    );
  });
  it('update with nothing but the key leaves all as it is', async () => {
    expect(await put('update', [[1], [9]], [no])).toEqual({ refused: [[1, 'not_there']], unchanged: 1 });
  });
  describe('revise', () => {
    const stamp = { name: 'stamp', type: 'text' } as const;
    const columns = [no, text, price, doc, stamp];
    const revisions = async (): Promise<unknown[]> =>
      home().query(
        `SELECT no, revision, name, price::text AS price, valid_to IS NOT NULL AND valid_to >= valid_from AS ended FROM way ORDER BY no, revision`,
      );
    const put = async (rows: Value[][]): Promise<object> => {
      const { rejections, unchanged } = await home().deliver({
        source: `way-${++n}`,
        run: 1,
        claim: 1,
        chunk: 1,
        mode: 'revise',
        parts: [{ ...part('way', columns, ['no'], rows), anew: ['stamp'] }],
      });
      return { refused: rejections.map((r) => [r.index, r.code]), unchanged };
    };
    beforeEach(() =>
      home().exec(
        `DROP TABLE way; CREATE TABLE way (no int, revision int, name text, price numeric CHECK (price > 0), doc json, stamp text,
           valid_from timestamptz NOT NULL, valid_to timestamptz, PRIMARY KEY (no, revision));
         INSERT INTO way VALUES (1, 1, 'one', 1, NULL, 'a', now(), now()), (1, 2, 'one', 2, NULL, 'a', now(), NULL), (2, 1, NULL, NULL, '{}', 'a', now(), NULL)`,
      ),
    );

    it('adds what differs from the newest revision, which ends; what is like it stays', async () => {
      expect(
        await put([
          [1, 'one', '1', null, 'b'],
          [2, null, null, '{}', 'b'],
          [3, 'three', '3', null, 'b'],
        ]),
      ).toEqual({ refused: [], unchanged: 1 });
      expect(await put([[1, 'one', '1', null, 'c']])).toEqual({ refused: [], unchanged: 1 });
      expect(await revisions()).toEqual([
        { no: 1, revision: 1, name: 'one', price: '1', ended: true },
        { no: 1, revision: 2, name: 'one', price: '2', ended: true },
        { no: 1, revision: 3, name: 'one', price: '1', ended: false },
        { no: 2, revision: 1, name: null, price: null, ended: false },
        { no: 3, revision: 1, name: 'three', price: '3', ended: false },
      ]);
    });
    it('tells of each of many that are refused, and leaves what they would have ended', async () => {
      const many = Array.from({ length: 120 }, (_, i): Value[] => [i + 1, 'x', i % 3 ? '1' : '-1', null, 'b']);
      const { refused } = (await put(many)) as { refused: [number, string][] };
      expect(refused.map(([index, code]) => `${index} ${code}`)).toEqual(
        many.flatMap(([, , of], i) => (of === '-1' ? [`${i} 23514`] : [])),
      );
      const [first] = (await home().query('SELECT valid_to FROM way WHERE no = 1 AND revision = 2')) as {
        valid_to: unknown;
      }[];
      expect(first!.valid_to).toBeNull();
      expect(await home().query('SELECT count(*)::int AS n FROM way WHERE revision = 2 AND no = 2')).toEqual([
        { n: 1 },
      ]);
    });
    it('goes without the moments where the table has none', async () => {
      await home().exec('ALTER TABLE way DROP COLUMN valid_from, DROP COLUMN valid_to');
      expect(await put([[1, 'one', '1', null, 'b']])).toEqual({ refused: [], unchanged: 0 });
      expect(await home().query('SELECT max(revision)::int AS n FROM way WHERE no = 1')).toEqual([{ n: 3 }]);
    });
  });
  it('fill writes only where nothing is, and adds what is not there', async () => {
    expect(
      await put('fill', [
        [1, 'one', '5', '{}'],
        [2, 'other', '2', '{}'],
        [3, 'other', '5', null],
        [4, null, null, null],
      ]),
    ).toEqual({ refused: [], unchanged: 1 });
    expect(await rows()).toEqual([
      { no: 1, name: 'one', price: '1', doc: '{}' },
      { no: 2, name: 'two', price: '2', doc: '{"a":1}' },
      { no: 3, name: 'three', price: '3', doc: null },
      { no: 4, name: null, price: null, doc: null },
    ]);
  });
});

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
    claim: 1,
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
  it('does not go in for whoever lost the run; what went in before is told to whoever has it', async () => {
    await home().takeOn('a-run', 3);
    const late = home().deliver({ ...chunk, chunk: 5, claim: 2 });
    await expect(late).rejects.toMatchObject({ code: 'VRS01' });
    await expect(home().deliver({ ...chunk, claim: 2 })).rejects.toMatchObject({ code: 'VRS01' });
    await expect(home().takeOn('a-run', 2)).rejects.toMatchObject({ code: 'VRS01' });
    const swap = { source: 'a-run', table: 'trip', columns: ['no'], mayRemove: null };
    await expect(home().swap({ ...swap, claim: 2 })).rejects.toMatchObject({ code: 'VRS01' });
    await home().takeOn('a-run', 3);
    expect((await home().deliver({ ...chunk, claim: 3 })).rejections).toHaveLength(2);
    await home().takeOn('another-run', 1);
    await home()
      .takeOn('a-run', 1)
      .catch(() => undefined);
    expect(await home().query('SELECT count(*)::int AS n FROM trip WHERE no > 2')).toEqual([{ n: 0 }]);
  });
  it('does not go in at all where one of its tables is not there', async () => {
    const parts = [part('trip', [no], ['no'], [[3]]), part('nowhere', [no], ['no'], [[1]])];
    await expect(home().deliver({ ...chunk, claim: 3, chunk: 2, parts })).rejects.toThrow('nowhere');
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
    expect((await home().deliver({ ...chunk, claim: 3, chunk: 7 })).rejections).toEqual([
      { part: 0, index: 4, cells: ['a\tb', null], code: '23505', message: 'no', columns: [], constraint: null },
    ]);
  });
});
