import { parseDocument } from '../document/document.ts';
import { Profiler } from '../profile/profile.ts';
import { timestampOfMillis } from '../rules/context.ts';
import { troubleAhead, type Ahead } from './ahead.ts';

describe('what a profile tells before a run', () => {
  const fields = ['no', 'price', 'name', 'grade', 'born'];
  const document = (more: object = {}, lines: Record<string, object> = {}) =>
    parseDocument({
      versicle: 1,
      name: 'Items',
      source: { primary: { alias: 'i', dataset: 'files/items.csv' } },
      target: {
        dataset: 'store/items',
        key: ['no'],
        fields: [
          { name: 'no', type: 'integer', nullable: false },
          { name: 'price', type: 'numeric(5,2)', label: 'Price' },
          { name: 'name', type: 'varchar(8)' },
          { name: 'grade', type: 'text' },
          { name: 'born', type: 'date' },
        ],
      },
      lines: ['no', 'price', 'name', 'grade', 'born'].map((name, n) => ({
        id: `l${n + 1}`,
        target: name,
        ...(lines[name] ?? { kind: 'straight', source: `i.${name}` }),
      })),
      write: { mode: 'upsert' },
      ...more,
    });
  const profiled = (rows: readonly (readonly (string | null)[])[]): ReturnType<Profiler['result']> => {
    const profiler = new Profiler(fields);
    profiler.push(rows);
    return profiler.result();
  };
  const ahead = (of: ReturnType<typeof document>, rows: readonly (readonly (string | null)[])[]): Ahead[] =>
    troubleAhead(of, fields, null, profiled(rows), timestampOfMillis(0), new Map());
  const plain = Array.from({ length: 50 }, (_, i) => [`${i}`, '1.50', 'Kit', 'A', '2020-01-31']);

  it('is nothing where all values are taken', () => {
    expect(ahead(document(), plain)).toEqual([]);
  });
  it('is said by line, with how many records have it where that is known', () => {
    const rows = [
      ...plain,
      [null, '1.50', 'Kit', 'A', '2020-01-31'],
      ['70', '1.50', 'Kit', 'A', '2020-02-30'],
      ['71', '99999', 'A name that is too long', 'A', '2020-01-31'],
      ['72', 'x', 'Kit', 'A', '2020-01-31'],
      ['73', 'x', 'Kit', 'A', '2020-01-31'],
    ];
    const found = ahead(document(), rows);
    expect(found.map(({ line, number, label, count }) => [line, number, label, count])).toEqual([
      ['l1', 1, 'no', 1],
      ['l2', 2, 'Price', 2],
      ['l2', 2, 'Price', 1],
      ['l3', 3, 'name', 1],
      ['l5', 5, 'born', 1],
    ]);
    expect(found[3]!.message).toMatch(/has 23 characters; the field takes 8/);
  });
  it('goes by the rule of a line; what several fields make, or a line mends itself, is not told', () => {
    const rows = [...plain, ['70', 'x', 'Kit', 'Z', '2020-01-31']];
    const rule = (text: string, more: object = {}): object => ({ kind: 'rule', rule: text, ...more });
    expect(ahead(document({}, { price: rule("CAST(replace(i.price, 'x', '0') AS numeric)") }), rows)).toEqual([]);
    expect(ahead(document({}, { price: rule('CAST(i.price || i.no AS numeric)') }), rows)).toEqual([]);
    expect(ahead(document({}, { price: { kind: 'straight', source: 'i.price', onFail: 'null' } }), rows)).toEqual([]);
    const [failing] = ahead(document({}, { price: rule('CAST(i.price AS numeric)') }), rows);
    expect(failing).toMatchObject({ line: 'l2', count: 1 });
  });
  it('tells of the longest value where that is not among the most frequent', () => {
    const rows = Array.from({ length: 40 }, (_, i) => [`${i}`, '1', i === 33 ? 'n33 is longer' : `n${i}`, 'A', null]);
    const found = ahead(document(), rows);
    expect(found).toEqual([
      expect.objectContaining({ line: 'l3', count: 1, message: expect.stringMatching(/13 characters/) }),
    ]);
  });
});
