import {
  compileMapping,
  parseDocument,
  RecordFeed,
  sourceFieldsFor,
  timestampOfMillis,
  Unreadable,
  valueText,
  type FeedFacts,
  type Fed,
  type RawRow,
} from '../index.ts';

const NAMES = ['no', 'town'];
const startedAt = timestampOfMillis(Date.UTC(2026, 7, 3, 10));

/** A document with a line of each kind that asks where a record stands. */
function document(patch: Record<string, unknown> = {}) {
  return parseDocument({
    versicle: 1,
    name: 'Stations',
    source: { primary: { alias: 's', dataset: 'files/stations.csv' }, ...((patch['source'] as object) ?? {}) },
    target: {
      dataset: 'warehouse/station',
      key: ['no'],
      fields: [
        { name: 'no', type: 'varchar(8)' },
        { name: 'town', type: 'text' },
        { name: 'place', type: 'text' },
        { name: 'number', type: 'bigint' },
      ],
    },
    lines: [
      { id: 'no', target: 'no', kind: 'straight', source: 's.no' },
      { id: 'town', target: 'town', kind: 'rule', rule: 'upper(s.town)' },
      { id: 'place', target: 'place', kind: 'rule', rule: "concat(:file_name, ' ', :row_number)" },
      { id: 'number', target: 'number', kind: 'generated', generate: 'sequence' },
    ],
    ...(patch['skips'] ? { skips: patch['skips'] } : {}),
  });
}
function feedOf(
  patch: Record<string, unknown> = {},
  facts: Partial<FeedFacts> = {},
  names: readonly string[] = NAMES,
): RecordFeed {
  const doc = document(patch);
  const compiled = compileMapping(doc, sourceFieldsFor(doc, names));
  expect(compiled.problems.filter((p) => p.severity === 'error')).toEqual([]);
  return new RecordFeed(compiled, { startedAt, ...facts });
}
const at = (row: number, fileRow = row, file: string | null = 'stations.csv') => ({ row, fileRow, file });
const shown = (fed: Fed): unknown =>
  fed.outcome.kind === 'written'
    ? fed.outcome.values.map((v, i) => valueText(v, i === 3 ? 'int8' : 'text'))
    : `${fed.outcome.kind} ${fed.outcome.failures.map((f) => `${f.line} ${f.cause}`).join()}${fed.outcome.skip ?? ''}`;

describe('from what a reader gives to a finished record', () => {
  it('says which file, and which row among all files', () => {
    const feed = feedOf();
    expect(shown(feed.take(['1', 'Larkway'], at(1)))).toEqual(['1', 'LARKWAY', 'stations.csv 1', '1']);
    expect(shown(feed.take(['2', 'Quay'], at(2, 1, 'more.csv')))).toEqual(['2', 'QUAY', 'more.csv 2', '2']);
    const nowhere = feed.take(['3', null], { row: 3, fileRow: 3, file: null });
    expect(shown(nowhere)).toEqual(['3', null, ' 3', '3']);
    expect(nowhere.place).toEqual({ row: 3, fileRow: 3, file: null });
  });

  it('fits rows that are too short or too long to the fields of the source', () => {
    const feed = feedOf();
    expect(shown(feed.take(['1'], at(1)))).toEqual(['1', null, 'stations.csv 1', '1']);
    const long = feed.take(['2', 'Quay', 'a member that showed up late'], at(2));
    expect(shown(long)).toEqual(['2', 'QUAY', 'stations.csv 2', '2']);
    expect(long.raw).toEqual(['2', 'Quay']);
    // Nothing at all is a record of nulls, which lacks its key.
    const { outcome } = feed.take([], at(3));
    expect([outcome.kind, outcome.failures.map((f) => f.cause)]).toEqual(['failed', ['required_missing']]);
  });

  it('files what could not be read under its row, and goes on', () => {
    const feed = feedOf();
    const fed = feed.take(new Unreadable('The quote has no end.', '1,"Lark'), at(7, 3, 'b.csv'));
    expect(fed.outcome.kind).toBe('failed');
    expect(fed.outcome.failures).toHaveLength(1);
    expect(fed.outcome.failures[0]).toMatchObject({ cause: 'source_unreadable' });
    expect(fed.outcome.failures[0]!.message).toContain('The quote has no end.');
    expect(fed.outcome.failures[0]!.message).toMatch(/3.*b\.csv|b\.csv.*3/);
    expect(fed.values).toEqual([]);
    expect(shown(feed.take(['1', 'Larkway'], at(8, 4, 'b.csv')))).toEqual(['1', 'LARKWAY', 'b.csv 8', '1']);
  });

  it('gives a record that comes again the number that it had, and goes on with its own', () => {
    const feed = feedOf();
    feed.sequence = 40;
    expect(shown(feed.take(['1', 'a'], at(1)))).toEqual(['1', 'A', 'stations.csv 1', '41']);
    expect(shown(feed.take(['2', 'b'], at(9), { sequence: 12 }))).toEqual(['2', 'B', 'stations.csv 9', '12']);
    expect(feed.given).toBe(12);
    expect(shown(feed.take(['3', 'c'], at(2)))).toEqual(['3', 'C', 'stations.csv 2', '42']);
    expect(feed.sequence).toBe(42);
    // One that had none gets a new one.
    expect(shown(feed.take(['4', 'd'], at(10), { sequence: null }))).toEqual(['4', 'D', 'stations.csv 10', '43']);
  });

  it('keeps records that came before out by their key, in the order of the source', () => {
    const feed = feedOf();
    const outcomes = (['1', '2', '1', '3'] as const).map((no, i) => feed.take([no, 'x'], at(i + 1)).outcome);
    expect(outcomes.map((o) => o.kind)).toEqual(['written', 'written', 'failed', 'written']);
    expect(outcomes[2]!.failures.map((f) => f.cause)).toEqual(['duplicate_key']);
  });

  it('filters and skips before any line, without numbers of the sequence for them', () => {
    const feed = feedOf({
      source: { filter: "s.town <> 'closed'" },
      skips: [{ id: 'k1', when: 's.no IS NULL', reason: 'no number' }],
    });
    const kinds = (
      [
        ['1', 'closed'],
        [null, 'Quay'],
        ['2', 'Quay'],
        ['3', null],
      ] as RawRow[]
    ).map((row, i) => {
      const { outcome } = feed.take(row, at(i + 1));
      return [outcome.kind, outcome.skip, feed.sequence];
    });
    expect(kinds.map(([kind]) => kind)).toEqual(['filtered', 'skipped', 'written', 'filtered']);
    expect(feed.sequence).toBe(1);
  });
});

