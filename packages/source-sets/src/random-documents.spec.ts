import type { PGlite } from '@electric-sql/pglite';
import { emptyPglite } from '@versicle/core/testing';
import {
  compileMapping,
  composedNames,
  isComposed,
  parseDocument,
  sourceFieldsFor,
  type MappingDocument,
} from '@versicle/core';
import * as fc from 'fast-check';
import { bothWays, type Table } from './testing.ts';

/** Other documents each time; the seed is printed, so that they can be run again with VERSICLE_SEED. */
const seed = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 100_000_000);
const RUNS = Number(process.env['VERSICLE_RUNS'] ?? 6);

const some = <T>(values: readonly T[], max: number): fc.Arbitrary<T[]> =>
  fc.shuffledSubarray([...values], { minLength: 0, maxLength: max });
const one = <T>(values: readonly T[]): fc.Arbitrary<T | undefined> =>
  fc.option(fc.constantFrom(...values), { nil: undefined });
const cells = (...columns: (readonly (string | null)[])[]): fc.Arbitrary<(string | null)[]> =>
  fc.tuple(...columns.map((values) => fc.constantFrom(...values)));

const members = fc
  .array(
    cells(
      ['1', '2', '3', '4', '5', '6', null],
      ['Fenn, Oda', 'Hale, Zoë', 'Low', null],
      ['A', 'B', 'C', null],
      ['1', '2.50', '-3', '12', null],
      ['P', 'S', null],
    ),
    { maxLength: 12 },
  )
  .map((rows): Table => ({
    alias: 'm',
    dataset: 'files/m.csv',
    names: ['no', 'name', 'tariff', 'amount', 'type'],
    rows,
  }));
const more = fc
  .array(cells(['S', 'P'], ['7', '8', '1'], ['A', 'D']), { maxLength: 4 })
  .map((rows): Table => ({ alias: 'm', dataset: 'files/more.csv', names: ['kind', 'no', 'tariff'], rows }));
const tariffs = fc
  .array(cells(['A', 'A', 'B', 'D', null], ['monthly', 'yearly', 'day', null], ['1', '20', null]), { maxLength: 5 })
  .map((rows): Table => ({ alias: 't', dataset: 'files/t.csv', names: ['code', 'label', 'price'], rows }));

