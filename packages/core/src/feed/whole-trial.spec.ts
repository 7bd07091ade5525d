import * as fc from 'fast-check';
import {
  addsUp,
  compileMapping,
  parseDocument,
  sourceFieldsFor,
  timestampOfMillis,
  Unreadable,
  WholeTrial,
  type RawRow,
} from '../index.ts';

const document = parseDocument({
  versicle: 1,
  name: 'Stations',
  source: { primary: { alias: 's', dataset: 'files/stations.csv' }, filter: "s.code <> 'X'" },
  target: {
    dataset: 'warehouse/station',
    key: ['code'],
    fields: [
      { name: 'code', type: 'varchar(3)', required: true },
      { name: 'docks', type: 'integer' },
    ],
  },
  lines: [
    { id: 'l1', target: 'code', kind: 'straight', source: 's.code' },
    { id: 'l2', target: 'docks', kind: 'rule', rule: 's.docks::integer * 2' },
  ],
  checks: [{ id: 'c1', rule: 'docks < 100', message: 'too many docks' }],
  skips: [{ id: 's1', when: "s.docks = '0'", reason: 'closed' }],
});
const trial = (rows: RawRow[], pieces = rows.length, of = document): ReturnType<WholeTrial['result']> => {
  const whole = new WholeTrial(compileMapping(of, sourceFieldsFor(of, ['code', 'docks'])), {
    startedAt: timestampOfMillis(0),
  });
  for (let at = 0; at < rows.length; at += Math.max(1, pieces))
    whole.push(rows.slice(at, at + pieces), { row: at + 1, fileRow: at + 1, file: 'a.csv' });
  return whole.result();
};
const ROWS: RawRow[] = [
  ['A', '10'],
  ['X', '10'],
  ['B', '0'],
  ['C', 'many'],
  ['D', '70'],
  ['A', '12'],
  new Unreadable('no closing quote', '"E'),
  ['LONG', '5'],
];

describe('a trial of the whole document', () => {
  it('has a stage for skips of the finished record, where there are any', () => {
    const skips = [{ id: 's2', when: 'docks = 20', reason: 'small', at: 'mapped' as const }];
    const { counts, stages } = trial(ROWS, ROWS.length, { ...document, skips });
    expect(counts).toMatchObject({ read: 8, filtered: 1, skipped: 1, failed: 4, written: 2 });
    expect(stages.map((s) => `${s.name} ${s.on} ${s.off}`).slice(2)).toEqual([
      'skips 6 0',
      'lines 4 2',
      'mapped 3 1',
      'checks 2 1',
      'key 2 0',
    ]);
    expect(stages[4]!.offRecords).toEqual([{ row: 1, file: 'a.csv', values: ['A', '20'], why: 'small' }]);
  });
  it('tells at which stage each record goes no further, and why', () => {
    const { counts, stages, failures } = trial(ROWS);
    expect(counts).toMatchObject({ read: 8, filtered: 1, skipped: 1, failed: 5, written: 1 });
    expect(stages.map((s) => [s.name, s.on, s.off])).toEqual([
      ['read', 7, 1],
      ['filter', 6, 1],
      ['skips', 5, 1],
      ['lines', 3, 2],
      ['checks', 2, 1],
      ['key', 1, 1],
    ]);
    expect(stages[2]!.offRecords).toEqual([{ row: 3, file: 'a.csv', values: ['B', '0'], why: 'closed' }]);
    expect(stages[3]!.onRecords.map((r) => r.values)).toEqual([
      ['A', '20'],
      ['D', '140'],
      ['A', '24'],
    ]);
    expect(stages[5]!.onRecords).toEqual([{ row: 1, file: 'a.csv', values: ['A', '20'], why: '' }]);
    expect(failures.map((f) => [f.line, f.cause, f.count, f.row])).toEqual(
      expect.arrayContaining([
        ['l2', 'rule_error', 1, 4],
        ['l1', 'too_long', 1, 8],
        ['c1', 'check_failed', 1, 5],
        ['l1', 'duplicate_key', 1, 6],
        [null, 'source_unreadable', 1, 7],
      ]),
    );
  });
  it('puts the values of the source beside those of the target', () => {
    const [code, docks] = trial(ROWS).fields;
    expect(code).toMatchObject({ target: 'code', line: 'l1', before: [{ name: 'code', filled: 5, distinct: 4 }] });
    expect(docks!.before[0]).toMatchObject({ name: 'docks', filled: 5 });
    expect(docks!.after).toMatchObject({ filled: 1, min: '20', max: '20' });
  });
  it('shows the beginning of very long values only', () => {
    const long = 'x'.repeat(2_000_000);
    const { stages, failures } = trial([['A', long]]);
    expect(stages[0]!.onRecords[0]!.values[1]).toBe(`${'x'.repeat(300)}…`);
    expect(failures[0]).toMatchObject({ line: 'l2', source: [] });
  });
  it('adds up, stage by stage, however the records are handed over', () => {
    const cell = fc.constantFrom('A', 'B', 'X', '0', '7', '99', '');
    fc.assert(
      fc.property(
        fc.array(fc.tuple(cell, cell), { maxLength: 30 }),
        fc.integer({ min: 1, max: 31 }),
        (rows, pieces) => {
          const found = trial(rows, pieces);
          expect(addsUp(found.counts)).toBe(true);
          expect(found.counts.read).toBe(rows.length);
          let left = rows.length;
          for (const { on, off } of found.stages) {
            expect(on + off).toBe(left);
            left = on;
          }
          expect(left).toBe(found.counts.written);
          expect(found).toEqual(trial(rows));
        },
      ),
    );
  });
});
