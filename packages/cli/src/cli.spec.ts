import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { parseDocument } from '@versicle/core';
import { writeDocumentWorkbook } from '@versicle/files';
import { main } from './main.ts';

const home = mkdtempSync(join(tmpdir(), 'versicle-cli-'));
afterAll(() => rmSync(home, { recursive: true }));
const path = (name: string): string => join(home, name);
const write = (name: string, content: string | Uint8Array): string => {
  writeFileSync(path(name), content);
  return path(name);
};
const read = (name: string): string => readFileSync(path(name), 'utf8');

async function versicle(...argv: string[]): Promise<{ code: number; said: string[]; complained: string[] }> {
  const said: string[] = [];
  const complained: string[] = [];
  const code = await main(
    argv,
    (text) => said.push(text),
    (text) => complained.push(text),
  );
  return { code, said, complained };
}

const document = {
  versicle: 1,
  name: 'Members',
  source: { primary: { alias: 'm', dataset: 'tidebridge/members.csv' }, filter: "m.status <> 'X'" },
  target: {
    dataset: 'membership/member',
    key: ['no'],
    fields: [
      { name: 'no', type: 'varchar(6)' },
      { name: 'joined', type: 'date' },
      { name: 'plan', type: 'varchar(10)', required: true },
      { name: 'balance', type: 'numeric(7,2)' },
      { name: 'active', type: 'boolean' },
    ],
  },
  lines: [
    { id: 'l1', target: 'no', kind: 'straight', source: 'm.no' },
    { id: 'l2', target: 'joined', kind: 'rule', rule: "parse_date(m.joined, 'DD.MM.YYYY')" },
    {
      id: 'l3',
      target: 'plan',
      kind: 'lookup',
      source: 'm.tariff',
      codeTable: 'tariff',
      default: "'NONE'",
      onFail: 'default',
    },
    { id: 'l4', target: 'balance', kind: 'rule', rule: "parse_number(m.balance, ',')" },
    { id: 'l5', target: 'active', kind: 'rule', rule: "m.status = 'A'" },
  ],
  skips: [{ id: 's1', when: "m.tariff = 'STAFF'", reason: 'By hand' }],
  codeTables: { tariff: [{ from: 'A', to: 'MONTHLY' }] },
};
const mapping = write('members.versicle.json', JSON.stringify(document));
const rows = [
  'no;joined;tariff;balance;status',
  '00417;03.08.2019;A;12,5-;A',
  '1E5;00.00.0000;A;x;A',
  '3;;Z;1,00;B',
  '4;01.01.2020;STAFF;0;A',
  '5;01.01.2020;A;0;X',
  '00417;02.02.2020;A;1;A',
  'ragged;1',
];
const members = write('members.csv', `${rows.join('\r\n')}\r\n`);

describe('records that the file can’t hold', () => {
  const notes = write(
    'notes.versicle.json',
    JSON.stringify({
      versicle: 1,
      name: 'Notes',
      source: { primary: { alias: 'n', dataset: 'tidebridge/notes.csv' } },
      target: {
        dataset: 'files/notes',
        key: ['no'],
        fields: ['no', 'note'].map((name) => ({ name, type: 'varchar(9)' })),
      },
      lines: ['no', 'note'].map((name) => ({ id: `l_${name}`, target: name, kind: 'straight', source: `n.${name}` })),
      write: { mode: 'insert' },
    }),
  );
  const source = write('notes.csv', 'no,note\n1,rust\n2,"a\u0001b"\n3,"c\nd"\n');

  it.each([
    ['csv', '1,rust\n2,a\u0001b\n3,"c\nd"', []],
    ['xml', '<record><no>3</no><note>c\nd</note></record>', [2]],
    ['txt', '1        rust     \n2        a\u0001b      \n', [3]],
  ])('fail; of a .%s file these', async (ending, held, failing) => {
    const result = await versicle(
      'apply',
      '--mapping',
      notes,
      '--source',
      `n=${source}`,
      '--out',
      path(`held.${ending}`),
      '--failed',
      path('notes-failed.jsonl'),
    );
    expect(result.said[0]).toBe(
      `3 read = 0 filtered + 0 skipped + ${failing.length} failed + ${3 - failing.length} written`,
    );
    expect(read(`held.${ending}`)).toContain(held);
    const failed = read('notes-failed.jsonl')
      .split('\n')
      .filter(Boolean)
      .map((l) => JSON.parse(l) as { row: number; line: string });
    expect(failed.map((f) => f.row)).toEqual(failing);
    for (const { line } of failed) expect(line).toBe('l_note');
  });
});

