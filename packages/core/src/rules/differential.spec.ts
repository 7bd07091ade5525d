import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { differences, evaluate } from '../testing/evaluate.ts';
import { Reference } from '../testing/reference.ts';
import { freshSeed as seed } from '../testing/seed.ts';
import { ruleArbitrary } from '../testing/rule-generator.ts';
import { RuleError } from './errors.ts';

/** Our answers against PostgreSQL's. VERSICLE_CASES and VERSICLE_SEED set size and seed of the random part. */
describe('rules give the answers of PostgreSQL', () => {
  let reference: Reference;
  beforeAll(async () => {
    reference = await Reference.open();
  });
  afterAll(() => reference.close());

  const chosen = [
    "'12' || 3",
    "i || 'x'",
    '5 / 2',
    '-5 / 2',
    '5 % -3',
    '7 / 2.0',
    '1 / 3.0',
    '2 ^ 10',
    '-2 ^ 2',
    '10.0 / 3',
    'n / m',
    '1e20 / 7',
    'round(2.5)',
    'round(-2.5)',
    'round(2.5::float8)',
    'round(1234.567, -2)',
    'trunc(-1.99, 1)',
    'sqrt(2.0)',
    'sqrt(2)',
    'sqrt(n)',
    '0.1 + 0.2',
    "'288230376151711616'::float8",
    "'-288230376151711616'::float8",
    "'288230376151711744'::float8",
    '0.1::float8 + 0.2',
    '9223372036854775807 + 1',
    '2147483647 + 1',
    '-2147483648',
    'abs(s)',
    "'0x1F'::int",
    "'1_000'::int",
    "' 12 '::int",
    "'1.0'::int",
    "'NaN'::numeric",
    "'1e5'::numeric",
    't::int',
    't::numeric',
    "'infinity'::date",
    "'2026-02-30'::date",
    "'yes'::boolean",
    "'t'::boolean",
    'true::text',
    'concat(true, NULL, 1.50)',
    "concat_ws(',', NULL, 'a', NULL, 'b')",
    "upper('ßéﬁ')",
    "lower('ÄİΣ')",
    "initcap('o''neil x-ray 3rd élan')",
    "lpad('ab', 5, 'xyz')",
    "lpad('abcdef', 3)",
    "rpad('😀', 3, '·')",
    "left('abc', -1)",
    "right('abc', -1)",
    "substring('abcdef' from -1 for 4)",
    "substring('abc' from 2 for -1)",
    "split_part('a,b,c', ',', -1)",
    "split_part('abc', '', 1)",
    "split_part('a', ',', 0)",
    "translate('abcabc', 'aab', 'xyz')",
    "replace('aaa', '', 'x')",
    "replace('aaa', 'a', '')",
    "position('' in 'abc')",
    "repeat('ab', -1)",
    "format('%s %% %L %I', 'x', 'it''s', 'A b')",
    "format('%2$s %1$s', 'a', 'b')",
    "format('%5s|%-5s|', 'a', 'b')",
    "'a' < 'B'",
    "'a' = 'A'",
    'NULL = NULL',
    'NULL IS NULL',
    'TRUE AND NULL',
    'FALSE AND NULL',
    'TRUE OR NULL',
    "a LIKE '%\\%%'",
    "'a%b' LIKE 'a\\%b'",
    "'abc' LIKE 'a!%c' ESCAPE '!'",
    "'abc' SIMILAR TO 'a%'",
    "'ab' ~ 'A'",
    "'ab' ~* 'A'",
    "E'a'",
    "DATE '2026-03-31' + INTERVAL '1 month'",
    "DATE '2024-02-29' - INTERVAL '1 year'",
    'd + 30',
    'd - e',
    "ts - INTERVAL '1 month 1 day'",
    'age(d, e)',
    'age(e, d)',
    'extract(dow from d)',
    'extract(isodow from d)',
    'extract(week from d)',
    'extract(isoyear from d)',
    'extract(quarter from d)',
    'extract(century from d)',
    'extract(decade from d)',
    'extract(epoch from tz)',
    'extract(second from ts)',
    'extract(milliseconds from ts)',
    "date_part('epoch', d)",
    "date_part('second', ts)",
    'extract(hour from d)',
    'extract(day from iv)',
    'extract(epoch from iv)',
    "date_trunc('week', ts)",
    "date_trunc('decade', ts)",
    "date_trunc('century', ts)",
    "to_char(ts, 'YYYY-MM-DD HH24:MI:SS.US')",
    "to_char(ts, 'HH12:MI am, FMMonth FMDDth')",
    'to_char(ts, \'Day DY "of" Q WW IW IYYY J\')',
    "to_char(tz, 'TZ HH24')",
    "ts at time zone 'Europe/London'",
    "tz at time zone 'Europe/London'",
    "TIMESTAMP '2026-03-29 01:30' AT TIME ZONE 'Europe/London'",
    "TIMESTAMP '2026-10-25 01:30' AT TIME ZONE 'Europe/London'",
    'make_date(2026, 2, 29)',
    'make_date(-1, 1, 1)',
    'CASE WHEN i = 0 THEN 0 ELSE 100 / i END',
    'CASE i WHEN 7 THEN 1.5 ELSE 2 END',
    'COALESCE(a, b, t)',
    "COALESCE(n, '0')",
    'NULLIF(i, 0)',
    'GREATEST(i, n)',
    'LEAST(d, e, NULL)',
    'i IN (7, 0, NULL)',
    'i NOT IN (7, NULL)',
    'n BETWEEN 0 AND 100',
    'i BETWEEN SYMMETRIC 10 AND 0',
    'a IS DISTINCT FROM b',
    'iv * 1.5',
    'iv / 2',
    "iv = INTERVAL '26:03:04'",
    'q IS NOT TRUE',
    'q::int',
    '3::bool',
    'f::int',
    'f::numeric',
    'n::float8',
    'm::text',
    '1e300::float8 * 1e300',
    '1::float8 / 0',
    '0x1F + 1',
    '1_000',
    "md5('abc')",
    'power(2, 0.5)',
    'power(0, -1)',
    'power(-8, 0.5::float8)',
    'sign(-2.50)',
    'mod(-7, 3)',
    'div(-7, 2)',
    'ceil(-0.5)',
    'floor(i)',
    'ceil(f)',
    '- n',
    '+ i',
    'i::text::int',
    "i = '7'",
    "i = 'x'",
    "d = '2026-08-03'",
    'd > ts',
    'n = 12.5',
    'length(a)',
    'char_length(b)',
    'octet_length(a)',
    'a || b',
    'i + n',
    'j + 1',
    'j * 2',
    's + s',
    's * 1000',
    "'abc'::varchar(2)",
    '12.345::numeric(4,1)',
    '12345.6::numeric(4,1)',
    "'5'::numeric(4,2)",
    "date '2026-08-03' = timestamp '2026-08-03 00:00'",
    "interval '1 day' > interval '23 hours'",
    "interval '1 mon 2 days'::text",
    "d + interval '36 hours'",
    "'2026-08-03 14:05+02'::timestamptz",
    "'2026-08-03T14:05:06Z'::timestamp",
    "'20260803'::date",
    "' 2026-8-3 '::date",
    "reverse('a😀b')",
    "btrim('😀a😀', '😀')",
    "starts_with(a, 'Al')",
  ];
  /** What people reach for in PostgreSQL, group by group. */
  const further = readFileSync(join(__dirname, '../testing/chosen-rules.txt'), 'utf8')
    .split('\n')
    .filter((line) => line.trim() !== '' && !line.startsWith('#'));
  it('agrees on patterns, regular expressions, JSON, arrays and bytes', async () => {
    const found: string[] = [];
    const refused: string[] = [];
    for (const rule of further) {
      const ours = evaluate(rule);
      const theirs = await reference.ask(rule);
      // What can only fail is refused beforehand; anything else on this list has an answer.
      if (ours instanceof RuleError) {
        if (theirs.some((answer) => answer.error === null)) refused.push(`${rule}: ${ours.message}`);
      } else {
        const differing = differences(ours, theirs);
        if (differing.length > 0) found.push(`${rule}\n   ${differing.join('\n   ')}`);
      }
    }
    expect(found.join('\n')).toBe('');
    expect(refused).toEqual([]);
    expect(further.length).toBeGreaterThan(300);
  });
  test.each(chosen)('%s', async (rule) => {
    const ours = evaluate(rule);
    if (ours instanceof RuleError) {
      // A refusal is never a wrong answer; that these are few is checked below.
      expect(ours.message).not.toBe('');
      return;
    }
    expect(differences(ours, await reference.ask(rule))).toEqual([]);
  });

  it('refuses few of the chosen rules', () => {
    const refused = chosen.filter((rule) => {
      const ours = evaluate(rule);
      return ours instanceof RuleError && !/can only fail|is no /.test(ours.message);
    });
    expect(refused).toEqual([]);
  });

  it('agrees on generated rules', async () => {
    const cases = Number(process.env['VERSICLE_CASES'] ?? 2400);
    process.stdout.write(`rules against PostgreSQL: seed ${seed}, ${cases} rules\n`);
    const rules = fc.sample(ruleArbitrary(3), { seed, numRuns: cases });
    let answered = 0;
    const found: string[] = [];
    for (const rule of rules) {
      const ours = evaluate(rule);
      if (ours instanceof RuleError) continue;
      answered++;
      const differing = differences(ours, await reference.ask(rule));
      if (differing.length > 0) found.push(`${rule}\n   ${differing.join('\n   ')}`);
      if (found.length >= 15) break;
    }
    expect(found.join('\n')).toBe('');
    expect(answered).toBeGreaterThan(cases * 0.6);
  }, 1_800_000);
});
