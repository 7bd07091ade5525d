/**
 * Makes the files of the corpus anew, each by a writer that is not ours, with what it means beside it. Not part of the tests:
 *
 *   mkdir /tmp/writers && cd /tmp/writers && npm init -y
 *   npm i --ignore-scripts xlsx@0.18.5 xlsx-populate@1.21.0 excel4node@1.8.2 write-excel-file@4.1.1 exceljs@4.4.0 \
 *     xmlbuilder2@4.0.3 fast-xml-parser@5.12.1 js2xmlparser@5.0.0 csv-stringify@6.9.0 papaparse@5.7.1 @fast-csv/format@5.0.8
 *   node /path/to/make.mjs /tmp/writers
 */
import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const here = dirname(fileURLToPath(import.meta.url));
const writers = process.argv[2] ?? process.cwd();
const require = createRequire(join(writers, 'package.json'));
const load = (name) => import(pathToFileURL(require.resolve(name)).href);
const { default: XLSX } = await load('xlsx');
const { default: Populate } = await load('xlsx-populate');
const { default: excel4node } = await load('excel4node');
const { default: writeExcelFile } = await load('write-excel-file/node');
const { default: ExcelJS } = await load('exceljs');
const { create } = await load('xmlbuilder2');
const { XMLBuilder } = require('fast-xml-parser');
const { parse: js2xml } = await load('js2xmlparser');
const { stringify } = await load('csv-stringify/sync');
const { default: Papa } = await load('papaparse');
const { writeToString } = await load('@fast-csv/format');

const DAY = 86_400_000;
const utc = (text) => new Date(text.length > 10 ? `${text}Z` : `${text}T00:00:00Z`);
const NAMES = ['Bike', 'Model', 'Bought', 'Last seen', 'Cost', 'Trips', 'Active', 'Note'];
const BIKES = [
  ['TB-0001', '00417', utc('2019-04-03'), utc('2026-08-31T13:45:00'), 52.5, 12, true, 'plain'],
  [
    'TB-0002',
    '1E5',
    utc('1999-12-31'),
    utc('2000-02-29T00:00:01'),
    0.1,
    9_007_199_254_740_991,
    false,
    'comma, "quotes" and ; semicolon',
  ],
  ['TB-0003', '=1+1', utc('2024-02-29'), utc('2026-10-25T02:30:00'), -1_234_567.89, 0, true, 'two\nlines'],
  [
    'TB-0004',
    ' blank before',
    utc('1960-07-01'),
    utc('1999-06-15T23:59:59'),
    1e-7,
    -3,
    false,
    'Bäcker & Søn <kerb> “Löwe” 🚲',
  ],
  ['TB-0005', null, null, null, null, null, null, null],
  ['TB-0006', 'TB-1', utc('2030-01-01'), utc('2030-01-01T12:00:00'), 100, 1, true, 'and a tab\there'],
];
/** As text: dates and times as ISO 8601, numbers in full. */
const textOf = (value, column) => {
  if (value instanceof Date)
    return column === 2 ? value.toISOString().slice(0, 10) : value.toISOString().slice(0, 19).replace('T', ' ');
  if (value === 1e-7) return '0.0000001';
  return value === null ? null : String(value);
};
const ROWS = BIKES.map((row) => row.map(textOf));
const put = (name, data, means) => {
  writeFileSync(join(here, name), data);
  writeFileSync(join(here, `${name}.means.json`), `${JSON.stringify(means, null, 1)}\n`);
};
const bikes = { fields: NAMES, rows: ROWS };
const serial = (date) => date.getTime() / DAY + 25_569;