describe('composed records, which say themselves where they belong', () => {
  const joined = {
    source: { joins: [{ alias: 't', dataset: 'files/towns.csv', kind: 'left', on: 't.name = s.town' }] },
  };
  const composed = ['s.no', 's.town', 't.name', '_row', '_file', '_unreadable', '_raw'];
  const before = new Map([
    ['a.csv', 0],
    ['b.csv', 20],
  ]);
  it('have the row of their primary dataset, and that within its file', () => {
    const feed = feedOf(joined, { before }, composed);
    expect(feed.composed).toBe(true);
    const fed = feed.take(['1', 'Quay', 'Quay', '23', 'b.csv', null, null], at(900, 900, 'landed'));
    expect(fed.place).toEqual({ row: 23, fileRow: 3, file: 'b.csv' });
    expect(shown(fed)).toEqual(['1', 'QUAY', 'b.csv 23', '1']);
    // A file that nobody counted begins at its first.
    expect(feed.take(['2', 'Quay', 'Quay', '4', 'c.csv', null, null], at(901)).place).toEqual({
      row: 4,
      fileRow: 4,
      file: 'c.csv',
    });
  });
  it('that belong to no primary record have no row number', () => {
    const fed = feedOf(joined, { before }, composed).take(['9', 'Hill', 'Hill', null, null, null, null], at(5));
    expect(shown(fed)).toEqual(['9', 'HILL', ' ', '1']);
    expect(fed.place).toEqual({ row: 5, fileRow: 5, file: null });
  });
  it('that could not be read say so, with the text as it stood there', () => {
    const feed = feedOf(joined, { before }, composed);
    const fed = feed.take([null, null, null, '21', 'b.csv', 'The row has 9 cells.', '1;2;3'], at(6));
    expect(fed.outcome.failures.map((f) => f.cause)).toEqual(['source_unreadable']);
    expect(fed.outcome.failures[0]!.message).toContain('The row has 9 cells.');
    expect(fed.raw).toBeInstanceOf(Unreadable);
    expect((fed.raw as Unreadable).raw).toBe('1;2;3');
    expect(fed.place).toEqual({ row: 21, fileRow: 1, file: 'b.csv' });
  });
  it('that come again are where they were then, and are not placed a second time', () => {
    const feed = feedOf(joined, { before }, composed);
    const row = ['1', 'Quay', 'Quay', '23', 'b.csv', null, null];
    const fed = feed.take(row, { row: 23, fileRow: 3, file: 'b.csv' }, { sequence: 7 });
    expect(shown(fed)).toEqual(['1', 'QUAY', 'b.csv 23', '7']);
    expect(fed.place.fileRow).toBe(3);
  });
});
