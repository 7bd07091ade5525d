import {
  changeLine,
  parseDocument,
  suggestLines,
  suggestedLine,
  type MappingDocument,
  type SuggestFrom,
} from '../index.ts';
import { NameMatcher, nameWords } from './name-match.ts';

describe('how alike names are', () => {
  const matcher = new NameMatcher([['quay', 'pier']]);
  it('goes by words, abbreviations written out', () => {
    expect(nameWords('memberNo')).toEqual(['member', 'number']);
    expect(nameWords('ACCT_BAL')).toEqual(['account', 'balance']);
  });
  it.each([
    ['member_no', 'Member number', 1],
    ['town', 'city', 0.6],
    ['born', 'date of birth', 0.6],
    ['quay_code', 'pier code', 0.6],
    ['joined', 'opened_on', 0.3],
  ])('%s and %s', (a, b, least) => expect(matcher.alike(a, b)).toBeGreaterThanOrEqual(least));
  it.each([
    ['latitude', 'longitude'],
    ['name', 'docks'],
    ['tariff', 'fare'],
  ])('tells %s from %s', (a, b) => expect(matcher.alike(a, b)).toBeLessThan(0.6));
});

describe('suggestions for lines to map', () => {
  const document = (patch: Record<string, unknown> = {}): MappingDocument =>
    parseDocument({
      versicle: 1,
      name: 'Stations',
      source: { primary: { alias: 's', dataset: 'tidebridge/stations.csv' } },
      target: {
        dataset: 'warehouse/station',
        key: ['station_code'],
        fields: [
          { name: 'station_code', type: 'varchar(8)' },
          { name: 'title', label: 'Name of the station', type: 'text' },
          { name: 'lat', type: 'numeric(8,5)' },
          { name: 'opened_on', type: 'date' },
          { name: 'capacity', type: 'integer' },
          { name: 'operator', type: 'text' },
        ],
      },
      lines: ['station_code', 'title', 'lat', 'opened_on', 'capacity', 'operator'].map((target, i) => ({
        id: `l${i + 1}`,
        target,
        state: 'to map',
      })),
      write: { mode: 'upsert' },
      ...patch,
    });
  const from: SuggestFrom = {
    fields: [
      { name: 'code' },
      { name: 'name' },
      { name: 'latitude' },
      { name: 'longitude' },
      { name: 'opened' },
      { name: 'docks' },
    ],
    rows: [
      ['S-001', 'Quillstairs', '47,1445', '28,4', '02.06.2014', '23'],
      ['S-002', 'Tollhouse', '47,1549', '28,3', '27.07.2020', '10'],
    ],
    marks: null,
    declared: false,
    others: [],
  };
  const shown = (list: ReturnType<typeof suggestLines>): Record<string, string> =>
    Object.fromEntries(list.map((s) => [s.target, s.rule ?? s.source ?? s.value ?? '']));

  it('finds fields by name, and reads their values strictly', () => {
    const found = suggestLines(document(), from);
    expect(shown(found)).toEqual({
      station_code: 's.code',
      title: 's.name',
      lat: "parse_number(s.latitude, ',', '.')",
      opened_on: "parse_date(s.opened, 'DD.MM.YYYY')",
      capacity: 's.docks',
    });
    expect(found.map((s) => s.confidence)).toEqual([...found.map((s) => s.confidence)].sort((a, b) => b - a));
    expect(found.find((s) => s.target === 'opened_on')!.reason).toContain('its values are dates');
  });
  it('takes declared fields as they are', () => {
    const declared = suggestLines(document(), {
      ...from,
      marks: { decimal: ',', dates: 'DD.MM.YYYY' },
      declared: true,
    });
    expect(shown(declared)).toMatchObject({ lat: 's.latitude', opened_on: 's.opened' });
  });
  it('leaves alone what is mapped, and does not give one field twice', () => {
    const mapped = changeLine(document(), 'l1', { kind: 'straight', source: 's.code' });
    const found = suggestLines(mapped, from);
    expect(found.some((s) => s.line === 'l1')).toBe(false);
    const sources = found.map((s) => s.rule ?? s.source);
    expect(new Set(sources).size).toBe(sources.length);
  });
  it('learns from other mappings of the same target', () => {
    const other = document({
      name: 'Old stations',
      source: { primary: { alias: 'o', dataset: 'tidebridge/old.csv' } },
      lines: [
        { id: 'x1', target: 'operator', kind: 'constant', value: 'Larkway', state: 'agreed' },
        { id: 'x2', target: 'title', kind: 'rule', rule: "initcap(o.name) || ' o.x'", state: 'drafted' },
        { id: 'x3', target: 'lat', kind: 'straight', source: 'o.not_here', state: 'agreed' },
      ],
    });
    const found = suggestLines(document(), { ...from, others: [other] });
    expect(shown(found)).toMatchObject({ operator: 'Larkway', title: "initcap(s.name) || ' o.x'" });
    expect(found.find((s) => s.target === 'operator')).toMatchObject({ confidence: 0.97 });
    expect(found.find((s) => s.target === 'lat')!.rule).toContain('s.latitude');
  });
  it('learns nothing from a rule that is not finished yet, or asks a source that is joined there', () => {
    const other = document({
      name: 'Old stations',
      source: { primary: { alias: 'o', dataset: 'tidebridge/old.csv' } },
      lines: [
        { id: 'x1', target: 'title', kind: 'rule', rule: 'initcap(o.name', state: 'drafted' },
        { id: 'x3', target: 'capacity', kind: 'straight', source: 'district.docks', state: 'agreed' },
        { id: 'x2', target: 'operator', kind: 'constant', value: 'Larkway', state: 'agreed' },
      ],
    });
    const found = suggestLines(document(), { ...from, others: [other] });
    expect(shown(found)).toMatchObject({ title: 's.name', capacity: 's.docks', operator: 'Larkway' });
  });
  it('learns a condition and what stands otherwise with it', () => {
    const other = document({
      name: 'Old stations',
      source: { primary: { alias: 'o', dataset: 'tidebridge/old.csv' } },
      lines: [
        {
          id: 'x1',
          target: 'capacity',
          kind: 'straight',
          source: 'o.docks',
          condition: "o.docks <> ''",
          default: '0',
          state: 'agreed',
        },
      ],
    });
    const [found] = suggestLines(document(), { ...from, others: [other] }).filter((s) => s.target === 'capacity');
    expect(found).toMatchObject({ source: 's.docks', condition: "s.docks <> ''", default: '0' });
    const taken = changeLine(document(), found!.line, suggestedLine(found!));
    expect(taken.lines.find((l) => l.target === 'capacity')).toMatchObject({
      condition: "s.docks <> ''",
      default: '0',
    });
  });
  it('goes by values that are in the target already, where names say nothing', () => {
    const rows = Array.from({ length: 20 }, (_, i) => [`X${i}`, `Town ${i % 5}`]);
    const strange: SuggestFrom = { ...from, fields: [{ name: 'f1' }, { name: 'f2' }], rows };
    expect(suggestLines(document(), strange)).toEqual([]);
    const target = {
      fields: ['station_code', 'operator'],
      rows: Array.from({ length: 30 }, (_, i) => [`Y${i}`, `Town ${i % 6}`]),
    };
    expect(suggestLines(document(), { ...strange, target })).toEqual([
      expect.objectContaining({
        target: 'operator',
        source: 's.f2',
        reason: '5 of 5 of its values are in the target already',
      }),
    ]);
    // Few values, or short ones, fall together by chance.
    const flags = { ...strange, rows: rows.map(([a], i) => [a!, String(i % 3)]) };
    const same = { ...target, rows: target.rows.map(([a], i) => [a!, String(i % 3)]) };
    expect(suggestLines(document(), { ...flags, target: same })).toEqual([]);
  });
  it('proposes a code table where the values are its codes', () => {
    const codes = document({
      codeTables: {
        operators: [
          { from: 'L', to: 'Larkway' },
          { from: 'T', to: 'Tidebridge' },
        ],
      },
      target: {
        ...document().target,
        fields: document().target.fields.map((f) => (f.name === 'operator' ? { ...f, codeTable: 'operators' } : f)),
      },
    });
    const rows = Array.from({ length: 10 }, (_, i) => [`S${i}`, i % 2 === 0 ? 'L' : 'T']);
    expect(suggestLines(codes, { ...from, fields: [{ name: 'code' }, { name: 'run_by' }], rows })).toContainEqual(
      expect.objectContaining({
        target: 'operator',
        kind: 'lookup',
        source: 's.run_by',
        codeTable: 'operators',
        reason: 'its values are codes of the code table operators',
      }),
    );
  });
  it('takes words of one meaning from the workspace', () => {
    const named: SuggestFrom = { ...from, fields: [{ name: 'berths' }], rows: [['23'], ['10']] };
    expect(suggestLines(document(), named)).toEqual([]);
    const found = suggestLines(document(), { ...named, synonyms: [['berths', 'capacity']] });
    expect(shown(found)).toEqual({ capacity: 's.berths' });
  });
  it('makes drafts, never agreed lines', () => {
    const [first] = suggestLines(document(), from);
    const taken = changeLine(document(), first!.line, suggestedLine(first!));
    expect(taken.lines.find((l) => l.id === first!.line)).toMatchObject({ state: 'drafted' });
  });
});
