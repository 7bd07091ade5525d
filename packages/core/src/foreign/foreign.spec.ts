import {
  compileMapping,
  guessLayouts,
  readForeign,
  sourceFieldsFor,
  targetTables,
  understandRule,
  type ForeignRead,
  type ForeignSheet,
} from '../index.ts';

const FIELDS = ['member_no', 'name', 'joined', 'tariff', 'type', 'balance', 'town'];
const sheet = (name: string, rows: (string | null)[][]): ForeignSheet => ({ name, rows });
function read(
  sheets: ForeignSheet[],
  patch: { table?: string; sheet?: string } = {},
): ForeignRead & { by: (target: string) => ForeignRead['document']['lines'][number] } {
  const layouts = guessLayouts(sheets);
  const lines = layouts.find((l) => l.holds === 'lines' && (patch.sheet === undefined || l.sheet === patch.sheet))!;
  const result = readForeign(sheets, {
    name: 'Read',
    lines,
    codes: layouts.filter((l) => l.holds === 'codes'),
    source: { dataset: 'files/members.csv', alias: 'm', fields: FIELDS },
    target: 'store/member',
    targetTable: patch.table ?? null,
  });
  return { ...result, by: (target) => result.document.lines.find((l) => l.target === target)! };
}
/** What is said to be understood must also compile. */
const sound = ({ document }: ForeignRead): string[] =>
  compileMapping(document, sourceFieldsFor(document, FIELDS))
    .problems.filter((p) => p.severity === 'error' && !/is required/.test(p.message))
    .map((p) => p.message);