describe('apply', () => {
  it('writes what passes, files what fails, and prints counts that add up', async () => {
    const result = await versicle(
      'apply',
      '--mapping',
      mapping,
      '--source',
      `m=${members}`,
      '--out',
      path('out.csv'),
      '--failed',
      path('failed.jsonl'),
      '--remarks',
      path('remarks.jsonl'),
    );
    expect(result).toEqual({
      code: 0,
      said: ['7 read = 1 filtered + 1 skipped + 3 failed + 2 written', '1 remark'],
      complained: [],
    });
    expect(read('out.csv')).toBe('no,joined,plan,balance,active\n00417,2019-08-03,MONTHLY,-12.50,t\n3,,NONE,1.00,f\n');
    const failed = read('failed.jsonl')
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as Record<string, unknown>);
    expect(failed).toEqual([
      {
        row: 2,
        line: 'l2',
        target: 'joined',
        cause: 'rule_error',
        message: expect.stringContaining('00.00.0000'),
        values: { 'm.joined': '00.00.0000' },
      },
      {
        row: 2,
        line: 'l4',
        target: 'balance',
        cause: 'rule_error',
        message: expect.stringContaining('“x”'),
        values: { 'm.balance': 'x' },
      },
      {
        row: 6,
        line: 'l1',
        target: 'no',
        cause: 'duplicate_key',
        message: expect.any(String),
        values: { no: '00417' },
      },
      {
        row: 7,
        line: null,
        target: null,
        cause: 'source_unreadable',
        message: expect.stringContaining('Row 7 of members.csv'),
        values: { row: 'ragged;1' },
      },
    ]);
    expect(JSON.parse(read('remarks.jsonl'))).toMatchObject({
      row: 3,
      line: 'l3',
      cause: 'code_not_found',
      values: { 'm.tariff': 'Z' },
    });
  });
  it('reads packed files and JSON Lines, takes the dataset’s name, and writes JSON Lines', async () => {
    const packed = write('members.csv.gz', gzipSync(`${rows.slice(0, 2).join('\n')}\n`));
    expect(
      (
        await versicle(
          'apply',
          '--mapping',
          mapping,
          '--source',
          `tidebridge/members.csv=${packed}`,
          '--out',
          path('out.jsonl'),
        )
      ).code,
    ).toBe(0);
    expect(read('out.jsonl')).toBe(
      '{"no":"00417","joined":"2019-08-03","plan":"MONTHLY","balance":"-12.50","active":true}\n',
    );
    const lines = write('members.jsonl', '{"no":"7","joined":null,"tariff":"A","balance":"1","status":"A"}\n');
    await versicle('apply', '--mapping', mapping, '--source', `m=${lines}`, '--out', path('out.csv'));
    expect(read('out.csv').split('\n')[1]).toBe('7,,MONTHLY,1.00,t');
  });
  it('adds and replaces code tables from files', async () => {
    const codes = write('codes.csv', 'to,from,meaning\nYEARLY,A,Yearly pass\n');
    await versicle(
      'apply',
      '--mapping',
      mapping,
      '--source',
      `m=${members}`,
      '--out',
      path('out.csv'),
      '--code-table',
      `tariff=${codes}`,
    );
    expect(read('out.csv')).toContain('00417,2019-08-03,YEARLY');
  });
  it.each([
    ['no mapping', () => ['--out', path('o.csv')], /Name the mapping/],
    [
      'a mapping that is not there',
      () => ['--mapping', path('none.json'), '--source', `m=${members}`, '--out', path('o.csv')],
      /none\.json/,
    ],
    [
      'a mapping that is no JSON',
      () => ['--mapping', members, '--source', `m=${members}`, '--out', path('o.csv')],
      /not JSON/,
    ],
    [
      'a source that is not there',
      () => ['--mapping', mapping, '--source', `m=${path('none.csv')}`, '--out', path('o.csv')],
      /There is no file .*none\.csv/,
    ],
    [
      'a folder instead of a file',
      () => ['--mapping', mapping, '--source', `m=${home}`, '--out', path('o.csv')],
      /is a folder, not a file/,
    ],
    [
      'a source of another alias',
      () => ['--mapping', mapping, '--source', `x=${members}`, '--out', path('o.csv')],
      /“?x”?/,
    ],
    [
      'an ending that says nothing',
      () => ['--mapping', mapping, '--source', `m=${members}`, '--out', path('o.doc')],
      /the ending says how to write/,
    ],
    [
      'a folder that is not there',
      () => ['--mapping', mapping, '--source', `m=${members}`, '--out', path('no/o.csv')],
      /There is no folder/,
    ],
    [
      'writing over the source',
      () => ['--mapping', mapping, '--source', `m=${members}`, '--out', members],
      /written over while it is read/,
    ],
    [
      'an empty file',
      () => ['--mapping', mapping, '--source', `m=${write('empty.csv', '')}`, '--out', path('o.csv')],
      /empty/,
    ],
    [
      'a source without the fields',
      () => ['--mapping', mapping, '--source', `m=${write('other.csv', 'a;b\n1;2\n')}`, '--out', path('o.csv')],
      /can't be applied to other\.csv/,
    ],
    [
      'doubled names in the header',
      () => ['--mapping', mapping, '--source', `m=${write('twice.csv', 'no;no\n1;2\n')}`, '--out', path('o.csv')],
      /two columns called “no”/,
    ],
    [
      'a cut gzip file',
      () => [
        '--mapping',
        mapping,
        '--source',
        `m=${write('cut.csv.gz', gzipSync(rows.join('\n')).subarray(0, 60))}`,
        '--out',
        path('o.csv'),
      ],
      /damaged or cut short/,
    ],
    ['an unknown option', () => ['--mapping', mapping, '--sauce', 'x'], /sauce/],
  ])('exits with 2 and a sentence for %s', async (_what, argv, sentence) => {
    const { code, complained } = await versicle('apply', ...argv());
    expect(complained.join('\n')).toMatch(sentence);
    expect(code).toBe(2);
  });
});