// Workbooks
{
  const fill = (sheet, commit) => {
    const header = sheet.addRow(NAMES);
    if (commit) header.commit();
    for (const bike of BIKES) {
      const row = sheet.addRow(bike);
      row.getCell(3).numFmt = 'dd/mm/yyyy';
      row.getCell(4).numFmt = 'yyyy-mm-dd hh:mm:ss';
      if (commit) row.commit();
    }
  };
  for (const date1904 of [false, true]) {
    const book = new ExcelJS.Workbook();
    book.properties.date1904 = date1904;
    fill(book.addWorksheet('Bikes'));
    put(date1904 ? 'exceljs-1904.xlsx' : 'exceljs.xlsx', Buffer.from(await book.xlsx.writeBuffer()), bikes);
  }
  const filename = join(here, 'exceljs-stream.xlsx');
  const stream = new ExcelJS.stream.xlsx.WorkbookWriter({ filename, useSharedStrings: false, useStyles: true });
  const sheet = stream.addWorksheet('Bikes');
  fill(sheet, true);
  sheet.commit();
  await stream.commit();
  put('exceljs-stream.xlsx', readFileSync(filename), bikes);
}
for (const [name, how] of [
  ['sheetjs.xlsx', { bookSST: true }],
  ['sheetjs-inline.xlsx', { bookSST: false }],
  ['sheetjs-packed.xlsx', { bookSST: true, compression: true }],
]) {
  const sheet = XLSX.utils.aoa_to_sheet([NAMES, ...BIKES]);
  BIKES.forEach((bike, y) => {
    for (const x of [2, 3])
      if (bike[x] !== null)
        sheet[XLSX.utils.encode_cell({ r: y + 1, c: x })] = {
          t: 'n',
          v: serial(bike[x]),
          z: x === 2 ? 'm/d/yy' : 'yyyy\\-mm\\-dd\\ hh:mm:ss',
        };
  });
  const book = XLSX.utils.book_new();
  XLSX.utils.book_append_sheet(book, sheet, 'Bikes');
  put(name, XLSX.write(book, { type: 'buffer', bookType: 'xlsx', ...how }), bikes);
}
{
  // Titles above the header, a second and a hidden sheet.
  const sheet = XLSX.utils.aoa_to_sheet([['Bikes of the north'], ['as of August'], [], NAMES, ...ROWS]);
  const book = XLSX.utils.book_new();
  XLSX.utils.book_append_sheet(book, sheet, 'Bikes');
  XLSX.utils.book_append_sheet(book, XLSX.utils.aoa_to_sheet([['Code'], ['A']]), 'Codes');
  book.Workbook = { Sheets: [{ name: 'Bikes' }, { name: 'Codes', Hidden: 1 }] };
  put('sheetjs-titles.xlsx', XLSX.write(book, { type: 'buffer', bookType: 'xlsx', bookSST: true }), bikes);
}
{
  const book = await Populate.fromBlankAsync();
  const sheet = book.sheet(0).name('Bikes');
  const cell = (value) => (value === null ? undefined : value instanceof Date ? serial(value) : value);
  sheet.cell('A1').value([NAMES, ...BIKES.map((bike) => bike.map(cell))]);
  sheet.range('C2:C7').style('numberFormat', 'd mmm yyyy');
  sheet.range('D2:D7').style('numberFormat', 'dddd, d mmmm yyyy hh:mm:ss');
  put('populate.xlsx', await book.outputAsync(), bikes);
}
{
  const book = new excel4node.Workbook();
  const sheet = book.addWorksheet('Bikes');
  NAMES.forEach((name, x) => sheet.cell(1, x + 1).string(name));
  const styles = { 2: book.createStyle({ numberFormat: 'yyyy-mm-dd' }) };
  styles[3] = book.createStyle({ numberFormat: 'yyyy-mm-dd hh:mm:ss' });
  BIKES.forEach((bike, y) =>
    bike.forEach((value, x) => {
      const cell = sheet.cell(y + 2, x + 1);
      if (value instanceof Date) cell.number(serial(value)).style(styles[x]);
      else if (typeof value === 'number') cell.number(value);
      else if (typeof value === 'boolean') cell.bool(value);
      else if (value !== null) cell.string(value);
    }),
  );
  put('excel4node.xlsx', await book.writeToBuffer(), bikes);
}
{
  const type = (value) =>
    ({ object: Date, number: Number, boolean: Boolean, string: String })[value === null ? 'string' : typeof value];
  const cell = (value, x) =>
    value === null
      ? null
      : {
          value,
          type: type(value),
          ...(value instanceof Date ? { format: x === 2 ? 'dd.mm.yyyy' : 'yyyy-mm-dd hh:mm:ss' } : {}),
        };
  const data = [NAMES.map((value) => ({ value })), ...BIKES.map((bike) => bike.map(cell))];
  const made = await writeExcelFile(data, { buffer: true, sheet: 'Bikes' });
  put('write-excel-file.xlsx', Buffer.isBuffer(made) ? made : await made.toBuffer(), bikes);
}
{
  // By the office suite, where it is installed: one of the others, opened and saved.
  const folder = mkdtempSync(join(tmpdir(), 'corpus-'));
  copyFileSync(join(here, 'exceljs.xlsx'), join(folder, 'in.xlsx'));
  const { status } = spawnSync(
    'soffice',
    ['--headless', '--convert-to', 'xlsx:Calc MS Excel 2007 XML', '--outdir', join(folder, 'out'), 'in.xlsx'],
    { cwd: folder, env: { ...process.env, HOME: folder } },
  );
  // It keeps 15 digits of a number.
  const rows = ROWS.map((row) => row.map((text) => (text === '9007199254740991' ? '9007199254740990' : text)));
  if (status === 0) put('libreoffice.xlsx', readFileSync(join(folder, 'out/in.xlsx')), { fields: NAMES, rows });
  rmSync(folder, { recursive: true });
}

