import {
  compileMapping,
  MappingRun,
  parseDocument,
  sourceFieldsFor,
  Timestamp,
  timestampOfMillis,
  type Line,
  type Outcome,
  type Value,
} from '../index.ts';

const NAMES = ['no', 'name', 'joined', 'code', 'amount'];

/** A document over one source; what is given replaces the parts. */
function document(lines: readonly (Partial<Line> & { target: string })[], patch: Record<string, unknown> = {}) {
  const types: Record<string, string> = {
    no: 'varchar(6)',
    joined: 'date',
    amount: 'numeric(7,2)',
    n: 'integer',
    flag: 'boolean',
    code: 'char(2)',
  };
  return parseDocument({
    versicle: 1,
    name: 'Test',
    source: { primary: { alias: 'm', dataset: 'x/y' }, ...((patch['source'] as object) ?? {}) },
    target: {
      dataset: 'a/b',
      key: [],
      fields: lines.map((l) => ({
        name: l.target,
        type: types[l.target] ?? 'text',
        ...((patch['fields'] as Record<string, object>)?.[l.target] ?? {}),
      })),
      ...((patch['target'] as object) ?? {}),
    },
    lines: lines.map((l, i) => ({ id: `l${i + 1}`, ...l })),
    codeTables: {
      tariff: [
        { from: 'A', to: 'M' },
        { from: 'B', to: 'Y' },
      ],
    },
    ...Object.fromEntries(Object.entries(patch).filter(([k]) => !['source', 'target', 'fields'].includes(k))),
  });
}
function run(doc: ReturnType<typeof document>, rows: readonly Value[][]): Outcome[] {
  const mapping = compileMapping(doc, sourceFieldsFor(doc, NAMES));
  const errors = mapping.problems.filter((p) => p.severity === 'error');
  if (errors.length > 0) throw new Error(errors.map((e) => e.message).join('\n'));
  const mapper = new MappingRun(mapping, { startedAt: timestampOfMillis(Date.UTC(2026, 7, 3, 10)), fileName: 'y.csv' });
  return rows.map((r, i) => mapper.apply([...r, ...new Array<null>(NAMES.length - r.length).fill(null)], i + 1));
}
const problems = (doc: ReturnType<typeof document>): string[] =>
  compileMapping(doc, sourceFieldsFor(doc, NAMES))
    .problems.filter((p) => p.severity === 'error')
    .map((p) => p.message);
const of = (outcome: Outcome): unknown =>
  outcome.kind === 'written' ? outcome.values : outcome.failures.map((f) => `${f.line} ${f.cause}`);

describe('kinds of line', () => {
  it('fills each as its kind says', () => {
    const doc = document([
      { target: 'a', kind: 'straight', source: 'm.name' },
      { target: 'b', kind: 'constant', value: 'GB' },
      { target: 'c', kind: 'rule', rule: 'upper(m.name)' },
      { target: 'd', kind: 'lookup', source: 'm.code', codeTable: 'tariff' },
      { target: 'n', kind: 'generated', generate: 'sequence' },
      { target: 'e', kind: 'generated', generate: 'hash', of: ['m.no'] },
      { target: 'f', kind: 'not loaded' },
      { target: 'g', kind: 'rule', rule: ':file_name || :row_number::text' },
    ]);
    const [first, second] = run(doc, [
      ['1', 'kit', null, 'A'],
      ['2', 'asta', null, 'B'],
    ]);
    expect(first!.values.slice(0, 5)).toEqual(['kit', 'GB', 'KIT', 'M', 1]);
    expect(second!.values.slice(0, 5)).toEqual(['asta', 'GB', 'ASTA', 'Y', 2]);
    expect(first!.values[5]).toMatch(/^[0-9a-f]{64}$/);
    expect(first!.values[5]).not.toBe(second!.values[5]);
    expect(first!.values.slice(6)).toEqual(['y.csv1']);
  });
  it('makes a new uuid for each record', () => {
    const ids = run(document([{ target: 'u', kind: 'generated', generate: 'uuid' }]), [['1'], ['2']]).map(
      (o) => o.values[0],
    );
    expect(new Set(ids).size).toBe(2);
  });
});