describe('check', () => {
  it('exits with 0 for a sound document, and with 1 for one with errors, naming line and place', async () => {
    expect((await versicle('check', '--mapping', mapping, '--source', `m=${members}`)).said.at(-1)).toBe(
      'Members: no errors in 5 lines',
    );
    const bad = write(
      'bad.versicle.json',
      JSON.stringify({ ...document, lines: [{ id: 'l1', target: 'no', kind: 'rule', rule: 'uper(m.no)' }] }),
    );
    const { code, said } = await versicle('check', '--mapping', bad, '--source', `m=${members}`);
    expect(code).toBe(1);
    expect(said.join('\n')).toMatch(/l1.*uper.*upper/);
    expect(said.join('\n')).toMatch(/plan.* is required, but no line fills it/);
  });
  it('tries the examples of the document, and names those that come out otherwise', async () => {
    const example = (plan: string): object => ({
      id: 'e1',
      note: 'monthly',
      source: { no: '00417', joined: '03.08.2019', tariff: 'A', balance: '12,5-', status: 'A' },
      expect: { outcome: 'written', values: { plan } },
    });
    const good = write('good.json', JSON.stringify({ ...document, examples: [example('MONTHLY')] }));
    expect((await versicle('check', '--mapping', good)).said.at(-1)).toBe(
      'Members: no errors in 5 lines, 1 example as expected',
    );
    const wrong = write('wrong.json', JSON.stringify({ ...document, examples: [example('DAILY')] }));
    const { code, said } = await versicle('check', '--mapping', wrong);
    expect(code).toBe(1);
    expect(said.join('\n')).toContain('Example “monthly” (e1): plan should be “DAILY” and is “MONTHLY”.');
  });
  it('takes the workbook of a document, and applies it like the JSON form', async () => {
    const book = path('members.xlsx');
    await writeDocumentWorkbook(book, parseDocument(document));
    expect((await versicle('check', '--mapping', book, '--source', `m=${members}`)).said.at(-1)).toBe(
      'Members: no errors in 5 lines',
    );
    const applied = async (given: string): Promise<string> => {
      await versicle('apply', '--mapping', given, '--source', `m=${members}`, '--out', path('both.csv'));
      return read('both.csv');
    };
    expect(await applied(book)).toBe(await applied(mapping));
    const cut = write('cut.xlsx', readFileSync(book).subarray(0, 3000));
    const { code, complained } = await versicle('check', '--mapping', cut);
    expect(code).toBe(2);
    expect(complained.join()).toContain('cut.xlsx');
  });
  it('exits with 2 for what is no document', async () => {
    const { code, complained } = await versicle(
      'check',
      '--mapping',
      write('odd.json', '{"versicle":1,"colour":"red"}'),
    );
    expect(code).toBe(2);
    expect(complained.join('\n')).toMatch(/colour/);
  });
});

