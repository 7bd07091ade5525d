import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parse } from 'csv-parse/sync';
import ExcelJS from 'exceljs';
import * as fc from 'fast-check';
import { readOutcome } from './testing/corpus.ts';

/** What LibreOffice makes of the same workbook, where that is installed. Other cells each time; VERSICLE_SEED repeats them. */
const SEED = Number(process.env['VERSICLE_SEED'] ?? Date.now() % 1_000_000);
const office = ['/usr/bin/soffice', '/usr/bin/libreoffice'].find((program) => existsSync(program));

let folder: string;
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'versicle-office-'))));
afterAll(() => rmSync(folder, { recursive: true }));

/** A cell's value with its format, and how the same is written by us, seen from what the office suite shows. */
interface Cell {
  readonly value: ExcelJS.CellValue;
  readonly format: string;
}
const day = fc.integer({ min: 61, max: 109_574 });
const cell: fc.Arbitrary<Cell> = fc.oneof(
  fc.record({ value: day, format: fc.constant('yyyy-mm-dd') }),
  fc.record({
    // Parts of a day that a binary fraction holds: of others, the suite may show a second less than was meant.
    value: fc.tuple(day, fc.integer({ min: 0, max: 127 })).map(([d, part]) => d + part / 128),
    format: fc.constant('yyyy-mm-dd hh:mm:ss'),
  }),
  fc.record({ value: fc.integer({ min: 0, max: 127 }).map((part) => part / 128), format: fc.constant('hh:mm:ss') }),
  fc.record({ value: fc.integer({ min: 0, max: 9_000 }).map((part) => part / 128), format: fc.constant('[hh]:mm:ss') }),
  fc.record({ value: fc.integer({ min: -1e9, max: 1e9 }), format: fc.constant('0') }),
  fc.record({ value: fc.integer({ min: -1e7, max: 1e7 }).map((n) => n / 1000), format: fc.constant('0.000') }),
  fc.record({
    // What a spreadsheet takes for text of its own: no control characters.
    value: fc.oneof(
      fc.string({ unit: 'grapheme', minLength: 1, maxLength: 10 }).filter((t) => !/[\p{Cc}\ufffe\uffff]/u.test(t)),
      fc.constantFrom('00417', '1E5', '=1+1', 'TRUE', ' x ', 'a,b', '"', '2026-01-01', 'Löwe', '🚲', 'a\nb'),
    ),
    format: fc.constant('@'),
  }),
  fc.record({ value: fc.boolean(), format: fc.constant('General') }),
);

(office ? it : it.skip)(`workbooks are read as LibreOffice shows them (VERSICLE_SEED=${SEED})`, async () => {
  const table = fc.array(fc.array(cell, { minLength: 6, maxLength: 6 }), { minLength: 400, maxLength: 400 });
  const [rows] = fc.sample(table, { seed: SEED, numRuns: 1 });
  const book = new ExcelJS.Workbook();
  const sheet = book.addWorksheet('Bikes');
  sheet.addRow(['a', 'b', 'c', 'd', 'e', 'f']);
  for (const cells of rows!) {
    const row = sheet.addRow(cells.map((c) => c.value));
    cells.forEach((c, i) => (row.getCell(i + 1).numFmt = c.format));
  }
  const path = join(folder, 'bikes.xlsx');
  await book.xlsx.writeFile(path);
  // Comma, quote, UTF-8, from the first line, as shown.
  const csv = 'csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true';
  spawnSync(office!, ['--headless', '--convert-to', csv, '--outdir', folder, path], {
    env: { ...process.env, HOME: folder },
  });
  const shown = parse(readFileSync(join(folder, 'bikes.csv')), { bom: true, from_line: 2 }) as string[][];
  const { rows: ours, unreadable, refusal } = await readOutcome(path);
  expect({ refusal, unreadable }).toEqual({ refusal: null, unreadable: [] });
  const asShown = (text: string | null, { format }: Cell): string => {
    if (text === null) return '';
    if (format === 'General') return text.toUpperCase();
    return format === '0.000' ? Number(text).toFixed(3) : text;
  };
  expect(ours.map((row, y) => row.map((text, x) => asShown(text, rows![y]![x]!)))).toEqual(shown);
});