// Delimited text
const table = [NAMES, ...ROWS];
put('csv-stringify.csv', stringify(table), bikes);
put('csv-stringify-quoted.csv', stringify(table, { quoted: true, record_delimiter: '\r\n' }), bikes);
put('csv-stringify-semicolon.csv', stringify(table, { delimiter: ';', bom: true }), bikes);
put('csv-stringify-tab.txt', stringify(table, { delimiter: '\t' }), bikes);
put('csv-stringify-cr.csv', stringify(table, { record_delimiter: '\r' }), bikes);
put('papaparse.csv', Papa.unparse(table), bikes);
put('papaparse-bar.csv', Papa.unparse(table, { delimiter: '|', quotes: true }), bikes);
put('fast-csv.csv', await writeToString(table), bikes);
put('utf-16.csv', Buffer.from(`\uFEFF${stringify(table, { delimiter: ';' })}`, 'utf16le'), bikes);
{
  const latin = (text) => text?.replaceAll(/[^\x00-\xff]/gu, '-') ?? null;
  const rows = ROWS.map((row) => row.map(latin));
  put('windows-1252.csv', Buffer.from(stringify([NAMES, ...rows]), 'latin1'), { fields: NAMES, rows });
}
put('sheetjs.csv', `\uFEFF${XLSX.utils.sheet_to_csv(XLSX.utils.aoa_to_sheet(table), { FS: ';' })}`, bikes);
{
  const widths = [9, 15, 11];
  const fields = ['bike', 'model', 'bought'];
  const rows = ROWS.filter((row) => row[2] !== null).map((row) => row.slice(0, 3).map((text) => text.trim()));
  const lines = rows.map((row) =>
    row
      .map((text, x) => text.padEnd(widths[x]))
      .join('')
      .trimEnd(),
  );
  let from = 1;
  const columns = fields.map((name, x) => ({ name, from: (from += widths[x]) - widths[x], width: widths[x] }));
  const format = { kind: 'fixed', encoding: 'utf-8', skipLines: 0, emptyIsNull: true, columns };
  put('fixed-width.txt', lines.map((line) => `${line}\n`).join(''), { fields, rows, format });
}