interface Made {
  readonly document: MappingDocument;
  readonly tables: readonly Table[];
}
const join = fc.record({
  kind: fc.constantFrom('left', 'inner', 'right', 'full'),
  on: fc.constantFrom(
    't.code = m.tariff',
    "t.code = m.tariff AND t.price = '1'",
    't.code = m.tariff AND m.no IS NOT NULL',
  ),
});
/** What may be said of records as they are, and of groups; `t` is there where it is joined. */
const plain = {
  distinctOn: some(['m.tariff', 'm.no', "m.type = 'S'"], 2),
  orderBy: some(['m.no DESC', 'm.tariff NULLS FIRST', 'm.name', 'm.type DESC NULLS LAST'], 2),
  groupBy: fc.constant<string[]>([]),
  skips: some(["m.type = 'S'", "m.no = '1'", 'm.tariff IS NULL'], 2),
  lines: some(
    [
      { target: 'a', kind: 'straight', source: 'm.name' },
      { target: 'b', kind: 'rule', rule: "coalesce(upper(m.tariff), '?') || m.no" },
      { target: 'c', kind: 'lookup', source: 'm.tariff', codeTable: 'codes', onFail: 'default', default: "'none'" },
      { target: 'd', kind: 'generated', generate: 'hash', of: ['m.no', 'm.name'] },
      { target: 'e', kind: 'constant', value: 'GB' },
      { target: 'f', kind: 'rule', rule: 'm.amount', condition: "m.type = 'P'", default: "'0'" },
      { target: 'g', kind: 'straight', source: 'm.name', defaultWhen: 'null', default: "'nobody'" },
      { target: 'h', kind: 'rule', rule: "split_part(m.name, ', ', 2)", check: "h <> 'Zoë'" },
    ],
    6,
  ),
};
const grouped = {
  distinctOn: fc.constant<string[]>([]),
  orderBy: some(['count(*) DESC', 'm.tariff NULLS FIRST'], 2),
  groupBy: fc.constantFrom(['m.tariff'], ['m.tariff', 'm.type'], ['m.tariff', "m.no > '3'"]),
  skips: some(['count(*) > 3', 'm.tariff IS NULL'], 1),
  lines: some(
    [
      { target: 'a', kind: 'straight', source: 'm.tariff' },
      { target: 'b', kind: 'rule', rule: 'count(DISTINCT m.no)' },
      { target: 'c', kind: 'rule', rule: "string_agg(m.no, '+' ORDER BY m.no)" },
      { target: 'd', kind: 'rule', rule: "sum(try_cast(m.amount, 'numeric'))" },
      { target: 'e', kind: 'rule', rule: "min(m.name) FILTER (WHERE m.type = 'P')" },
      { target: 'f', kind: 'rule', rule: "bool_or(m.type = 'S')" },
      { target: 'g', kind: 'lookup', source: 'm.tariff', codeTable: 'codes', onFail: 'null' },
    ],
    6,
  ),
};
const documents: fc.Arbitrary<Made> = fc
  .record({
    tables: fc.tuple(members, more, tariffs),
    shape: fc.oneof({ weight: 2, arbitrary: fc.record(plain) }, fc.record(grouped)),
    join: fc.option(join),
    union: fc.boolean(),
    filter: one(["m.type IS DISTINCT FROM 'S'", "m.no > '2'", "m.tariff IN ('A', 'B')", 'm.amount IS NOT NULL']),
    joinedLine: fc.boolean(),
    integer: fc.constantFrom('reject', 'null', 'default'),
    required: fc.boolean(),
    key: fc.boolean(),
    check: one(["no IS DISTINCT FROM '3'", "a <> 'Low'"]),
  })
  .map(({ tables: [m, u, t], shape, ...d }): Made => {
    const lines = [
      shape.groupBy.length === 0
        ? { target: 'no', kind: 'straight', source: 'm.no' }
        : { target: 'no', kind: 'rule', rule: 'count(*)::text' },
      {
        target: 'amount',
        kind: 'rule',
        rule: shape.groupBy.length === 0 ? 'm.amount' : 'min(m.amount)',
        onFail: d.integer,
        default: '7',
      },
      ...shape.lines,
      ...(d.join && d.joinedLine
        ? [{ target: 'label', kind: 'rule', rule: shape.groupBy.length === 0 ? 't.label' : 'max(t.label)' }]
        : []),
    ].map((l, i) => ({ id: `l${i}`, ...l }));
    const check =
      d.check !== undefined && (d.check.startsWith('no') || lines.some((l) => l.target === 'a')) ? d.check : null;
    const document = parseDocument({
      versicle: 1,
      name: 'Random',
      source: {
        primary: { alias: 'm', dataset: m.dataset },
        joins: d.join ? [{ alias: 't', dataset: t.dataset, ...d.join }] : [],
        unions: d.union ? [{ dataset: u.dataset, columns: { type: 'kind' } }] : [],
        filter: d.filter,
        distinctOn: shape.distinctOn,
        groupBy: shape.groupBy,
        orderBy: shape.orderBy,
      },
      target: {
        dataset: 'store/x',
        key: d.key ? ['no'] : [],
        fields: lines.map(({ target }) => ({
          name: target,
          type: target === 'amount' ? 'integer' : 'text',
          required: target === 'no' && d.required,
        })),
      },
      lines,
      skips: shape.skips.map((when, i) => ({ id: `s${i}`, when, reason: 'left out' })),
      checks: check === null ? [] : [{ id: 'c', rule: check, message: 'odd' }],
      codeTables: {
        codes: [
          { from: 'A', to: 'alpha' },
          { from: 'B', to: 'beta' },
        ],
      },
    });
    return { document, tables: [m, ...(d.union ? [u] : []), ...(d.join ? [t] : [])] };
  });

function errorsOf({ document, tables }: Made): string[] {
  const own = new Map(tables.filter((t) => t.dataset !== 'files/more.csv').map((t) => [t.alias, t.names]));
  const names = isComposed(document) ? composedNames(document, own) : tables[0]!.names;
  const { problems } = compileMapping(document, sourceFieldsFor(document, names));
  return problems.filter((p) => p.severity === 'error').map((p) => p.message);
}

describe('random documents over random tables', () => {
  let db: PGlite;
  beforeAll(async () => {
    db = await emptyPglite();
    await db.exec("SET TimeZone = 'UTC'; SET DateStyle = 'ISO'");
  });
  afterAll(() => db.close());

  it(`mean to PostgreSQL what they mean to a run (seed ${seed})`, async () => {
    await fc.assert(
      fc.asyncProperty(documents, async (made) => {
        expect(errorsOf(made)).toEqual([]);
        const { theirs, ours } = await bothWays(db, made.document, made.tables);
        expect(theirs).toEqual(ours);
      }),
      { seed, numRuns: RUNS, endOnFailure: true },
    );
  });
});
