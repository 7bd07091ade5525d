import * as fc from 'fast-check';
import { parse as parsePostgres, loadModule } from 'libpg-query';
import { makeRule, parseRule, printRule, RuleContext, RuleError, functions, valueText, type Scope } from '../index.ts';
import { ruleArbitrary } from '../testing/rule-generator.ts';

const expression = ruleArbitrary(3);

const scope: Scope = {
  fields: [
    { alias: 'm', name: 'joined', type: 'text', slot: 0 },
    { alias: 'm', name: 'balance', type: 'numeric', slot: 1 },
    { alias: 'm', name: 'Odd Name', type: 'text', slot: 2 },
  ],
  codeTables: new Map([['tariff', new Map([['A', 'MONTHLY']])]]),
};
const refusal = (rule: string): RuleError => {
  try {
    makeRule(rule, scope);
  } catch (error) {
    if (error instanceof RuleError) return error;
  }
  throw new Error(`${rule} was not refused`);
};

describe('syntax, against PostgreSQL’s own parser', () => {
  beforeAll(() => loadModule());
  const treeOf = async (text: string): Promise<unknown> => plain(await parsePostgres(`SELECT ${text}`));
  const accepted = async (text: string): Promise<boolean> => {
    try {
      await parsePostgres(`SELECT ${text}`);
      return true;
    } catch {
      return false;
    }
  };

  it('accepts what PostgreSQL accepts, and its own printing says the same', async () => {
    const texts = fc.sample(expression, { numRuns: 3000 });
    for (const text of texts) {
      const theirs = await accepted(text);
      let tree: ReturnType<typeof parseRule>;
      try {
        tree = parseRule(text);
      } catch (error) {
        // Comparisons in a chain want brackets with us (docs/rules.md).
        if (theirs && !/A bracket around the first comparison/.test((error as Error).message))
          throw new Error(`refused, but PostgreSQL accepts ${text}`, { cause: error });
        continue;
      }
      if (!theirs) throw new Error(`accepted, but PostgreSQL rejects ${text}`);
      const printed = printRule(tree, (alias, name) => (alias ? `${alias}.${name}` : name));
      expect(printRule(parseRule(printed), (alias, name) => (alias ? `${alias}.${name}` : name))).toBe(printed);
      // Ours is printed with every bracket: when PostgreSQL reads the same tree from both texts, precedence agrees.
      expect({ text, tree: await treeOf(printed) }).toEqual({ text, tree: await treeOf(text) });
    }
  });

  it.each([
    'count(*)',
    'count(DISTINCT a)',
    'sum(ALL a + 1) * 2',
    "string_agg(a, ', ' ORDER BY b DESC NULLS LAST, c)",
    'max(a) FILTER (WHERE b > 1 AND c)',
    'count(*) FILTER (WHERE a IS NULL) > 3',
  ])('reads the aggregate %s as PostgreSQL does', async (text) => {
    const printed = printRule(parseRule(text));
    expect(await treeOf(printed)).toEqual(await treeOf(text));
  });
  it.each(['count(*, a)', 'upper(*)', 'sum(a ORDER BY)', 'max(a) FILTER (b)', 'sum(a) OVER ()'])(
    'rejects the aggregate %s',
    (text) => expect(() => parseRule(text)).toThrow(RuleError),
  );

  it('rejects what PostgreSQL rejects when a piece is cut out or doubled', async () => {
    const texts = fc.sample(fc.tuple(expression, fc.nat(), fc.nat(6), fc.boolean()), { numRuns: 2000 });
    for (const [text, place, size, doubled] of texts) {
      const at = place % text.length;
      const piece = text.slice(at, at + size + 1);
      const broken = doubled
        ? text.slice(0, at) + piece + text.slice(at)
        : text.slice(0, at) + text.slice(at + size + 1);
      // :name is a variable with us.
      if (/(^|[^:]):[a-z]/i.test(broken)) continue;
      let ours = true;
      try {
        parseRule(broken);
      } catch (error) {
        expect(error).toBeInstanceOf(RuleError);
        ours = false;
      }
      if (ours && !(await accepted(broken))) throw new Error(`accepted, but PostgreSQL rejects: ${broken}`);
    }
  });
});