describe('condition, default, failure', () => {
  const line = (patch: Partial<Line>) =>
    document([{ target: 'joined', kind: 'rule', rule: "parse_date(m.joined, 'DD.MM.YYYY')", ...patch }]);
  const day = (iso: string): number => Date.parse(`${iso}T00:00Z`) / 86_400_000;
  const joined = (patch: Partial<Line>, text: string | null): unknown => of(run(line(patch), [['1', null, text]])[0]!);

  it('takes the default when the condition is not true', () => {
    const patch = { condition: "m.joined <> '00.00.0000'", default: "DATE '1990-01-01'" };
    expect(joined(patch, '00.00.0000')).toEqual([day('1990-01-01')]);
    expect(joined(patch, null)).toEqual([day('1990-01-01')]);
    expect(joined(patch, '03.08.2026')).toEqual([day('2026-08-03')]);
    expect(joined({ condition: "m.joined <> '00.00.0000'" }, '00.00.0000')).toEqual([null]);
  });
  it('leaves a null result null, unless the default is for that too', () => {
    expect(joined({ default: "DATE '1990-01-01'" }, null)).toEqual([null]);
    expect(joined({ default: "DATE '1990-01-01'", defaultWhen: 'null' }, null)).toEqual([day('1990-01-01')]);
  });
  it('rejects, or goes on with default or null and a remark, or stops', () => {
    expect(joined({}, 'x')).toEqual(['l1 rule_error']);
    const withDefault = run(line({ onFail: 'default', default: "DATE '1990-01-01'" }), [['1', null, 'x']])[0]!;
    expect(withDefault).toMatchObject({
      kind: 'written',
      values: [day('1990-01-01')],
      remarks: [{ line: 'l1', cause: 'rule_error', values: { 'm.joined': 'x' } }],
    });
    expect(run(line({ onFail: 'null' }), [['1', null, 'x']])[0]).toMatchObject({
      kind: 'written',
      values: [null],
      remarks: [{ cause: 'rule_error' }],
    });
    expect(run(line({ onFail: 'stop' }), [['1', null, 'x']])[0]).toMatchObject({ kind: 'failed', stop: true });
  });
  it('evaluates the other lines too, so that all faults show at once', () => {
    const doc = document([
      { target: 'joined', kind: 'rule', rule: "parse_date(m.joined, 'DD.MM.YYYY')" },
      { target: 'd', kind: 'lookup', source: 'm.code', codeTable: 'tariff' },
      { target: 'no', kind: 'straight', source: 'm.no' },
      { target: 'amount', kind: 'straight', source: 'm.amount' },
    ]);
    const [outcome] = run(doc, [['1234567', null, 'x', 'Z', '12,5']]);
    expect(outcome!.failures.map((f) => [f.line, f.target, f.cause])).toEqual([
      ['l1', 'joined', 'rule_error'],
      ['l2', 'd', 'code_not_found'],
      ['l3', 'no', 'too_long'],
      ['l4', 'amount', 'type_mismatch'],
    ]);
    expect(outcome!.failures[0]).toMatchObject({ at: 0, values: { 'm.joined': 'x' } });
  });
});

describe('conversion to the target type is strict', () => {
  it.each([
    ['n', '12', 12],
    ['n', '12.0', 'type_mismatch'],
    ['n', ' 12 ', 'type_mismatch'],
    ['n', '', 'type_mismatch'],
    ['n', '2147483648', 'type_mismatch'],
    ['amount', '12.505', '12.51'],
    ['amount', '123456.78', 'type_mismatch'],
    ['flag', 'yes', true],
    ['flag', 'perhaps', 'type_mismatch'],
    ['joined', '2026-08-03', 20_668],
    ['joined', '03.08.2026', 'type_mismatch'],
    ['no', '123456', '123456'],
    ['no', '1234567', 'too_long'],
  ])('%s from %j', (target, text, expected) => {
    const [outcome] = run(document([{ target, kind: 'straight', source: 'm.amount' }]), [['', null, null, null, text]]);
    const value = outcome!.values[0];
    if (outcome!.kind === 'failed') expect(outcome!.failures[0]!.cause).toBe(expected);
    else
      expect(
        typeof value === 'object' && value !== null
          ? `${Number((value as unknown as { units: number }).units) / 100}`
          : value,
      ).toBe(expected);
  });
  it('never cuts a text, and counts characters, not code units', () => {
    const doc = document([{ target: 'no', kind: 'straight', source: 'm.no' }]);
    expect(run(doc, [['😀😀😀😀😀😀']])[0]!.kind).toBe('written');
    expect(of(run(doc, [['😀😀😀😀😀😀😀']])[0]!)).toEqual(['l1 too_long']);
  });
  it('wants what is required', () => {
    const fields = { no: { nullable: false } };
    expect(of(run(document([{ target: 'no', kind: 'straight', source: 'm.no' }], { fields }), [[null]])[0]!)).toEqual([
      'l1 required_missing',
    ]);
  });
});

