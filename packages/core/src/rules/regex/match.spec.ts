import { makeRule, RuleContext, RuleError } from '../../index.ts';

/** That its answers are PostgreSQL's is compared elsewhere; here is what must not happen. */
function answer(rule: string, text: string): string {
  const made = makeRule(rule, { fields: [{ alias: null, name: 'x', type: 'text', slot: 0 }] });
  const ctx = new RuleContext();
  ctx.row = [text];
  const value = made.run(ctx);
  return ctx.fault ? `fault: ${ctx.fault.message}` : String(value);
}

describe('regular expressions', () => {
  it.each([
    ["x ~ '^(a+)+$'", `${'a'.repeat(5000)}b`],
    ["regexp_like(x, '(a|aa)+$')", `${'a'.repeat(3000)}b`],
    ["regexp_like(x, '(a*)*b')", 'a'.repeat(3000)],
    ["regexp_replace(x, 'a(?=.*c)', '', 'g')", 'a'.repeat(50_000)],
    ["regexp_count(x, '(\\w+\\s?)*!')", 'word '.repeat(4000)],
    ["regexp_match(x, '(.*)(.*)(.*)(.*)(.*)y')::text", 'x'.repeat(20_000)],
  ])('can’t hang a run: %s', (rule, text) => {
    // Either an answer or a fault that says why; the test’s own time-out would tell of a hang.
    expect(answer(rule, text)).toMatch(/^(true|false|null|0|fault: .*takes too long.*)$/);
  });
  it('has room for long texts that are plainly cut', () => {
    const text = 'Quay  North,  '.repeat(10_000);
    expect(answer("length(regexp_replace(x, '\\s+', ' ', 'g'))", text)).toBe(String('Quay North, '.length * 10_000));
    expect(answer("cardinality(regexp_split_to_array(x, ',\\s*'))", text)).toBe('10001');
  });
  it.each([
    ['a back reference', "x ~ '(a)\\1'", /Back references/],
    ['a collating element', "x ~ '[[.a.]]'", /Collating elements/],
    ['a count beyond 255', "x ~ 'a{1000}'", /not a valid regular expression/],
    ['deep nesting', `x ~ '${'('.repeat(200)}a${')'.repeat(200)}'`, /nested more than/],
    ['a long pattern', `x ~ '${'a'.repeat(10_001)}'`, /longer than 10,000/],
    ['an unknown option', "regexp_like(x, 'a', 'k')", /option “k”/],
  ])('refuses %s', (_what, rule, message) => {
    expect(() => answer(rule, '')).toThrow(RuleError);
    expect(() => answer(rule, '')).toThrow(message);
  });
});