describe('mapping spreadsheets of other people, each laid out in its own way', () => {
  it('target first, with types, keys and a rule column', () => {
    const found = read([
      sheet('Mapping', [
        ['Target field', 'Data type', 'Length', 'Mandatory', 'PK', 'Source field', 'Transformation rule', 'Comments'],
        ['external_no', 'VARCHAR2', '12', 'Y', 'Y', 'MEMBER_NO', 'Straight', 'seven digits'],
        ['joined_on', 'DATE', null, 'N', null, 'joined', 'parse_date(joined, "DD.MM.YYYY")', null],
        ['country', 'CHAR', '2', 'Y', null, null, "Constant 'GB'", null],
        ['score', 'NUMBER', '9,2', null, null, 'balance', 'ask the finance team', 'who knows?'],
      ]),
    ]);
    expect(found.by('external_no')).toMatchObject({
      kind: 'straight',
      source: 'm.member_no',
      note: 'seven digits',
      state: 'drafted',
    });
    expect(found.by('joined_on')).toMatchObject({ kind: 'rule', rule: "parse_date(m.joined, 'DD.MM.YYYY')" });
    expect(found.by('country')).toMatchObject({ kind: 'constant', value: 'GB' });
    expect(found.by('score')).toMatchObject({ state: 'to map', note: 'who knows?\nbalance: ask the finance team' });
    expect(found.by('score').kind).toBeUndefined();
    expect(found.document.target).toMatchObject({
      key: ['external_no'],
      fields: [
        { type: 'varchar(12)', required: true },
        { type: 'date' },
        { type: 'char(2)' },
        { type: 'numeric(9,2)' },
      ],
    });
    expect(found).toMatchObject({ understood: 3, toMap: 1 });
    expect(sound(found)).toEqual([]);
  });
  it('source first', () => {
    const found = read([
      sheet('Fields', [
        ['Source table', 'Source column', 'Source type', 'Target column', 'Target type', 'How', 'Remarks'],
        ['MEMBERS', 'name', 'char(24)', 'surname', 'varchar(40)', "split_part(name, ', ', 1)", 'before the comma'],
        ['MEMBERS', 'town', 'char(14)', 'town', 'varchar(40)', null, null],
      ]),
    ]);
    expect(found.by('surname')).toMatchObject({
      rule: "split_part(m.name, ', ', 1)",
      note: 'before the comma\nSource: MEMBERS\nSource type: char(24)',
    });
    expect(found.by('town')).toMatchObject({ kind: 'straight', source: 'm.town' });
    expect(sound(found)).toEqual([]);
  });
  it('one tab for each table', () => {
    const head = ['Target field', 'Source field', 'Rule'];
    const sheets = [
      sheet('Cover', [['Tidebridge migration'], ['Version 3']]),
      sheet('member', [head, ['no', 'member_no', 'as is']]),
      sheet('account', [head, ['member', 'member_no', '1:1'], ['amount', 'balance', 'direct']]),
    ];
    expect(guessLayouts(sheets).map((l) => l.holds)).toEqual(['something else', 'lines', 'lines']);
    expect(read(sheets, { sheet: 'member' }).document.lines).toHaveLength(1);
    expect(read(sheets, { sheet: 'account' }).by('amount')).toMatchObject({ kind: 'straight', source: 'm.balance' });
  });
  it('one tab for all tables, named in merged cells or once above their rows', () => {
    const all = sheet('All', [
      ['Target table', 'Target attribute', 'Source attribute', 'Logic'],
      ['member', 'no', 'member_no', 'copy'],
      [null, 'town', 'town', 'copy'],
      ['account', 'amount', 'balance', 'copy'],
    ]);
    const [layout] = guessLayouts([all]);
    expect(targetTables(all, layout!)).toEqual(['member', 'account']);
    expect(read([all], { table: 'member' }).document.lines.map((l) => l.target)).toEqual(['no', 'town']);
    expect(read([all], { table: 'account' }).document.lines.map((l) => l.target)).toEqual(['amount']);
  });
  it('merged headings above the columns', () => {
    const found = read([
      sheet('M', [
        ['SOURCE', 'SOURCE', 'SOURCE', 'TARGET', 'TARGET', 'TARGET', null],
        ['Table', 'Field', 'Type', 'Field', 'Type', 'Required', 'Rule'],
        ['members', 'member_no', 'char(6)', 'no', 'varchar(6)', 'yes', ''],
        ['members', 'type', 'char(5)', 'is_staff', 'boolean', 'no', "if type = 'STAFF' then 'true' else 'false'"],
      ]),
    ]);
    expect(found.by('no')).toMatchObject({ kind: 'straight', source: 'm.member_no' });
    expect(found.by('is_staff')).toMatchObject({ rule: "CASE WHEN m.type = 'STAFF' THEN 'true' ELSE 'false' END" });
    expect(found.document.target.fields[0]).toMatchObject({ type: 'varchar(6)', required: true });
    expect(sound(found)).toEqual([]);
  });
  it('the header in row 7, below titles, which are kept', () => {
    const found = read([
      sheet('Plan', [
        ['Larkway Cycles'],
        ['Members: from Tidebridge to the membership service'],
        [],
        ['Author', 'Hanno Brandt'],
        ['State', 'draft of 12 October'],
        [],
        ['To field', 'From field', 'Conversion', 'Open points'],
        ['no', 'member_no', 'straight', null],
        ['plan', 'tariff', 'straight', 'What becomes of tariff Z?'],
      ]),
    ]);
    expect(found.document.purpose).toContain('Members: from Tidebridge to the membership service');
    expect(found.document.purpose).toContain('Author · Hanno Brandt');
    expect(found.by('plan')).toMatchObject({ kind: 'straight', state: 'question' });
    expect(found.document.questions).toEqual([{ id: 'q1', line: 'l02', text: 'What becomes of tariff Z?' }]);
  });
  it('rules in prose: what is certain is understood, the rest stays to map with its words', () => {
    const found = read([
      sheet('Prose', [
        ['Target', 'Source', 'Description of the rule', 'Default'],
        ['a', 'member_no', 'Take over', null],
        ['b', 'balance', "If balance > 0 and type = 'P' then 'Y' otherwise 'N'", null],
        ['c', 'tariff', 'A = MONTHLY; B = YEARLY', null],
        ['d', null, 'always 42', null],
        ['e', 'name', 'The given name, unless the member asked us to use another one', null],
        ['f', 'town', 'as is', 'Harbour'],
        ['g', null, 'n/a', null],
        ['h', 'type', "if colour is red then 'R'", null],
      ]),
    ]);
    expect(found.by('b')).toMatchObject({ rule: "CASE WHEN m.balance > 0 AND m.type = 'P' THEN 'Y' ELSE 'N' END" });
    expect(found.by('c')).toMatchObject({ kind: 'lookup', source: 'm.tariff', codeTable: 'c' });
    expect(found.document.codeTables['c']).toEqual([
      { from: 'A', to: 'MONTHLY' },
      { from: 'B', to: 'YEARLY' },
    ]);
    expect(found.by('d')).toMatchObject({ kind: 'constant', value: '42' });
    expect(found.by('e')).toMatchObject({
      state: 'to map',
      note: 'name: The given name, unless the member asked us to use another one',
    });
    expect(found.by('f')).toMatchObject({ kind: 'straight', default: "'Harbour'", defaultWhen: 'null' });
    expect(found.by('g')).toMatchObject({ kind: 'not loaded' });
    expect(found.by('h').state).toBe('to map');
  });
  it('codes on another tab', () => {
    const found = read([
      sheet('Mapping', [
        ['Target field', 'Source field', 'Rule', 'Code list'],
        ['plan', 'tariff', 'translate via Tariffs', null],
        ['kind', 'type', null, 'Types'],
        ['odd', 'town', null, 'Nowhere'],
      ]),
      sheet('Tariffs', [
        ['Source code', 'Target code', 'Meaning'],
        ['A', 'MONTHLY', 'Monthly pass'],
        ['A', 'twice', null],
        ['B', 'YEARLY', null],
      ]),
      sheet('Others', [
        ['Code table', 'Old code', 'New code'],
        ['Types', 'P', 'person'],
        [null, 'S', 'staff'],
      ]),
    ]);
    expect(found.document.codeTables).toEqual({
      Tariffs: [
        { from: 'A', to: 'MONTHLY', meaning: 'Monthly pass' },
        { from: 'B', to: 'YEARLY' },
      ],
      Types: [
        { from: 'P', to: 'person' },
        { from: 'S', to: 'staff' },
      ],
    });
    expect(found.by('plan')).toMatchObject({ kind: 'lookup', source: 'm.tariff', codeTable: 'Tariffs' });
    expect(found.by('kind')).toMatchObject({ kind: 'lookup', codeTable: 'Types' });
    expect(found.by('odd')).toMatchObject({ kind: 'straight', note: 'Code list: Nowhere' });
    expect(sound(found)).toEqual([]);
  });
  it('headings in another language', () => {
    const found = read([
      sheet('Zuordnung', [
        [
          'Zielfeld',
          'Bezeichnung',
          'Datentyp',
          'Pflichtfeld',
          'Quellfeld',
          'Umsetzungsregel',
          'Bemerkung',
          'Zuständig',
        ],
        ['nummer', 'Mitgliedsnummer', 'Zeichen(6)', 'ja', 'member_no', 'übernehmen', null, 'Fenn'],
        [
          'personal',
          'Personal',
          'Zeichen(1)',
          'nein',
          'type',
          "wenn type = 'STAFF' dann 'J' sonst 'N'",
          'siehe Anhang',
          null,
        ],
      ]),
    ]);
    expect(found.by('nummer')).toMatchObject({ kind: 'straight', source: 'm.member_no', note: 'Zuständig: Fenn' });
    expect(found.by('personal')).toMatchObject({
      rule: "CASE WHEN m.type = 'STAFF' THEN 'J' ELSE 'N' END",
      note: 'siehe Anhang',
    });
    expect(found.document.target.fields[0]).toMatchObject({
      label: 'Mitgliedsnummer',
      type: 'varchar(6)',
      required: true,
    });
    expect(sound(found)).toEqual([]);
  });
  it('loses no cell of a row, whatever its columns mean', () => {
    const rows = [
      ['Target field', 'Source field', 'Rule', 'Owner', 'Colour'],
      ['x', 'nowhere_field', 'magic happens here', 'Fenn', 'blue'],
      ['x', 'town', 'again', null, null],
      [null, null, 'a row without a field', null, null],
    ];
    const { document, left } = read([sheet('S', rows)]);
    const all = JSON.stringify(document) + left.join();
    for (const cell of rows.slice(1).flat()) if (cell) expect(all).toContain(cell);
  });
  it('takes a column that counts the rows for no field, though it stands under “Target”', () => {
    const found = read([
      sheet('S', [
        ['Target', 'Target', 'Target', 'Source', 'Source'],
        ['#', 'Field', 'Type', 'No.', 'Field'],
        ['1', 'town_name', 'text', '7', 'town'],
      ]),
    ]);
    expect(found.document.target.fields.map((f) => f.name)).toEqual(['town_name']);
    expect(found.by('town_name')).toMatchObject({ source: 'm.town', note: 'Target #: 1\nSource No.: 7' });
  });
  it('says what of the codes, and of other sheets, is in no table', () => {
    const lines = sheet('Lines', [
      ['Target field', 'Source field'],
      ['town', 'town'],
    ]);
    const codes = sheet('Tariffs', [
      ['From', 'To', 'Owner'],
      ['A', 'MONTHLY', 'Fenn'],
      ['A', 'MONTHLY', null],
      ['A', 'YEARLY', null],
      [null, 'to be told by finance', null],
    ]);
    const kinds = sheet('Kinds', [
      ['What we have', 'What it becomes'],
      ['1', 'one'],
    ]);
    const notes = sheet('Notes', [['Written by Oda'], [null], ['in August']]);
    const { document, left } = readForeign([lines, codes, kinds, notes], {
      name: 'Read',
      lines: { sheet: 'Lines', headerRow: 0, columns: ['target name', 'source name'] },
      codes: [
        { sheet: 'Tariffs', headerRow: 0, columns: ['code from', 'code to', null] },
        { sheet: 'Kinds', headerRow: 0, columns: ['code from', null] },
      ],
      source: { dataset: 'files/members.csv', alias: 'm', fields: FIELDS },
      target: 'store/member',
      targetTable: null,
    });
    expect(document.codeTables).toEqual({ Tariffs: [{ from: 'A', to: 'MONTHLY', meaning: 'Owner: Fenn' }] });
    expect(left).toEqual([
      'Code table Tariffs: “A” becomes “MONTHLY”, and in a later row “YEARLY”.',
      'Code table Tariffs: to be told by finance',
      'The codes of the sheet “Kinds” are not read: say which column holds what the source has, and which what it becomes.',
      'The sheet “Notes” is not read; it has 2 rows.',
    ]);
    expect(document.purpose).toBe(left.join('\n'));
  });
  it('says how many texts a purpose has no room for', () => {
    const rows = Array.from({ length: 900 }, (_, i) => [`remark ${i} ${'x'.repeat(30)}`]);
    const { document, left } = read([
      sheet('S', [
        ...rows.slice(0, 0),
        ['Target field', 'Source field'],
        ['town', 'town'],
        ...rows.map((r) => [null, r[0]!]),
      ]),
    ]);
    expect(left).toHaveLength(900);
    const kept = document.purpose!.split('\n');
    expect(kept.at(-1)).toBe(`… ${900 - (kept.length - 1)} further texts of the spreadsheet.`);
  });
});

describe('rules in somebody’s own words', () => {
  const ground = { alias: 'm', source: 'tariff', fields: FIELDS, codeTables: ['Tariffs'] };
  it.each([
    ['=', 'm.tariff'],
    ['"MONTHLY"', 'MONTHLY'],
    ['Fixed value: GB', 'GB'],
    ['lookup Tariffs', 'Tariffs'],
    ["IF member_no IS NULL THEN 'none' ELSE tariff", "CASE WHEN m.member_no IS NULL THEN 'none' ELSE m.tariff END"],
    ['upper(town)', 'upper(m.town)'],
    ['balance * 100', 'm.balance * 100'],
  ])('%s is understood', (text, expected) => {
    const found = understandRule(text, ground);
    expect(Object.values(found!.line)).toContain(expected);
  });
  it.each([
    'lookup Nothing',
    'upper(colour)',
    'see mail of 3 August',
    'if rich then happy',
    'set to the value that finance gives us',
    '= SUM(A1:A7)',
  ])('%s is not', (text) => expect(understandRule(text, ground)).toBeNull());
});