describe('the record as a whole', () => {
  const base = [
    { target: 'no', kind: 'straight' as const, source: 'm.no' },
    {
      target: 'joined',
      kind: 'rule' as const,
      rule: "parse_date(m.joined, 'DD.MM.YYYY')",
      check: "joined >= DATE '1990-01-01'",
      checkMessage: 'Joined before the scheme existed',
    },
    { target: 'name', kind: 'straight' as const, source: 'm.name' },
  ];
  it('is filtered, then skipped by the first condition that is true', () => {
    const doc = document(base, {
      source: { filter: "m.code <> 'X'" },
      skips: [
        { id: 's1', when: "m.name = 'staff'", reason: 'By hand' },
        { id: 's2', when: 'TRUE', reason: 'All others' },
      ],
    });
    const kinds = run(doc, [
      ['1', 'a', null, 'X'],
      ['2', 'staff', null, 'A'],
      ['3', 'b', null, 'A'],
      ['4', 'b', null, null],
    ]);
    expect(kinds.map((o) => [o.kind, o.skip])).toEqual([
      ['filtered', null],
      ['skipped', 's1'],
      ['skipped', 's2'],
      ['filtered', null],
    ]);
  });
  it('is skipped by what it has become, after its lines and before its checks and key; what can’t be told fails there', () => {
    const doc = document(base, {
      target: { key: ['no'] },
      skips: [
        { id: 's1', when: "name = 'x' AND 1 / (length(no) - 1) > 0", reason: 'Odd', at: 'mapped' },
        { id: 's2', when: "joined < DATE '2000-01-01'", reason: 'Long ago', at: 'mapped' },
      ],
      checks: [{ id: 'c1', rule: "name <> 'y'", message: 'Not y' }],
    });
    const outcomes = run(doc, [
      ['1', 'y', '01.01.1999'],
      ['1', 'a', '01.01.2001'],
      ['22', 'x', '01.01.2001'],
      ['3', 'x', '01.01.2001'],
      ['4', 'a', '01.01.1980'],
      ['5', 'y', '01.01.2001'],
      ['66', null, null],
    ]);
    expect(outcomes.map((o) => o.skip ?? of(o))).toEqual([
      's2',
      ['1', 11_323, 'a'],
      's1',
      ['s1 rule_error'],
      ['l2 check_failed'],
      ['c1 check_failed'],
      ['66', null, null],
    ]);
    expect(outcomes[3]!.failures[0]!.values).toEqual({ name: 'x', no: '3' });
    expect(
      problems(document(base, { skips: [{ id: 's1', when: "m.name = 'x'", reason: 'r', at: 'mapped' }] })),
    ).toEqual([expect.stringContaining('name')]);
    expect(() => document(base, { skips: [{ id: 's1', when: 'TRUE', reason: 'r', at: 'later' }] })).toThrow();
  });
  it('meets its line’s check, null counting as met, and its checks', () => {
    const checks = [
      { id: 'c1', rule: 'joined <= CURRENT_DATE', message: 'Joined in the future' },
      { id: 'c2', rule: "name <> 'x'", message: 'Odd name', onFail: 'remark' },
    ];
    const outcomes = run(document(base, { checks }), [
      ['1', 'a', '01.01.1980'],
      ['2', 'a', null],
      ['3', 'a', '04.08.2026'],
      ['4', 'x', '03.08.2026'],
    ]);
    expect(outcomes.map(of)).toEqual([['l2 check_failed'], ['2', null, 'a'], ['c1 check_failed'], ['4', 20_668, 'x']]);
    expect(outcomes[0]!.failures[0]).toMatchObject({ message: 'Joined before the scheme existed', target: 'joined' });
    expect(outcomes[3]!.remarks).toEqual([
      expect.objectContaining({ line: 'c2', message: 'Odd name', values: { name: 'x' } }),
    ]);
  });
  it('fails when its key, or a unique set, came before; the first that passed everything wins', () => {
    const doc = document(base, { target: { key: ['no'], unique: [['name']] } });
    const outcomes = run(doc, [
      ['1', 'a', 'bad'],
      ['1', 'a', null],
      ['1', 'b', null],
      ['2', 'a', null],
      ['3', null, null],
      ['4', null, null],
    ]);
    expect(outcomes.map((o) => o.kind)).toEqual(['failed', 'written', 'failed', 'failed', 'written', 'written']);
    expect(outcomes[2]!.failures).toEqual([
      expect.objectContaining({ line: 'l1', target: 'no', cause: 'duplicate_key', values: { no: '1' } }),
    ]);
    expect(outcomes[3]!.failures).toEqual([
      expect.objectContaining({ line: 'l3', target: 'name', cause: 'duplicate_key' }),
    ]);
  });
  it('takes one moment for now() throughout the run', () => {
    const doc = document([{ target: 'at', kind: 'rule', rule: 'now()::text' }]);
    expect(run(doc, [['1'], ['2']]).map((o) => o.values[0])).toEqual([
      '2026-08-03 10:00:00+00',
      '2026-08-03 10:00:00+00',
    ]);
    expect(new Timestamp(1, 2)).toEqual(new Timestamp(1, 2));
  });
});

