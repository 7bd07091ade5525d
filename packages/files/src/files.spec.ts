import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import ExcelJS from 'exceljs';
import {
  parseDecimal,
  parseFieldType,
  serialText,
  Unreadable,
  type FileFormat,
  type OutField,
  type RawRow,
  type Value,
} from '@versicle/core';
import { datasetRecords, lookAt, openRecordFile, recordsOf } from './index.ts';

let folder: string;
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'versicle-files-'))));
afterAll(() => rmSync(folder, { recursive: true }));
const put = (name: string, data: string | Uint8Array): string => {
  const path = join(folder, name);
  writeFileSync(path, data);
  return path;
};
async function rowsOf(path: string, format?: FileFormat): Promise<RawRow[]> {
  const name = path.split('/').at(-1)!;
  const rows: RawRow[] = [];
  for await (const batch of recordsOf(path, name, format ?? (await lookAt(path)).format)) rows.push(...batch.rows);
  return rows;
}
async function bikes(): Promise<string> {
  const path = join(folder, 'bikes.xlsx');
  const book = new ExcelJS.Workbook();
  const sheet = book.addWorksheet('Bikes');
  sheet.addRow(['Tidebridge Bikes, fleet list']);
  sheet.addRow([]);
  sheet.addRow(['Bike', 'Model', 'Bought', 'Wheel', 'Active', 'Cost']);
  sheet.addRow(['00417', 'TB-1', new Date(Date.UTC(2019, 3, 3)), 26, true, { formula: 'D4*2', result: 52 }]);
  sheet.addRow(['1E5', 'TB-2', new Date(Date.UTC(2020, 0, 31, 13, 45)), 0.1 + 0.2, false, null]);
  sheet.getCell('A6').value = { richText: [{ text: '004' }, { font: { bold: true }, text: '18' }] };
  sheet.getCell('B6').value = 'TB-1';
  sheet.getColumn(3).numFmt = 'dd.mm.yyyy';
  const second = book.addWorksheet('Old', { state: 'hidden' });
  second.addRow(['x', 'y']);
  second.addRow(['1', '2']);
  await book.xlsx.writeFile(path);
  return path;
}

