import { makeRule, RuleContext, valueText, type Value } from '../index.ts';

/** The functions that PostgreSQL does not have: what they read, and what they refuse to read. */
function answer(rule: string, text: string | null): string {
  const made = makeRule(rule, {
    fields: [{ alias: null, name: 'x', type: 'text', slot: 0 }],
    codeTables: new Map([['tariff', new Map([['A', 'MONTHLY']])]]),
  });
  const ctx = new RuleContext();
  ctx.row = [text];
  ctx.codeTables = new Map([['tariff', new Map([['A', 'MONTHLY']])]]);
  const value: Value = made.run(ctx);
  if (ctx.fault) return `${ctx.fault.cause}: ${ctx.fault.message}`;
  return valueText(value, made.type) ?? 'null';
}

describe('parse_date', () => {
  it.each([
    ['DD.MM.YYYY', '03.08.2026', '2026-08-03'],
    ['YYYYMMDD', '20260803', '2026-08-03'],
    ['DD.MM.YY', '03.08.26', '2026-08-03'],
    ['DD.MM.YY', '03.08.70', '1970-08-03'],
    ['DD Mon YYYY', '03 Aug 2026', '2026-08-03'],
    ['YYYY-MM-DD', '2024-02-29', '2024-02-29'],
  ])('reads %s: %s', (pattern, text, expected) => expect(answer(`parse_date(x, '${pattern}')`, text)).toBe(expected));
  it.each([
    ['DD.MM.YYYY', '00.00.0000', /day and month must be at least 1/],
    ['DD.MM.YYYY', '31.02.2019', /31\.02\.2019/],
    ['DD.MM.YYYY', '5.7.19', /./],
    ['DD.MM.YYYY', '12.05.2019 extra', /DD\.MM\.YYYY/],
    ['DD.MM.YYYY', '', /./],
    ['DD.MM.YYYY', '12.13.2019', /./],
    ['DD.MM.YYYY', ' 12.12.2019', /./],
    ['YYYY-MM-DD', '2023-02-29', /./],
  ])('refuses %s: %j', (pattern, text, sentence) => {
    const said = answer(`parse_date(x, '${pattern}')`, text);
    expect(said).toMatch(/^rule_error/);
    expect(said).toMatch(sentence);
  });
  it('gives null for null', () => expect(answer("parse_date(x, 'DD.MM.YYYY')", null)).toBe('null'));
});

describe('parse_timestamp', () => {
  it.each([
    ["parse_timestamp(x, 'DD.MM.YYYY HH24:MI')", '03.08.2026 14:05', '2026-08-03 14:05:00'],
    ["parse_timestamp(x, 'YYYY-MM-DD HH24:MI:SS')", '2026-08-03 23:59:59', '2026-08-03 23:59:59'],
    ["parse_timestamp(x, 'DD.MM.YYYY HH24:MI')", '03.08.2026 24:00', /^rule_error/],
    ["parse_timestamp(x, 'DD.MM.YYYY HH24:MI')", '03.08.2026 14:60', /^rule_error/],
    ["parse_timestamp(x, 'DD.MM.YYYY HH24:MI')", '03.08.2026', /^rule_error/],
  ] as const)('%s of %s', (rule, text, expected) => {
    if (typeof expected === 'string') expect(answer(rule, text)).toBe(expected);
    else expect(answer(rule, text)).toMatch(expected);
  });
});

describe('parse_number', () => {
  it.each([
    ['parse_number(x)', '12.50', '12.50'],
    ['parse_number(x)', '12.50-', '-12.50'],
    ['parse_number(x)', '-12.50', '-12.50'],
    ['parse_number(x)', '+7', '7'],
    ["parse_number(x, ',')", '12,50-', '-12.50'],
    ["parse_number(x, ',', '.')", '1.204,50', '1204.50'],
    ["parse_number(x, '.', ',')", '1,234,567.8', '1234567.8'],
  ])('%s of %s', (rule, text, expected) => expect(answer(rule, text)).toBe(expected));
  it.each([
    ['parse_number(x)', '12,50'],
    ['parse_number(x)', '1E5'],
    ['parse_number(x)', '-12-'],
    ['parse_number(x)', ''],
    ['parse_number(x)', ' 1'],
    ['parse_number(x)', '1.2.3'],
    ["parse_number(x, ',', '.')", '1.20,5'],
    ["parse_number(x, ',', '.')", '.204,5'],
    ["parse_number(x, '.', ',')", '12,34.5'],
  ])('%s does not read %j', (rule, text) => expect(answer(rule, text)).toMatch(/^rule_error/));
});

describe('lookup, try_cast, fail', () => {
  it.each([
    ["lookup('tariff', x)", 'A', 'MONTHLY'],
    ["lookup('tariff', x)", 'Z', 'code_not_found: “Z” is not in the code table tariff.'],
    ["lookup('tariff', x)", null, 'null'],
    ["lookup('tariff', x, 'NONE')", 'Z', 'NONE'],
    ["try_cast(x, 'integer')", '12', '12'],
    ["try_cast(x, 'integer')", '12a', 'null'],
    ["try_cast(x, 'date')", '2026-02-30', 'null'],
    ["CASE WHEN x = 'bad' THEN fail('No such thing') ELSE x END", 'bad', 'rule_error: No such thing'],
    ["CASE WHEN x = 'bad' THEN fail('No such thing') ELSE x END", 'good', 'good'],
  ])('%s of %j', (rule, text, expected) => expect(answer(rule, text)).toBe(expected));
});
