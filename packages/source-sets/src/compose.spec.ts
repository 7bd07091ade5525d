import { parseDocument, type MappingDocument } from '@versicle/core';
import * as fc from 'fast-check';
import { compose, csv, figuresOf } from './testing.ts';

const document = (source: object, lines: object[] = []): MappingDocument =>
  parseDocument({
    versicle: 1,
    name: 'Composed',
    source: { primary: { alias: 'a', dataset: 'files/a.csv' }, ...source },
    target: { dataset: 'store/t', fields: [{ name: 'x', type: 'text' }] },
    lines,
  });
const keys = fc.option(fc.constantFrom('1', '2', '3', '4'), { nil: null });
const left = fc.array(fc.tuple(fc.constantFrom('p', 'q', 'r'), keys), { minLength: 11, maxLength: 25 });
const right = fc.array(fc.tuple(keys, fc.constantFrom('u', 'v')), { minLength: 1, maxLength: 8 });

describe('source sets, composed by PostgreSQL', () => {
  const seed = Date.now() % 1_000_000;
  beforeAll(() => process.stdout.write(`seed of the source sets: ${seed}\n`));

  it.each(['inner', 'left', 'right', 'full'] as const)('join as nested loops would: %s', async (kind) => {
    const [[one, two] = [[], []]] = fc.sample(fc.tuple(left, right), { numRuns: 1, seed: seed + kind.length });
    const on = { alias: 'b', dataset: 'files/b.csv', kind, on: 'b.k = a.k' };
    const { records, counts } = await compose(document({ joins: [on] }), [csv(['n', 'k'], one), csv(['k', 'w'], two)]);
    const pairs: (string | null)[][] = [];
    const met = new Set<number>();
    for (const [n, k] of one) {
      const partners = two.flatMap(([key, w], i) => (k !== null && key === k ? [{ i, key, w }] : []));
      for (const { i, key, w } of partners) {
        met.add(i);
        pairs.push([n, k, key, w]);
      }
      if (partners.length === 0 && (kind === 'left' || kind === 'full')) pairs.push([n, k, null, null]);
    }
    const alone = two.filter((_, i) => !met.has(i)).map(([k, w]) => [null, null, k, w]);
    const all = kind === 'right' || kind === 'full' ? [...pairs, ...alone] : pairs;
    expect(records.map((r) => [r['a.n'], r['a.k'], r['b.k'], r['b.w']])).toEqual(all);
    expect(counts.read + counts.multiplied).toBe(counts.unmatched + counts.filtered + counts.folded + counts.records);
    expect(counts).toMatchObject({ read: one.length, records: all.length });
  });

  it('folds by distinct, groups, works out every aggregate, and sorts', async () => {
    const rows = [
      ['1', 'b', '10', 't'],
      ['2', 'a', '5', 'f'],
      ['3', 'b', '', 't'],
      ['3', 'b', '99', 't'],
      ['4', 'a', '7', 't'],
      ['5', null, '1', 'f'],
    ];
    const rules = [
      'count(*)',
      'count(a.v)',
      'count(DISTINCT a.g)',
      'sum(a.v::int)',
      'min(a.v::int)',
      'max(a.v::int)',
      'round(avg(a.v::int), 2)',
      "string_agg(a.id, '-' ORDER BY a.id DESC)",
      'bool_or(a.ok::bool)',
      'bool_and(a.ok::bool)',
      "count(*) FILTER (WHERE a.ok = 't')",
    ];
    const lines = rules.map((rule, i) => ({ id: `l${i}`, target: 'x', kind: 'rule', rule }));
    const doc = document(
      {
        distinctOn: ['a.id'],
        groupBy: ['upper(a.g)'],
        orderBy: ['upper(a.g) DESC NULLS LAST'],
        filter: "a.id <> '5' OR a.g IS NULL",
      },
      lines,
    );
    const { records, counts, fields } = await compose(doc, [csv(['id', 'g', 'v', 'ok'], rows)]);
    expect(counts).toMatchObject({ read: 6, multiplied: 0, filtered: 0, folded: 3, records: 3 });
    const cells = (r: Record<string, string | null>): unknown => [
      r['upper(a.g)'],
      ...Object.entries(r)
        .filter(([n]) => /^(count|sum|min|max|avg|string|bool)/.test(n))
        .map(([, v]) => v),
    ];
    expect(records.map(cells)).toEqual([
      ['B', '2', '1', '1', '10', '10', '10', '10.0000000000000000', '3-1', 'true', 'true', '2'],
      ['A', '2', '2', '1', '12', '5', '7', '6.0000000000000000', '4-2', 'true', 'false', '1'],
      [null, '1', '1', '0', '1', '1', '1', '1.00000000000000000000', '5', 'false', 'false', '0'],
    ]);
    expect(fields.filter((f) => f.alias === null && !f.name.startsWith('_')).map((f) => f.type)).toEqual([
      'text',
      'int8',
      'int8',
      'int8',
      'int8',
      'int4',
      'int4',
      'numeric',
      'text',
      'bool',
      'bool',
      'int8',
    ]);
  });

  it('stacks fields of other names, each read as the one above it', async () => {
    const doc = document({
      unions: [
        { dataset: 'files/b.csv', columns: { n: 'number' } },
        { dataset: 'files/b.csv', columns: { n: 'other' } },
      ],
      structures: { a: [{ name: 'n', type: 'integer' }] },
      filter: 'a.n > 9',
    });
    const below = (): ReturnType<typeof csv> => csv(['number', 'other'], [['10', '11']]);
    const { records, counts } = await compose(doc, [csv(['n'], [['9'], ['12']]), below(), below()]);
    expect(records.map((r) => r['a.n'])).toEqual(['12', '10', '11']);
    expect(counts).toMatchObject({ read: 4, filtered: 1, records: 3 });
  });
  it.each(['c', 'l'])('does not hide a dataset that is called %s', async (alias) => {
    const doc = {
      ...document({
        joins: [{ alias, dataset: 'files/b.csv', kind: 'inner', on: `lookup('t', ${alias}.k, 'none') = a.k` }],
      }),
      codeTables: { t: [{ from: 'x', to: '1' }] },
    };
    const members = [csv(['n', 'k'], [['p', '1']]), csv(['k'], [['x'], ['y']])];
    expect((await compose(doc, members)).records.map((r) => r[`${alias}.k`])).toEqual(['x']);
    const [figures] = await figuresOf(doc, members);
    expect(figures).toMatchObject({ left: 1, matched: 1, unused: 1 });
  });

  it('understands our own functions in conditions, and says what fails there', async () => {
    const members = [
      csv(
        ['d', 'n'],
        [
          ['03.08.2026', '1,5-'],
          ['04.08.2026', '2,0'],
          ['31.12.2026', '7,0'],
        ],
      ),
    ];
    const filter =
      "parse_date(a.d, 'DD.MM.YYYY') < CURRENT_DATE AND parse_number(a.n, ',') > -2 AND lookup('days', a.d, 'x') <> 'no' AND try_cast(a.n, 'integer') IS NULL";
    const doc = { ...document({ filter, orderBy: ['a.n'] }), codeTables: { days: [{ from: '04.08.2026', to: 'no' }] } };
    expect((await compose(doc, members)).records.map((r) => r['a.d'])).toEqual(['03.08.2026']);
    const broken = { filter: "parse_date(a.d, 'YYYY-MM-DD') IS NOT NULL" };
    // Records can be tried one by one afterwards, groups can't be taken apart.
    const unfiltered = await compose(document({ ...broken, orderBy: ['a.n'] }), members);
    expect(unfiltered).toMatchObject({ counts: { read: 3, filtered: 0, records: 3 } });
    expect(unfiltered.remarks.join()).toMatch(
      /^PostgreSQL can't work out the filter for every record \(.*03\.08\.2026 does not fit YYYY-MM-DD.*\); each/,
    );
    await expect(compose(document({ ...broken, groupBy: ['a.n'] }), members)).rejects.toThrow(
      /PostgreSQL can't compose the source set: .*03\.08\.2026 does not fit YYYY-MM-DD/,
    );
  });
});