describe('a workbook', () => {
  it('says so where cells are merged, and repeats their value where wanted', async () => {
    const path = join(folder, 'merged.xlsx');
    const book = new ExcelJS.Workbook();
    const sheet = book.addWorksheet('Stations');
    for (const row of [
      ['Area', 'Station', 'Docks'],
      ['Quay', 'North', 12],
      ['Quay', 'South', 14],
      ['Hill', 'Top', 8],
      ['Hill', null, 9],
    ])
      sheet.addRow(row);
    sheet.mergeCells('A2:A3');
    sheet.mergeCells('A4:B5');
    await book.xlsx.writeFile(path);
    const { format, reasons } = await lookAt(path);
    expect(reasons.join('; ')).toContain('2 ranges of cells are merged; the value is that of the first cell');
    expect(await rowsOf(path, format)).toEqual([
      ['Quay', 'North', '12'],
      [null, 'South', '14'],
      ['Hill', null, '8'],
      [null, null, '9'],
    ]);
    const repeated = { ...format, mergedRepeat: true } as FileFormat;
    expect(await rowsOf(path, repeated)).toEqual([
      ['Quay', 'North', '12'],
      ['Quay', 'South', '14'],
      ['Hill', 'Hill', '8'],
      ['Hill', 'Hill', '9'],
    ]);
    expect((await lookAt(path, 'merged.xlsx', null, repeated)).reasons.join()).toContain(
      'each cell has its range’s value',
    );
  });
  it('is looked at: sheets, hidden ones said so, the header below title rows', async () => {
    const look = await lookAt(await bikes());
    expect(look.parts).toEqual([
      { name: 'Bikes', description: 'a sheet' },
      { name: 'Old', description: 'a hidden sheet' },
    ]);
    expect(look.fields).toEqual(['Bike', 'Model', 'Bought', 'Wheel', 'Active', 'Cost']);
    expect(look.format).toMatchObject({ kind: 'xlsx', sheet: 'Bikes', skipLines: 2, header: true });
    expect(look.reasons.join()).toContain('2 rows above the first wide one');
  });
  it('gives texts as they are stored, dates as ISO, formulas by their stored values', async () => {
    expect(await rowsOf(await bikes())).toEqual([
      ['00417', 'TB-1', '2019-04-03', '26', 'true', '52'],
      ['1E5', 'TB-2', '2020-01-31 13:45:00', '0.3', 'false', null],
      ['00418', 'TB-1', null, null, null, null],
    ]);
  });
  it('reads a range of cells, another sheet, and without a header', async () => {
    const path = await bikes();
    const { format } = await lookAt(path, undefined, 'Old');
    expect(await rowsOf(path, format)).toEqual([['1', '2']]);
    const range: FileFormat = { kind: 'xlsx', sheet: 'Bikes', range: 'A4:B5', skipLines: 0, header: false };
    expect((await lookAt(path, undefined, null, range)).fields).toEqual(['column_1', 'column_2']);
    expect(await rowsOf(path, range)).toEqual([
      ['00417', 'TB-1'],
      ['1E5', 'TB-2'],
    ]);
  });
  it('names what is wrong', async () => {
    const path = await bikes();
    await expect(lookAt(path, undefined, 'Nothing')).rejects.toThrow('no sheet “Nothing” in it; it has Bikes, Old');
    const range: FileFormat = { kind: 'xlsx', sheet: 'Bikes', range: 'B4-H', skipLines: 0, header: true };
    await expect(lookAt(path, undefined, null, range)).rejects.toThrow('write it like B4:H200');
    const cut = put('cut.xlsx', readFileSync(path).subarray(0, 3000));
    await expect(lookAt(cut)).rejects.toThrow('not a sound ZIP archive');
    await expect(lookAt(put('text.xlsx', 'a;b\n1;2\n'))).rejects.toThrow('not a sound ZIP archive');
    await expect(lookAt(put('book.csv', readFileSync(path)))).rejects.toThrow('a ZIP archive or a workbook');
  });
  it('is not read if one of its bytes is not as it was packed, also of what is stored as it is', async () => {
    for (const name of ['sheetjs.xlsx', 'sheetjs-packed.xlsx']) {
      const whole = readFileSync(join(__dirname, '../corpus', name));
      const { format } = await lookAt(put(name, whole));
      // A bit of the sheet: where it begins is told by its name in the archive.
      const bytes = Buffer.from(whole);
      bytes[whole.indexOf('xl/worksheets/sheet1.xml') + 400]! ^= 1;
      const damaged = put(name, bytes);
      await expect(rowsOf(damaged, format)).rejects.toThrow(/sheet1.xml is damaged or cut short/);
      // A run, which sends what it has read, reads none of it.
      const dataset = datasetRecords([{ path: damaged, name }], format, null);
      await expect(dataset.next()).rejects.toThrow(/sheet1.xml is damaged or cut short/);
    }
  });
  it('counts as many bytes as the file has, when all of it was read', async () => {
    const path = await bikes();
    let counted = 0;
    const { format } = await lookAt(path);
    const dataset = datasetRecords([{ path, name: 'bikes.xlsx' }], format, null, (bytes) => (counted += bytes));
    while (!(await dataset.next()).done);
    expect(counted).toBe(readFileSync(path).length);
  });
  it('knows both calendars', () => {
    expect(serialText(43558, 'date', false)).toBe('2019-04-03');
    expect(serialText(43558 - 1462, 'date', true)).toBe('2019-04-03');
    expect(serialText(1, 'date', false)).toBe('1900-01-01');
    expect(serialText(0.75, 'time', false)).toBe('18:00:00');
    expect(serialText(43558.9999999999, 'timestamp', false)).toBe('2019-04-04 00:00:00');
  });
});