describe('refusals say what, where and what instead', () => {
  it.each([
    ['m.jioned', /no field.*m\.jioned.*Did you mean/, 0, 8, 'm.joined'],
    ['uper(m.joined)', /no function.*uper.*Did you mean upper/i, 0, 4, 'upper'],
    ['parse_date(m.joined)', /parse_date/, 0, undefined, undefined],
    ['m.joined + 1', /text/, undefined, undefined, undefined],
    ['(m.balance', /bracket|\)/, undefined, undefined, undefined],
    ["'open", /quote/i, 0, undefined, undefined],
    ["lookup('tarif', m.joined)", /tarif.*tariff/, undefined, undefined, undefined],
    ["regexp_matches(m.joined, 'a')", /regexp_matches is not supported/, 0, undefined, undefined],
    ["regexp_replace(m.joined, '(', 'b')", /not a valid regular expression/, 0, undefined, undefined],
    ["to_char(m.balance, '9.9.9')", /two decimal points/, 0, undefined, undefined],
    ["parse_date(m.joined, 'QQ')", /pattern letters Q/, undefined, undefined, undefined],
    ['1 +', /end|expected/i, undefined, undefined, undefined],
    ['sum(m.balance)', /aggregate.*groups/, 0, 3, undefined],
    ['upper(DISTINCT m.joined)', /no aggregate/, 0, undefined, undefined],
    ['SELECT 1', /SELECT/i, undefined, undefined, undefined],
  ])('%s', (rule, message, at, end, proposal) => {
    const error = refusal(rule);
    expect(error.message).toMatch(message);
    expect(error.at).toBeGreaterThanOrEqual(0);
    expect(error.at).toBeLessThanOrEqual(rule.length);
    if (at !== undefined) expect(error.at).toBe(at);
    if (end !== undefined) expect(error.end).toBe(end);
    if (proposal !== undefined) expect(error.proposal).toBe(proposal);
  });

  it('bounds size and nesting instead of running out of stack', () => {
    expect(() => parseRule(Array.from({ length: 10_000 }, (_, i) => i).join(' + '))).toThrow(RuleError);
    expect(() => parseRule('('.repeat(20_000) + '1' + ')'.repeat(20_000))).toThrow(RuleError);
    expect(() => parseRule('NOT '.repeat(20_000) + 'TRUE')).toThrow(RuleError);
  });
});

describe('faults are values', () => {
  it('says which part failed, and the next record is not touched by it', () => {
    const rule = makeRule("upper(parse_date(m.joined, 'DD.MM.YYYY')::text) || 'x'", scope);
    const ctx = new RuleContext();
    ctx.row = ['00.00.0000', null, null];
    rule.run(ctx);
    expect(ctx.fault).toMatchObject({
      cause: 'rule_error',
      at: 6,
      message: expect.stringContaining('“00.00.0000” is not a date'),
    });
    expect(rule.text.slice(ctx.fault!.at, ctx.fault!.end)).toBe("parse_date(m.joined, 'DD.MM.YYYY')");
    ctx.fault = null;
    ctx.row = ['03.08.2026', null, null];
    expect(rule.run(ctx)).toBe('2026-08-03x');
    expect(rule.uses.map((u) => u.name)).toEqual(['joined']);
  });
  it('bounds the size of a result', () => {
    const ctx = new RuleContext();
    ctx.row = ['x', null, null];
    makeRule('repeat(m.joined, 2000000)', scope).run(ctx);
    expect(ctx.fault?.message).toMatch(/longer than/);
  });
});

describe('the registry', () => {
  const codeTables = new Map([['tariff', new Map([['M', 'MONTHLY']])]]);
  // Aggregates need records to be grouped: source-set.spec.ts of source-sets tries those.
  it.each([...functions.values()].filter((f) => f.group !== 'aggregate').map((f) => [f.name, f] as const))(
    '%s: its example is true',
    (name, f) => {
      const rule = makeRule(f.example.rule, { fields: [], codeTables });
      const ctx = new RuleContext();
      ctx.codeTables = codeTables;
      ctx.keyMaps = new Map([['Bikes to workshop', new Map([['0007512', '7512']])]]);
      const value = rule.run(ctx);
      expect(ctx.fault).toBeNull();
      // now() depends on when; the others must give what Help says.
      if (name !== 'now') expect(value === null ? null : valueText(value, rule.type)).toBe(f.example.value);
    },
  );
});

/** A tree without what only says how it was written: places, SQL's own call forms, schemas of built-in functions. */
function plain(node: unknown): unknown {
  if (Array.isArray(node))
    return node.map(plain).filter((n) => JSON.stringify(n) !== '{"String":{"sval":"pg_catalog"}}');
  if (typeof node !== 'object' || node === null) return node;
  const entries = Object.entries(node).filter(([key]) => !/location|stmt_len|funcformat/.test(key));
  return Object.fromEntries(entries.map(([key, value]) => [key, plain(value)]));
}
