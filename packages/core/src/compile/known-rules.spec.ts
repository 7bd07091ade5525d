import fc from 'fast-check';
import { parseDocument } from '../document/document.ts';
import { compileMapping } from './compile.ts';
import { KnownRules } from './known-rules.ts';

const FIELDS = ['no', 'name', 'miles', 'code'].map((name) => ({ name, type: 'text' as const }));
const RULES = ['upper(s.name)', "s.miles || ' mi'", 'length(s.nmae)', 's.miles + 1', "lookup('codes', s.code)", 'now('];
const rule = fc.constantFrom(...RULES);
/** Versions of a document as edits make them: rules, types, codes, a grouping. */
const version = fc.record({
  rules: fc.array(rule, { minLength: 3, maxLength: 3 }),
  type: fc.constantFrom('text', 'integer'),
  code: fc.constantFrom('Z', 'Y'),
  check: fc.constantFrom('t0 IS NOT NULL', 't0 > 4', 't9 IS NULL'),
  grouped: fc.boolean(),
});
type Version = typeof version extends fc.Arbitrary<infer T> ? T : never;
const documentOf = ({ rules, type, code, check, grouped }: Version) =>
  parseDocument({
    versicle: 1,
    name: 'Members',
    source: {
      primary: { alias: 's', dataset: 'files/members.csv' },
      ...(grouped ? { groupBy: ['s.name', 's.miles', 's.code', 's.no'] } : {}),
    },
    target: { dataset: 'store/member', key: ['no'], fields: ['no', 't0', 't1', 't2'].map((name) => ({ name, type })) },
    lines: [
      { id: 'no', target: 'no', kind: 'straight', source: 's.no' },
      ...rules.map((text, i) => ({ id: `l${i}`, target: `t${i}`, kind: 'rule', rule: text })),
    ],
    codeTables: {
      codes: [
        { from: 'A', to: 'a' },
        { from: code, to: 'z' },
      ],
    },
    checks: [{ id: 'c1', rule: check, message: 'no' }],
    write: { mode: 'insert' },
  });
const shown = (version: Version, known?: KnownRules): unknown => {
  const { problems, lines, checks } = compileMapping(documentOf(version), FIELDS, known);
  return { problems, lines: lines.map((l) => [l.id, l.uses, l.type]), checks: checks.map((c) => c.rule.type) };
};

describe('rules that are known', () => {
  it('give what compiling from nothing gives, whatever was edited before', () =>
    fc.assert(
      fc.property(fc.array(version, { minLength: 1, maxLength: 6 }), (versions) => {
        const known = new KnownRules();
        for (const one of versions) expect(shown(one, known)).toEqual(shown(one));
      }),
      { numRuns: 60 },
    ));
  it('are made again only where an edit touches them', () => {
    const known = new KnownRules();
    const first: Version = {
      rules: ['upper(s.name)', 'lower(s.name)', 'now('],
      type: 'text',
      code: 'Z',
      check: 't0 IS NOT NULL',
      grouped: false,
    };
    shown(first, known);
    const after = known.made;
    shown(first, known);
    expect(known.made).toBe(after);
    shown({ ...first, rules: ['upper(s.name)', "lower(s.name) || '!'", 'now('] }, known);
    expect(known.made).toBe(after + 1);
    // A code that changes may change what any rule gives.
    shown({ ...first, code: 'Y' }, known);
    expect(known.made).toBeGreaterThan(after + 3);
  });
});
