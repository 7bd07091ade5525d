import {
  expectationOf,
  knownSource,
  exampleProblems,
  parseDocument,
  runExamples,
  timestampOfMillis,
  type Example,
} from '../index.ts';

const FIELDS = ['no', 'born', 'type', 'tariff'];
const NOW = timestampOfMillis(Date.UTC(2026, 10, 26));
const document = (examples: Example[], rule = "parse_date(m.born, 'DD.MM.YYYY')") =>
  parseDocument({
    versicle: 1,
    name: 'Members',
    source: { primary: { alias: 'm', dataset: 'files/members.csv' }, filter: "m.no <> '0'" },
    target: {
      dataset: 'warehouse/member',
      key: ['no'],
      fields: [
        { name: 'no', type: 'integer', required: true },
        { name: 'born', label: 'Date of birth', type: 'date' },
        { name: 'tariff', type: 'text' },
        { name: 'loaded', type: 'timestamptz' },
        { name: 'id', type: 'uuid' },
      ],
    },
    lines: [
      { id: 'l1', target: 'no', kind: 'straight', source: 'm.no' },
      { id: 'l2', target: 'born', kind: 'rule', rule },
      { id: 'l3', target: 'tariff', kind: 'lookup', source: 'm.tariff', codeTable: 'tariff' },
      { id: 'l4', target: 'loaded', kind: 'rule', rule: 'now()' },
      { id: 'l5', target: 'id', kind: 'generated', generate: 'uuid' },
    ],
    checks: [{ id: 'c1', rule: "born < DATE '2020-01-01'", message: 'Born too late' }],
    skips: [{ id: 's1', when: "m.type = 'STAFF'", reason: 'by hand' }],
    codeTables: { tariff: [{ from: 'A', to: 'MONTHLY' }] },
    examples,
  });
const ground = (examples: Example[], rule?: string) => ({
  document: document(examples, rule),
  fields: FIELDS,
  now: NOW,
});
const kept = (row: (string | null)[], id = 'e1', rule?: string): Example => ({
  id,
  source: Object.fromEntries(FIELDS.map((f, i) => [f, row[i] ?? null])),
  expect: expectationOf(ground([], rule), row)!,
});

describe('examples of a document', () => {
  it('expect what comes out when they are kept, but for what is another value another day', () => {
    expect(kept(['7', '02.03.1984', null, 'A']).expect).toEqual({
      outcome: 'written',
      values: { no: '7', born: '1984-03-02', tariff: 'MONTHLY' },
      causes: {},
    });
    expect(kept(['0', '02.03.1984', null, 'A']).expect).toMatchObject({ outcome: 'filtered', values: {} });
    expect(kept(['7', '02.03.1984', 'STAFF', 'A']).expect).toMatchObject({ outcome: 'skipped', values: {} });
  });
  it('expect a failure with its cause on its line or check', () => {
    expect(kept(['7', '31.02.1984', null, 'Z']).expect).toEqual({
      outcome: 'failed',
      values: { no: '7' },
      causes: { l2: 'rule_error', l3: 'code_not_found' },
    });
    expect(kept(['7', '02.03.2021', null, 'A']).expect).toMatchObject({ causes: { c1: 'check_failed' } });
  });
  it('hold as long as nothing changes, and name the line when something does', () => {
    const examples = [
      kept(['7', '02.03.1984', null, 'A']),
      kept(['7', '31.02.1984', null, 'Z'], 'e2'),
      kept(['7', '02.03.1984', 'STAFF', 'A'], 'e3'),
    ];
    expect(exampleProblems(ground(examples))).toEqual([]);
    const changed = runExamples(ground(examples, "parse_date(m.born, 'MM.DD.YYYY')"));
    expect(changed.map((r) => r.differences)).toEqual([
      [{ line: 'l2', message: 'Date of birth should be “1984-03-02” and is “1984-02-03”.' }],
      [],
      [],
    ]);
    const lenient = exampleProblems(ground(examples, "DATE '2000-01-01'"));
    expect(lenient.map((p) => [p.line, p.path])).toEqual([
      ['l2', 'examples e1'],
      ['l2', 'examples e2'],
    ]);
    expect(lenient[1]!.message).toContain('should fail (rule_error) and does not');
  });
  it('stay as they are when a join comes to the document, or goes', () => {
    const examples = [kept(['7', '02.03.1984', null, 'A'])];
    const [example] = examples;
    const source = Object.fromEntries(Object.entries(example!.source).map(([name, value]) => [`m.${name}`, value]));
    expect(exampleProblems(ground([{ ...example!, source }]))).toEqual([]);
    const joined = parseDocument({
      ...document(examples),
      source: {
        primary: { alias: 'm', dataset: 'files/members.csv' },
        joins: [{ alias: 't', dataset: 'files/tariffs.csv', kind: 'left', on: 't.code = m.tariff' }],
      },
    });
    const fields = [...FIELDS.map((f) => `m.${f}`), 't.code'];
    expect(exampleProblems({ document: joined, fields, now: NOW })).toEqual([]);
    // The command line knows no structure: examples tell of fields, too.
    expect(exampleProblems({ document: joined, fields: knownSource(joined).names, now: NOW })).toEqual([]);
    // Another dataset's field of the same name is another field.
    const other = { ...example!, source: { ...example!.source, 't.no': '9' } };
    const [problem] = exampleProblems({ document: { ...joined, examples: [other] }, fields, now: NOW });
    expect(problem!.message).toContain('The source has no field “t.no” any more.');
  });
  it('meet the filter of joined records, too', () => {
    const filtered = { ...kept(['0', '02.03.1984', null, 'A']), id: 'e2' };
    expect(filtered.expect.outcome).toBe('filtered');
    const { source, ...rest } = document([filtered]);
    const joins = [{ alias: 't', dataset: 'files/tariffs.csv', kind: 'left', on: 't.code = m.tariff' }];
    const joined = parseDocument({
      ...rest,
      source: { ...source, joins, filter: "m.no <> '0' AND t.code IS NOT NULL" },
    });
    const fields = [...FIELDS.map((f) => `m.${f}`), 't.code'];
    expect(exampleProblems({ document: joined, fields, now: NOW })).toEqual([]);
  });
  it('say so when a field or a line that they name is gone', () => {
    const example = kept(['7', '02.03.1984', null, 'A']);
    const without = { document: document([example]), fields: ['no', 'born', 'type'], now: NOW };
    expect(exampleProblems(without).map((p) => p.message)).toEqual(
      expect.arrayContaining([expect.stringContaining('The source has no field “tariff” any more.')]),
    );
    const broken = exampleProblems(ground([example], 'nonsense('));
    expect(broken.map((p) => p.message).join()).toContain('No line fills Date of birth now.');
  });
});