describe('text', () => {
  it('finds columns of fixed width, and takes drawn ones', async () => {
    const path = put(
      'members.txt',
      Buffer.from(
        [
          ['00417', 'Marlowe, Ines', '03.04.2019'],
          ['00418', 'Bäcker, Tom', '17.11.2020'],
          ['00419', 'Ode, Ann', '00.00.0000'],
        ]
          .map(([no, name, joined]) => `${no} ${name!.padEnd(15)}${joined}\n`)
          .join(''),
        'latin1',
      ),
    );
    const look = await lookAt(path);
    expect(look.format).toMatchObject({ kind: 'fixed', encoding: 'windows-1252' });
    const drawn: FileFormat = {
      kind: 'fixed',
      encoding: 'windows-1252',
      skipLines: 0,
      emptyIsNull: true,
      columns: [
        { name: 'no', from: 1, width: 6 },
        { name: 'name', from: 7, width: 15 },
        { name: 'joined', from: 22, width: 10 },
      ],
    };
    expect(await rowsOf(path, drawn)).toEqual([
      ['00417', 'Marlowe, Ines', '03.04.2019'],
      ['00418', 'Bäcker, Tom', '17.11.2020'],
      ['00419', 'Ode, Ann', '00.00.0000'],
    ]);
    const short = put('short.txt', 'ab\n');
    expect((await rowsOf(short, drawn))[0]).toBeInstanceOf(Unreadable);
  });
  it('knows the characters that Windows-1252 has where Latin-1 has none', async () => {
    const path = put('euro.csv', Buffer.from([0x61, 0x3b, 0x62, 10, 0x9c, 0x3b, 0x80, 10, 0x31, 0x3b, 0x32, 10]));
    expect(await rowsOf(path)).toEqual([
      ['œ', '€'],
      ['1', '2'],
    ]);
    expect((await lookAt(path)).lines[1]).toBe('œ;€');
  });
  it('tells JSON, JSON Lines and XML apart, whatever they are called', async () => {
    const kind = async (name: string, text: string): Promise<string> => (await lookAt(put(name, text))).format.kind;
    expect(await kind('a.json', '[{"a":1}]')).toBe('json');
    expect(await kind('b.json', '{"a":1}\n{"a":2}\n')).toBe('jsonl');
    expect(await kind('c.dat', '<?xml version="1.0"?><a><b/><b/></a>')).toBe('xml');
    expect(await kind('d.json.gz', gzipSync('{"items":[{"a":1}]}') as never)).toBe('json');
    expect(await kind('e.csv', '{x};y\n1;2\n')).toBe('delimited');
  });
  it('says what kind of file a wrong ending hides', async () => {
    await expect(lookAt(put('a.txt', '%PDF-1.7 ...'))).rejects.toThrow('a PDF');
    await expect(lookAt(put('b.csv', gzipSync('a,b\n1,2\n')))).rejects.toThrow('packed with gzip');
  });
});

describe('writing', () => {
  const field = (name: string, type: string): OutField => ({ name, type: parseFieldType(type) });
  const fields = [
    field('no', 'varchar(8)'),
    field('price', 'numeric(8,2)'),
    field('good', 'boolean'),
    field('n', 'integer'),
  ];
  const values: Value[][] = [
    ['00417', parseDecimal('12.50'), true, 7],
    ['<&"x>', null, false, null],
  ];
  it.each([
    [
      'out.csv',
      [
        ['00417', '12.50', 't', '7'],
        ['<&"x>', null, 'f', null],
      ],
    ],
    [
      'out.jsonl',
      [
        ['00417', '12.50', 'true', '7'],
        ['<&"x>', null, 'false', null],
      ],
    ],
    [
      'out.json',
      [
        ['1', '00417', '12.50', 'true', '7'],
        ['2', '<&"x>', null, 'false', null],
      ],
    ],
    [
      'out.xml',
      [
        ['1', '00417', '12.50', 't', '7'],
        ['2', '<&"x>', null, 'f', null],
      ],
    ],
    [
      'out.xlsx',
      [
        ['00417', '12.50', 'true', '7'],
        ['<&"x>', null, 'false', null],
      ],
    ],
  ])('%s reads back the same', async (name, expected) => {
    const path = join(folder, name);
    const file = await openRecordFile(path, fields);
    for (const row of values) file.write(row);
    await file.flush();
    await file.close();
    expect(await rowsOf(path)).toEqual(expected);
  });
  it('puts fixed-width columns where their types say', async () => {
    const path = join(folder, 'out.txt');
    const file = await openRecordFile(path, fields);
    for (const row of values) file.write(row);
    await file.close();
    expect(readFileSync(path, 'utf8')).toBe('00417        12.50t          7\n<&"x>             f           \n');
    await expect(openRecordFile(path, [field('x', 'text')])).rejects.toThrow('has no width');
  });
  it('says that a folder can not be written', async () => {
    const file = await openRecordFile(join(folder, 'nothing/out.csv'), fields);
    await expect(file.close()).rejects.toThrow("can't be written");
    const book = await openRecordFile(join(folder, 'nothing/out.xlsx'), fields);
    await expect(book.close()).rejects.toThrow("can't be written");
    await expect(openRecordFile(join(folder, 'a.doc'), fields)).rejects.toThrow('the ending says how to write');
  });
});

it('nested text whose records lie elsewhere now is learned anew, and keeps what else was settled', async () => {
  const path = put('moved.json', '{"a":[{"x":1}],"b":{"c":[{"y":1},{"y":2,"z":3}]}}');
  const { format } = await lookAt(path);
  expect(format).toMatchObject({ records: 'b.c' });
  const moved = { ...format, records: 'a', structures: [], part: '', unknown: 'refused' } as FileFormat;
  expect((await lookAt(path, 'moved.json', null, moved)).format).toMatchObject({
    records: 'a',
    structures: [{ path: '', fields: ['x'] }],
    beside: ['b'],
    unknown: 'refused',
  });
});