describe('problems of a document', () => {
  it.each([
    [document([{ target: 'a', kind: 'straight', source: 'm.nmae' }]), /no field.*Did you mean/],
    [document([{ target: 'a', kind: 'rule', rule: 'm.name + 1' }]), /text/],
    [document([{ target: 'a', kind: 'lookup', source: 'm.code', codeTable: 'tarif' }]), /Did you mean “tariff”/],
    [document([{ target: 'n', kind: 'constant', value: 'twelve' }]), /constant for n does not fit/],
    [
      document([{ target: 'a', kind: 'straight', source: 'm.name', onFail: 'default' }]),
      /default is wanted, but the line has none/,
    ],
    [document([{ target: 'a', kind: 'rule', rule: 'm.name', condition: 'm.name' }]), /must be true or false/],
    [
      document([{ target: 'a', kind: 'straight', source: 'm.name' }], { fields: { a: { type: 'varchr(4)' } } }),
      /no type “varchr\(4\)”.*Did you mean varchar/,
    ],
    [document([{ target: 'a', kind: 'straight', source: 'm.name' }], { target: { key: ['b'] } }), /no field “b”/],
    [
      document([
        { target: 'a', kind: 'straight', source: 'm.name' },
        { target: 'a', kind: 'straight', source: 'm.no' },
      ]),
      /two fields called “a”/,
    ],
    [document([{ target: 'a' }], { fields: { a: { required: true } } }), /required, but its line is still to map/],
    [document([{ target: 'a', kind: 'straight', source: 'm.name' }], { write: { mode: 'upsert' } }), /needs a key/],
    [document([{ target: 'joined', kind: 'rule', rule: 'm.name = m.no' }]), /boolean/],
  ])('%#', (doc, message) => expect(problems(doc).join('\n')).toMatch(message));

  it('sums optional unmapped fields up in one warning', () => {
    const doc = document([
      { target: 'a' },
      { target: 'b' },
      { target: 'c', kind: 'not loaded' },
      { target: 'd', kind: 'straight', source: 'm.no' },
    ]);
    const all = compileMapping(doc, sourceFieldsFor(doc, NAMES)).problems;
    expect(all).toEqual([
      expect.objectContaining({ severity: 'warning', message: '2 optional fields are not mapped: a, b.' }),
    ]);
  });
});
