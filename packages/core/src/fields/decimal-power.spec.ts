import type { PGlite } from '@electric-sql/pglite';
import { emptyPglite } from '../testing/empty-pglite.ts';
import * as fc from 'fast-check';
import { Decimal, decimalText, parseDecimal } from './decimal.ts';
import { expOfDecimal, lnOfDecimal, logOfDecimals, powerOfDecimals, type Impossible } from './decimal-power.ts';
import { freshSeed } from '../testing/seed.ts';

const shown = (found: Decimal | Impossible): string => (typeof found === 'string' ? 'fails' : decimalText(found));
const d = (text: string): Decimal => parseDecimal(text)!;

describe('powers and logarithms of exact decimals, against PostgreSQL', () => {
  let db: PGlite;
  beforeAll(async () => {
    db = await emptyPglite();
    await db.exec(`CREATE FUNCTION tried(what text, a numeric, b numeric) RETURNS text LANGUAGE plpgsql AS $$
      BEGIN
        RETURN CASE what WHEN 'power' THEN power(a, b) WHEN 'ln' THEN ln(a) WHEN 'exp' THEN exp(a) ELSE log(b, a) END;
      EXCEPTION WHEN OTHERS THEN RETURN 'fails';
      END $$`);
  });
  afterAll(() => db.close());
  const theirs = async (what: string, pairs: readonly (readonly [string, string])[]): Promise<string[]> =>
    (
      await db.query<{ v: string }>(
        'SELECT tried($1, a::numeric, b::numeric) AS v FROM unnest($2::text[], $3::text[]) WITH ORDINALITY AS t(a, b, n) ORDER BY n',
        [what, pairs.map((p) => p[0]), pairs.map((p) => p[1])],
      )
    ).rows.map((r) => r.v);
  const ours: Record<string, (a: Decimal, b: Decimal) => Decimal | Impossible> = {
    power: powerOfDecimals,
    ln: lnOfDecimal,
    exp: expOfDecimal,
    log: (a, b) => logOfDecimals(b, a),
  };
  const number = fc.oneof(
    fc.constantFrom(
      '0',
      '1',
      '-1',
      '2',
      '10',
      '0.5',
      '-0.5',
      '1.0',
      '0.00',
      '100.000',
      'NaN',
      'Infinity',
      '-Infinity',
      '1e30',
      '1e-30',
      '0.9999999',
      '1.0000001',
      '123456789012345678901234567890.5',
    ),
    fc
      .tuple(fc.integer({ min: -99999, max: 99999 }), fc.integer({ min: 0, max: 5 }))
      .map(([n, s]) => decimalText(new Decimal(n, s))),
    fc
      .tuple(fc.integer({ min: -400, max: 400 }), fc.integer({ min: 0, max: 2 }))
      .map(([n, s]) => decimalText(new Decimal(n, s))),
  );

  it.each(['power', 'ln', 'exp', 'log'])('%s', async (what) => {
    const seed = freshSeed;
    const count = Number(process.env['VERSICLE_CASES'] ?? 700);
    const pairs = fc.sample(fc.tuple(number, number), { numRuns: count, seed }) as [string, string][];
    const expected = await theirs(what, pairs);
    const wrong = pairs.flatMap(([a, b], i) => {
      const found = shown(ours[what]!(d(a), d(b)));
      return found === expected[i]
        ? []
        : [`${what}(${a}, ${b}): ${found.slice(0, 60)} and not ${expected[i]!.slice(0, 60)}`];
    });
    expect({ seed, wrong: wrong.slice(0, 12), count: wrong.length }).toEqual({ seed, wrong: [], count: 0 });
  });
});