describe('rule', () => {
  it('gives a line for each rule and row, and goes on after a refused one', async () => {
    const rules = write('rules.txt', 'upper(a)\nd + 1\nuper(a)\nn / 0\n');
    const data = write('rows.jsonl', '{"a":"ß","d":"2026-08-03","n":"1.50"}\n{"a":null,"d":null,"n":null}\n');
    const fields = write('fields.json', '{"d":"date","n":"numeric"}');
    const { code, said } = await versicle('rule', '--file', rules, '--rows', data, '--fields', fields);
    expect(code).toBe(0);
    expect(said.flatMap((l) => l.split('\n')).map((l) => JSON.parse(l) as unknown)).toEqual([
      { rule: 1, row: 1, value: expect.any(String) },
      { rule: 1, row: 2, value: null },
      { rule: 2, row: 1, value: '2026-08-04' },
      { rule: 2, row: 2, value: null },
      { rule: 3, refused: expect.stringContaining('upper'), position: expect.any(Number) },
      { rule: 4, row: 1, error: expect.stringContaining('zero') },
      { rule: 4, row: 2, value: null },
    ]);
  });
  it('takes one rule from the command line', async () => {
    const data = write('one.jsonl', '{"a":"x"}\n');
    expect((await versicle('rule', "a || 'y'", '--rows', data)).said).toEqual(['{"rule":1,"row":1,"value":"xy"}']);
    expect((await versicle('rule', "a || 'y'", '--rows', path('none.jsonl'))).code).toBe(2);
  });
});

describe('the command', () => {
  it('helps, and knows what it does not know', async () => {
    expect((await versicle('--help')).said[0]).toMatch(/versicle apply/);
    expect(await versicle('aply')).toMatchObject({
      code: 2,
      complained: [expect.stringContaining('There is no command “aply”')],
    });
    mkdirSync(path('sub'));
    expect(
      (await versicle('apply', '--mapping', path('sub'), '--source', `m=${members}`, '--out', path('o.csv'))).code,
    ).toBe(2);
  });
});

