import { evaluate } from '../testing/evaluate.ts';
import { RuleError } from './errors.ts';

/** What PostgreSQL answers and we don't: it is refused by name before anything runs, never answered otherwise. */
describe('rules that are not supported are refused beforehand, in words', () => {
  it.each([
    // Types
    ["'abc'::char(5)", /use varchar or text/],
    ["length('a'::char(5))", /use varchar or text/],
    ['1.5::real', /no type “real”/],
    ['ts::time', /no type “time”. Did you mean timestamp/],
    ['ts::timestamp(0)', /takes no number in brackets; write timestamp\./],
    ['tz::timestamptz(0)', /write timestamptz/],
    ['iv::interval(0)', /write interval/],
    ['1234.5::numeric(5,-2)', /between 0 and the precision/],
    ['0.00123::numeric(2,4)', /between 0 and the precision/],
    ["'[1:2]={a,b}'::text[]", /is no text\[\]/],
    ["'{{a},{b}}'::text[]", /is no text\[\]/],
    ['ARRAY[1,2,3]::text', /Arrays are of texts here/],
    // Literals of which PostgreSQL makes more than one meaning can be made
    ["'2026-08-03 10:5'::timestamp", /is no timestamp/],
    ["'5874897-12-31'::date", /is no date/],
    ["interval '1' day", /Write the unit inside the quotes/],
    ["interval '1-2' year to month", /Write the unit inside the quotes/],
    // Functions
    ['cbrt(27)', /cbrt is not supported/],
    ['factorial(5)', /factorial is not supported/],
    ['random() < 0', /random is not supported/],
    ['gcd(1.5, 0.5)', /gcd\(integer, integer\)/],
    ['width_bucket(5::float8, 0, 10, 5)', /width_bucket\(numeric/],
    ['make_time(10, 5, 6)', /make_time is not supported/],
    ['make_interval(days => 3)', /“=>” is not expected here/],
    ["date_trunc('hour', iv)", /does not work on text and interval/],
    ['isfinite(iv)', /does not work on interval/],
    ["get_byte('\\x0102'::bytea, 1)", /no function get_byte/],
    ["substring('\\x010203'::bytea from 2 for 1)", /substring does not work on bytea/],
    // Patterns
    ["to_char(iv, 'HH24:MI:SS')", /to_char does not work on interval/],
    ['to_char(ts, \'\\"YYYY\\"\')', /Backslashes in a pattern/],
    // Operators
    ["'a' COLLATE \"C\" < 'B'", /“COLLATE” is not expected/],
    ["'[1,2]'::jsonb = '[2,1]'::jsonb", /jsonb can't be compared/],
    ["'{\"a\":1}'::jsonb - ARRAY['a']", /- does not work on jsonb and text\[\]/],
    ["ARRAY['a'] || ARRAY['b', 'c']", /use array_append, array_cat/],
    ["ARRAY['a'] @> ARRAY['a']", /@> does not work/],
    ["'\\x01'::bytea || '\\x02'::bytea", /are not joined by/],
    ["a <> ANY(ARRAY['A'])", /Only = ANY/],
    ["a = ALL(ARRAY['A'])", /Only = ANY/],
    ["a LIKE ANY(ARRAY['A%', 'n%'])", /“ANY” is not expected/],
    ["i = ANY('{1,7}')", /= ANY does not work on integer/],
    ['(d, e) OVERLAPS (d, e)', /Rows of several values/],
    // What can only fail
    ['CASE WHEN FALSE THEN 1 / 0 ELSE 5 END', /can only fail: Division by zero/],
    ["'abc' LIKE 'abc\\'", /must not end with its escape character/],
    ["'x'::int", /is no integer/],
    ["'2026-02-29'::date", /is no date/],
    ['1e400::float8', /out of the range of double precision/],
    ["'1e400'::float8", /is no double precision|out of the range/],
    ['1e-400::float8', /out of the range of double precision/],
    ['abs(-2147483648)', /out of the range of integer/],
  ])('%s', (rule, why) => {
    const refusal = evaluate(rule);
    expect(refusal).toBeInstanceOf(RuleError);
    expect((refusal as RuleError).message).toMatch(why);
  });

  it.each([
    ['', /empty|missing|expected/i],
    ['1 +', /expected|missing/i],
    ['(1', /closing bracket|missing/i],
    ["'open", /quote|end/i],
    ['"open', /quote|end/i],
    ['1 2', /not expected/],
    ['nowhere + 1', /nowhere/],
    ['no_such_function(a)', /no_such_function/],
    ['CASE WHEN q THEN 1', /END|missing|expected/],
    ['CASE END', /WHEN|expected/],
    ['i IN ()', /expected/i],
    ['i BETWEEN 1', /AND|missing|expected/],
    ['a::', /type/i],
    ['SELECT 1', /single expression, not a query/],
    ['1; DROP TABLE x', /not expected|;/],
    ['a -- what?', null],
    ['a /* what? */', null],
    ['/* open', /comment|end/i],
    ['$1', /dollar signs/],
    ['a = = b', /no operator =/],
    ['a OR', /expected|missing/i],
    ["E'\\u12'", /escape|hexadecimal|\\u/i],
    ['12abc', /12abc|not expected|number/i],
    ['1__0', /_|number/i],
    ['.', /not expected|expected/i],
    ['a[1]', /array|subscript|bracket/i],
    ['count(*)', /group/i],
    ['sum(i)', /group/i],
  ])('what is no rule is refused with a place: %j', (rule, why) => {
    const outcome = evaluate(rule);
    if (why === null) {
      expect(outcome).not.toBeInstanceOf(RuleError);
      return;
    }
    expect(outcome).toBeInstanceOf(RuleError);
    const error = outcome as RuleError;
    expect(error.message).toMatch(why);
    expect(error.at).toBeGreaterThanOrEqual(0);
    expect(error.end).toBeGreaterThanOrEqual(error.at);
    expect(error.end).toBeLessThanOrEqual(Math.max(rule.length, 1));
  });
});
