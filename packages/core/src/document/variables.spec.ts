import {
  compileMapping,
  MappingRun,
  parseDocument,
  requireVariables,
  sourceFieldsFor,
  timestampOfMillis,
  variablesAsked,
  type MappingDocument,
} from '../index.ts';

const document = (rule: string, filter?: string): MappingDocument =>
  parseDocument({
    versicle: 1,
    name: 'Of a plan',
    source: { primary: { alias: 'i', dataset: 'files/items.csv' }, ...(filter ? { filter } : {}) },
    target: { dataset: 'store/item', fields: [{ name: 'out', type: 'text' }] },
    lines: [{ id: 'l1', target: 'out', kind: 'rule', rule }],
    write: { mode: 'insert' },
  });
const compiled = (of: MappingDocument): ReturnType<typeof compileMapping> =>
  compileMapping(of, sourceFieldsFor(of, ['no'], null));
const made = (of: MappingDocument, variables: Record<string, string>): unknown => {
  const run = new MappingRun(compiled(of), { startedAt: timestampOfMillis(0), variables });
  const { kind, values, failures } = run.apply(['7'], 1);
  return kind === 'written' ? values[0] : (failures[0]?.message ?? kind);
};

describe('variables of a plan in rules', () => {
  it('are texts, wherever rules stand', () => {
    expect(made(document("i.no || ' ' || :region"), { region: 'north' })).toBe('7 north');
    expect(made(document('CAST(:most AS integer) + 1'), { most: '41' })).toBe('42');
    expect(made(document('i.no', 'i.no = :no'), { no: '8' })).toBe('filtered');
    expect(made(document('i.no', 'i.no = :no'), { no: '7' })).toBe('7');
  });
  it('fail where nobody gives them, and are never what every object has', () => {
    for (const name of ['region', 'constructor', 'tostring'])
      expect(made(document(`:${name}`), {})).toContain(`:${name} has no value here; the plan`);
    expect(made(document("COALESCE(:region, 'none')"), {})).toContain('has no value here');
    expect(made(document(':sequence'), { sequence: 'of the plan' })).toBe('of the plan');
  });
  it('leave the facts of a run as they are, and don’t hide a slip in their names', () => {
    expect(made(document(':row_number'), { row_number: 'one' })).toBe('1');
    expect(compiled(document(':row_numbr')).problems[0]).toMatchObject({
      message: expect.stringContaining(':row_number'),
    });
  });
  it('are found in all rules, but not in their texts and casts', () => {
    const all = parseDocument({
      ...document("':no' || i.no::text || :a"),
      source: {
        primary: { alias: 'i', dataset: 'files/items.csv' },
        filter: ':b = i.no -- :no',
        joins: [{ alias: 'j', dataset: 'files/j.csv', kind: 'left', on: 'j.x = :c' }],
      },
      skips: [{ id: 's', when: ':d IS NULL', reason: 'no' }],
      checks: [{ id: 'k', rule: 'out <> :e AND :row_number > 1', message: 'no' }],
    });
    expect(variablesAsked(all).sort()).toEqual(['a', 'b', 'c', 'd', 'e']);
    expect(() => requireVariables(all, { a: '', b: '', c: '', d: '' })).toThrow(':e has no value here');
    expect(() => requireVariables(all, { a: '', b: '', c: '', d: '', e: '' })).not.toThrow();
  });
});