describe('a format that is given', () => {
  const straight = write(
    'straight.versicle.json',
    JSON.stringify({
      ...document,
      source: { primary: { alias: 'm', dataset: 'tidebridge/members.csv' } },
      target: {
        ...document.target,
        fields: document.target.fields.slice(0, 4).map((f) => ({ ...f, required: false })),
      },
      lines: ['no', 'joined', 'balance'].map((name, i) => ({
        id: `l${i}`,
        target: name,
        kind: 'straight',
        source: `m.${name}`,
      })),
      skips: [],
    }),
  );
  const source = write('marks.csv', 'no;joined;balance\n1;03.08.2019;1.204,50\n2;31.02.2019;1,5\n');
  const format = {
    kind: 'delimited',
    encoding: 'utf-8',
    delimiter: ';',
    quote: '"',
    newline: '\n',
    skipLines: 0,
    header: true,
    emptyIsNull: true,
    marks: { decimal: ',', dates: 'DD.MM.YYYY' },
  };
  const apply = (...more: string[]): ReturnType<typeof versicle> =>
    versicle('apply', '--mapping', straight, '--source', `m=${source}`, '--out', path('marks-out.csv'), ...more);

  it('has numbers and dates read as it declares them; a guess alone does not', async () => {
    expect((await apply()).said[0]).toContain('2 failed + 0 written');
    const { said } = await apply('--format', `m=${write('format.json', JSON.stringify(format))}`);
    expect(said[0]).toContain('1 failed + 1 written');
    expect(read('marks-out.csv')).toBe('no,joined,balance\n1,2019-08-03,1204.50\n');
  });
  it('is refused with its fault when it can’t be meant', async () => {
    const complaint = async (value: unknown): Promise<string> =>
      (await apply('--format', `m=${write('wrong.json', JSON.stringify(value))}`)).complained.join();
    expect(await complaint({ ...format, kind: 'tabular' })).toContain('is not a format');
    expect(await complaint({ ...format, delimiter: ';;' })).toContain('delimiter');
    expect(await complaint({ ...format, marks: { decimal: ',', dates: 'QQ' } })).toContain('dates can’t be written');
    expect((await apply('--format', 'x=y.json')).complained.join()).toContain('no source “x”');
  });
});

