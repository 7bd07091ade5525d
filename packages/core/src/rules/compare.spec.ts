import fc from 'fast-check';
import type { PGlite } from '@electric-sql/pglite';
import { emptyPglite } from '../testing/empty-pglite.ts';
import { parseFieldType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import { freshSeed as seed } from '../testing/seed.ts';
import { castBetween } from './casts.ts';
import { comparisonFor, keyOf } from './compare.ts';
import { RuleContext } from './context.ts';

/** How values are ordered, and which are equal, against PostgreSQL's own operators. */

const texts = fc.oneof(
  fc.string({ unit: 'binary', maxLength: 4 }).filter((t) => !t.includes('\u0000')),
  fc.constantFrom('', 'a', 'A', 'a b', 'é', '\u{1f600}', '\uffee', 'a,b', '"', '\\', 'NULL'),
);
const quoted = (text: string | null): string => (text === null ? 'NULL' : `"${text.replace(/["\\]/g, '\\$&')}"`);
const whole = (low: number, high: number): fc.Arbitrary<string> => fc.integer({ min: low, max: high }).map(String);
const day = fc
  .date({ min: new Date('0001-01-02'), max: new Date('9999-12-30'), noInvalidDate: true })
  .map((d) => d.toISOString());
const written: Record<string, fc.Arbitrary<string>> = {
  text: texts,
  integer: whole(-2147483648, 2147483647),
  bigint: fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }).map(String),
  numeric: fc.oneof(
    fc.tuple(fc.bigInt({ min: -(10n ** 22n), max: 10n ** 22n }), fc.nat(9)).map(([u, s]) => `${u}e-${s}`),
    fc.constantFrom('0', '0.00', '-0', '1', '1.0', '1.000', 'NaN', 'Infinity', '-Infinity', '10', '1e1'),
  ),
  'double precision': fc.oneof(
    fc.double().map((n) => (Object.is(n, -0) ? '-0' : String(n))),
    fc.constantFrom('0', '-0', 'NaN', 'Infinity', '-Infinity', '1', '1e-5'),
  ),
  boolean: fc.constantFrom('true', 'false'),
  date: fc.oneof(
    day.map((d) => d.slice(0, 10)),
    fc.constantFrom('infinity', '-infinity', '2026-08-03'),
  ),
  timestamp: fc.oneof(
    day.map((d) => d.slice(0, 23)),
    fc.constantFrom('infinity', '2026-08-03 00:00:00.000001', '2026-08-03'),
  ),
  timestamptz: fc.oneof(day, fc.constantFrom('2026-08-03 12:00+02', '2026-08-03 10:00+00')),
  interval: fc.oneof(
    fc.tuple(whole(-30, 30), whole(-70, 70), whole(-90, 90)).map(([m, d, h]) => `${m} months ${d} days ${h} hours`),
    fc.constantFrom('1 month', '30 days', '720 hours', '0', '1 day -24 hours'),
  ),
  uuid: fc.uuid(),
  'text[]': fc
    .array(fc.option(texts, { nil: null }), { maxLength: 3 })
    .map((items) => `{${items.map(quoted).join(',')}}`),
  bytea: fc.uint8Array({ maxLength: 4 }).map((bytes) => `\\x${Buffer.from(bytes).toString('hex')}`),
};

describe('the order of values is PostgreSQL’s', () => {
  let db: PGlite;
  beforeAll(async () => {
    db = await emptyPglite();
    await db.exec("SET TimeZone = 'UTC'");
  });
  afterAll(() => db.close());

  test.each(Object.entries(written))('%s', async (type, arbitrary) => {
    const values = fc.sample(arbitrary, { seed, numRuns: 60 });
    // Pairs that are equal are rare by chance, so each value also meets itself.
    const pairs = values.flatMap((v, i) => [
      [v, values[(i + 1) % values.length]!],
      [v, values[(i * 7 + 3) % values.length]!],
      [v, v],
    ]);
    const collated = type === 'text' || type === 'text[]' ? ' COLLATE "C"' : '';
    const { rows } = await db.query<{ o: number }>(
      `SELECT CASE WHEN x::${type}${collated} < y::${type}${collated} THEN -1
                   WHEN x::${type}${collated} = y::${type}${collated} THEN 0 ELSE 1 END AS o
         FROM unnest($1::text[], $2::text[]) WITH ORDINALITY AS u(x, y, n) ORDER BY n`,
      [pairs.map(([x]) => x), pairs.map(([, y]) => y)],
    );
    // Arrays and bytes occur within rules only; no field has them.
    const valueType = type === 'text[]' || type === 'bytea' ? type : parseFieldType(type).value;
    const read = castBetween('text', valueType)!;
    const valueOf = (text: string): Value => {
      const ctx = new RuleContext();
      const value = read(text as never, ctx);
      if (ctx.fault) throw new Error(`${type} ${text}: ${ctx.fault.message}`);
      return value;
    };
    const compare = comparisonFor(valueType)! as (a: Value, b: Value) => number;
    const wrong = pairs.flatMap(([x, y], i) => {
      const [a, b] = [valueOf(x!), valueOf(y!)];
      const theirs = rows[i]!.o;
      const same = keyOf(a, valueType) === keyOf(b, valueType);
      return Math.sign(compare(a, b)) === theirs && Math.sign(compare(b, a)) === -theirs + 0 && same === (theirs === 0)
        ? []
        : [`${x} and ${y}: ours ${compare(a, b)}, same key ${same}, PostgreSQL ${theirs}`];
    });
    expect(wrong).toEqual([]);
  });
});