// XML
const KEYS = ['bike', 'model', 'bought', 'lastSeen', 'cost', 'trips', 'active', 'note'];
const objects = ROWS.map((row) => Object.fromEntries(KEYS.map((k, x) => [k, row[x]]).filter(([, v]) => v !== null)));
const each = (change) => objects.map((bike) => Object.fromEntries(Object.entries(bike).map(change)));
const xml = { fields: KEYS, rows: ROWS };
put(
  'xmlbuilder2.xml',
  create({ version: '1.0', encoding: 'UTF-8' }, { bikes: { bike: objects } }).end({ prettyPrint: true }),
  xml,
);
put('xmlbuilder2-flat.xml', create({ bikes: { bike: objects } }).end(), xml);
put('xmlbuilder2-cdata.xml', create({ bikes: { bike: each(([k, v]) => [k, { $: v }]) } }).end(), xml);
put(
  'xmlbuilder2-attributes.xml',
  create({ bikes: { bike: each(([k, v]) => [`@${k}`, v]) } }).end({ prettyPrint: true }),
  {
    fields: KEYS.map((k) => `@${k}`),
    // White space of attributes is one blank each (XML 1.0, 3.3.3).
    rows: ROWS.map((row) => row.map((text) => text?.replaceAll(/[\n\t]/g, ' ') ?? null)),
  },
);
put('fast-xml-parser.xml', new XMLBuilder({ format: true }).build({ bikes: { bike: objects } }), xml);
put(
  'fast-xml-parser-prefix.xml',
  `<?xml version="1.0"?>\n${new XMLBuilder({ format: true, ignoreAttributes: false, attributeNamePrefix: '@' }).build({
    'n:bikes': { '@xmlns:n': 'urn:larkway', 'n:bike': each(([k, v]) => [`n:${k}`, v]) },
  })}`,
  xml,
);
put('js2xmlparser.xml', js2xml('bikes', { bike: objects }), xml);
{
  const latin = (text) => text?.replaceAll(/[^\x00-\xff]/gu, '?') ?? null;
  const text = js2xml('bikes', { bike: each(([k, v]) => [k, latin(v)]) }, { declaration: { encoding: 'ISO-8859-1' } });
  put('js2xmlparser-latin1.xml', Buffer.from(text, 'latin1'), {
    fields: KEYS,
    rows: ROWS.map((row) => row.map(latin)),
  });
}

// JSON
const json = BIKES.map((bike) =>
  Object.fromEntries(NAMES.map((name, x) => [name, bike[x] instanceof Date ? textOf(bike[x], x) : bike[x]])),
);
// Digits stay as they are written.
const asWritten = { fields: NAMES, rows: ROWS.map((row) => row.map((text) => (text === '0.0000001' ? '1e-7' : text))) };
put('list.json', JSON.stringify(json), asWritten);
put('indented.json', JSON.stringify(json, null, '\t'), asWritten);
put('within.json', JSON.stringify({ meta: { count: json.length }, data: { items: json } }, null, 2), asWritten);
put('utf-16.json', Buffer.from(`\uFEFF${JSON.stringify(json)}`, 'utf16le'), asWritten);
const lines = json.map((bike) => JSON.stringify(bike));
const escaped = (text) =>
  text.replaceAll(/[^\x00-\x7f]/g, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`);
put('lines.jsonl', lines.map((line) => `${line}\n`).join(''), asWritten);
put('lines-crlf.jsonl', lines.join('\r\n'), asWritten);
put('lines-escaped.jsonl', lines.map(escaped).join('\n'), asWritten);

// What repeats within records
const orders = [
  {
    no: 'R-1',
    line: [
      { part: 'tube', quantity: '2' },
      { part: 'tyre', quantity: '1' },
    ],
  },
  { no: 'R-2', line: [] },
  { no: 'R-3', line: [{ part: 'bell', quantity: '1' }] },
];
const repairs = {
  part: 'line',
  fields: ['_key', '_parent_key', '_position', 'part', 'quantity'],
  rows: [
    ['1.1', '1', '1', 'tube', '2'],
    ['1.2', '1', '2', 'tyre', '1'],
    ['3.1', '3', '1', 'bell', '1'],
  ],
};
put('repairs.json', JSON.stringify({ repairs: orders }), repairs);
put('repairs.xml', create({ repairs: { order: orders } }).end({ prettyPrint: true }), repairs);
