import * as fc from 'fast-check';
import {
  mappingsOf,
  parseDocument,
  parsePlan,
  partIds,
  partSteps,
  planProblems,
  Sharer,
  shareProblem,
} from '../index.ts';

const document = (more: object = {}) =>
  parseDocument({
    versicle: 1,
    name: 'Joins',
    source: {
      primary: { alias: 'd', dataset: 'signups/deliveries' },
      structures: { d: [{ name: 'age', type: 'integer' }] },
      ...more,
    },
    target: { dataset: 'store/x', key: [], fields: [{ name: 'n', type: 'text' }] },
    lines: [{ id: 'n', target: 'n', kind: 'straight', source: 'd.type' }],
    write: { mode: 'insert' },
  });
const NAMES = ['type', 'age'];
const sharer = (whens: string[], all = false, variables = {}): Sharer =>
  new Sharer(
    whens.map((when) => ({ when, document: document() })),
    { all, names: NAMES, marks: null, now: 0, variables },
  );

describe('a share', () => {
  it('gives a record to the first that takes it, or to every one', () => {
    const whens = ["d.type = 'join'", 'age >= 18', 'TRUE'];
    expect(sharer(whens).take(['join', '20'], 1, null)).toEqual({ by: [0] });
    expect(sharer(whens).take(['leave', '20'], 1, null)).toEqual({ by: [1] });
    expect(sharer(whens, true).take(['join', '20'], 1, null)).toEqual({ by: [0, 1, 2] });
    expect(sharer(whens.slice(0, 2)).take(['leave', null], 1, null)).toEqual({ by: [] });
  });
  it('asks no further than it must, and says what can’t be told', () => {
    expect(sharer(["type = 'join'", '1 / age > 0']).take(['join', '0'], 1, null)).toEqual({ by: [0] });
    expect(sharer(["type = 'join'", '1 / age > 0']).take(['leave', '0'], 1, null)).toEqual({
      problem: expect.stringContaining('1 / age > 0'),
    });
    expect(sharer(['TRUE']).take(['join', 'old'], 1, null)).toEqual({ problem: expect.stringContaining('Field age') });
  });
  it('knows the plan’s variables, the row and the file', () => {
    const one = sharer([':region = type AND :row_number = 3 AND :file_name IS NULL'], false, { region: 'north' });
    expect([one.take(['north', null], 3, null), one.take(['north', null], 4, null)]).toEqual([{ by: [0] }, { by: [] }]);
  });
  it('takes names with one alias, and conditions that are true or false', () => {
    expect(() => sharer(['a.type = b.type'])).toThrow('one alias');
    expect(() => sharer(['type'])).toThrow('true or false');
    expect(() => sharer(['colour = 1'])).toThrow('colour');
  });
  it('gives each record to the first of those to which all would give it', () => {
    const whens = fc.subarray(["type = 'a'", 'age > 1', 'type IS NULL', 'age % 2 = 0', 'FALSE'], { minLength: 1 });
    const row = fc.tuple(fc.option(fc.constantFrom('a', 'b')), fc.option(fc.integer({ min: 0, max: 4 }).map(String)));
    fc.assert(
      fc.property(whens, fc.array(row), (chosen, rows) => {
        const [first, every] = [sharer(chosen), sharer(chosen, true)];
        for (const r of rows) {
          const { by } = every.take(r, 1, null) as { by: number[] };
          expect(first.take(r, 1, null)).toEqual({ by: by.slice(0, 1) });
        }
      }),
      { numRuns: 60 },
    );
  });

  const plan = (by: object[], more: object = {}) =>
    parsePlan({
      versicle: 1,
      kind: 'plan',
      name: 'Shared',
      steps: [{ id: 'kinds', kind: 'share', dataset: 'signups/deliveries', by, ...more }],
    });
  it('has a step for each that shares, by the name of its mapping', () => {
    const by = [
      { when: 'TRUE', mapping: 'joins' },
      { when: 'FALSE', mapping: 'joins' },
      { when: 'TRUE', mapping: 'leaves' },
    ];
    expect(partIds(by)).toEqual(['joins', 'joins_2', 'leaves']);
    expect(partSteps({ by }, (part) => part + 1).map((s) => s.revision)).toEqual([1, 2, 3]);
    expect(mappingsOf(plan(by))).toEqual(['joins', 'leaves']);
  });
  it('is wrong where its conditions can’t be read, or its mappings read something else', () => {
    const found = (by: object[]): string[] => planProblems(plan(by)).map((p) => `${p.path} ${p.message}`);
    expect(found([{ when: 'd.type =', mapping: 'm' }])[0]).toContain('steps[0].by[0].when');
    expect(found([{ when: 'd.type = e.type', mapping: 'm' }])[0]).toContain('one alias');
    expect(planProblems(plan([{ when: 'TRUE', mapping: 'm' }]), { systems: ['other'] })[0]!.message).toContain(
      'signups',
    );
    expect(shareProblem({ dataset: 'signups/deliveries' }, document())).toBeNull();
    expect(shareProblem({ dataset: 'signups/other' }, document())).toContain('reads signups/deliveries');
    expect(shareProblem({ dataset: 'signups/deliveries' }, document({ distinctOn: ['d.type'] }))).toContain(
      'joins or groups',
    );
  });
});