describe('a source set of several files', () => {
  const fields = (names: string[]): object[] => names.map((name) => ({ name, type: 'text' }));
  const joined = (source: object, lines: object[], names: string[]): string =>
    write(
      'joined.versicle.json',
      JSON.stringify({
        versicle: 1,
        name: 'Joined',
        source: { primary: { alias: 'm', dataset: 'tidebridge/members.csv' }, ...source },
        target: { dataset: 'membership/member', fields: fields(names) },
        lines,
      }),
    );
  const tariffs = { alias: 't', dataset: 'tidebridge/tariffs.csv', kind: 'inner', on: 't.code = m.tariff' };
  const members = (): string => write('set-m.csv', 'no,tariff\n1,A\n2,B\n3,Z\n4,A\nbroken\n');
  const codes = (): string => write('set-t.csv', 'code;label\nA;one\nA;two\nB;three\n');

  it('is composed, with counts that add up and rows of the first file', async () => {
    const mapping = joined({ joins: [tariffs], filter: "m.no <> '4'" }, [
      { id: 'a', target: 'no', kind: 'straight', source: 'm.no' },
      { id: 'b', target: 'label', kind: 'rule', rule: "CASE WHEN t.label = 'two' THEN fail('not two') ELSE t.label END" },
    ], ['no', 'label']); // prettier-ignore
    const { code, said } = await versicle('apply', '--mapping', mapping, '--source', `m=${members()}`, '--source', `tariffs.csv=${codes()}`, '--out', path('set-out.csv'), '--failed', path('set-failed.jsonl')); // prettier-ignore
    expect(code).toBe(0);
    expect(said).toEqual([
      '5 read + 2 multiplied = 1 unmatched + 2 filtered + 0 folded + 4 records',
      '4 records = 0 skipped + 2 failed + 2 written',
    ]);
    expect(read('set-out.csv')).toBe('no,label\n1,one\n2,three\n');
    const failed = read('set-failed.jsonl').trim().split('\n').map((l) => JSON.parse(l)); // prettier-ignore
    expect(failed.map((f) => [f.row, f.line, f.cause])).toEqual([
      [5, null, 'source_unreadable'],
      [1, 'b', 'rule_error'],
    ]);
    expect(failed[1].values).toEqual({ 't.label': 'two' });
  });
  it('tries a filter record by record where PostgreSQL can’t judge them all', async () => {
    const mapping = joined({ joins: [tariffs], filter: "m.no = '2' OR parse_number(replace(t.label, 'one', '0'), ',') > 1" }, [
      { id: 'a', target: 'no', kind: 'straight', source: 'm.no' },
    ], ['no']); // prettier-ignore
    const { code, said } = await versicle('apply', '--mapping', mapping, '--source', `m=${members()}`, '--source', `tariffs.csv=${codes()}`, '--out', path('each-out.csv'), '--failed', path('each-failed.jsonl')); // prettier-ignore
    expect(code).toBe(0);
    expect(said.slice(0, 2)).toEqual([
      '5 read + 2 multiplied = 1 unmatched + 0 filtered + 0 folded + 6 records',
      '6 records = 2 filtered + 0 skipped + 3 failed + 1 written',
    ]);
    expect(said.join()).toContain("PostgreSQL can't work out the filter for every record");
    const failed = read('each-failed.jsonl').trim().split('\n').map((l) => JSON.parse(l)); // prettier-ignore
    expect(failed.map((f) => [f.row, f.line, f.cause])).toEqual([
      [5, null, 'source_unreadable'],
      [1, 'source.filter', 'rule_error'],
      [4, 'source.filter', 'rule_error'],
    ]);
  });
  it('wants a file for each dataset, and says which', async () => {
    const mapping = joined({ joins: [tariffs] }, [], ['no']);
    const missing = await versicle('apply', '--mapping', mapping, '--source', `m=${members()}`, '--out', path('x.csv'));
    expect(missing).toMatchObject({
      code: 2,
      complained: ['Name the file for tidebridge/tariffs.csv: --source t=FILE'],
    });
    const strange = await versicle('apply', '--mapping', mapping, '--source', `u=${members()}`, '--out', path('x.csv'));
    expect(strange.complained.join()).toContain(
      'tidebridge/members.csv under the alias m, tidebridge/tariffs.csv under the alias t',
    );
  });
  it('of one file is sorted, and finds keys that were delivered elsewhere', async () => {
    const mapping = joined({ orderBy: ['m.no DESC'] }, [
      { id: 'a', target: 'no', kind: 'straight', source: 'm.no' },
      { id: 'b', target: 'key', kind: 'rule', rule: "mapped_key('Bikes', m.tariff)", onFail: 'null' },
    ], ['no', 'key']); // prettier-ignore
    const keys = write('keys.csv', 'source,target\nA,100\nB,200\n');
    const source = write('sorted.csv', 'no,tariff\n2,B\n10,A\n3,Q\n');
    const { said } = await versicle('apply', '--mapping', mapping, '--source', `m=${source}`, '--out', path('sorted-out.csv'), '--key-map', `Bikes=${keys}`); // prettier-ignore
    expect(said.at(-1)).toBe('1 remark');
    expect(read('sorted-out.csv')).toBe('no,key\n3,\n2,200\n10,100\n');
  });
  it('with a join that waits for itself is refused by check', async () => {
    const cyclic = [
      { ...tariffs, on: 't.code = u.code' },
      { ...tariffs, alias: 'u', on: 'u.code = t.code' },
    ];
    const { code, said } = await versicle('check', '--mapping', joined({ joins: cyclic }, [], ['no']));
    expect(code).toBe(1);
    expect(said.join()).toContain('neither can come first');
  });
});
