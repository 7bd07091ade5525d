import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import ExcelJS from 'exceljs';
import * as fc from 'fast-check';
import { canonicalText, parseDocument, readDocument, type MappingDocument } from '@versicle/core';
import { readDocumentWorkbook, writeDocumentWorkbook } from './document-workbook.ts';

const home = mkdtempSync(join(tmpdir(), 'versicle-workbook-'));
afterAll(() => rmSync(home, { recursive: true }));
const path = join(home, 'document.xlsx');
const again = async (document: MappingDocument): Promise<MappingDocument> => {
  await writeDocumentWorkbook(path, document, { id: 'members', revision: 3 });
  const { document: read, mapping } = await readDocumentWorkbook(path, 'document.xlsx');
  expect(mapping).toBe('members');
  return read;
};
const demo = (name: string): MappingDocument =>
  readDocument(readFileSync(join(__dirname, `../../../demo/mappings/${name}.versicle.json`), 'utf8'));

describe('a document as XLSX', () => {
  it.each(['members', 'bikes', 'stations', 'trips', 'trip-months'])('%s comes back as it was', async (name) => {
    const document = demo(name);
    expect(canonicalText(await again(document))).toBe(canonicalText(document));
  });
  it('keeps every text as it is, control characters and odd spaces included', async () => {
    const text = fc.oneof(
      fc.string({ unit: 'grapheme', minLength: 1, maxLength: 12 }),
      fc.constantFrom('_x000D_', ' x ', 'a\r\nb', '\u0001', '00417', '1E5', '=1+1', '03-04', "'", '""'),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(text, { minLength: 1, maxLength: 8 }), async (texts) => {
        const document = parseDocument({
          versicle: 1,
          name: 'Texts',
          source: { primary: { alias: 'a', dataset: 'files/a.csv' } },
          target: { dataset: 'store/a', fields: texts.map((t, i) => ({ name: `f${i}`, type: 'text', label: t })) },
          lines: texts.map((t, i) => ({ id: `l${i}`, target: `f${i}`, kind: 'constant', value: t, note: t })),
          codeTables: { codes: texts.map((t) => ({ from: t, to: t })) },
        });
        expect(await again(document)).toEqual(document);
      }),
      { numRuns: 25 },
    );
  });
  it('has frozen headings, filters, drop-downs and cells of text', async () => {
    await again(demo('members'));
    const book = new ExcelJS.Workbook();
    await book.xlsx.readFile(path);
    const sheet = book.getWorksheet('Mapping')!;
    expect(sheet.views[0]).toMatchObject({ state: 'frozen', ySplit: 1 });
    expect(sheet.autoFilter).toBeTruthy();
    const kind = (sheet.getRow(1).values as string[]).indexOf('Kind');
    expect(sheet.getCell(2, kind).dataValidation).toMatchObject({
      type: 'list',
      formulae: [expect.stringContaining('lookup')],
    });
    expect(sheet.getCell(2, kind).numFmt).toBe('@');
    expect(book.subject).toBe('members');
  });
  it('prints what people read, one page wide, with the headings on each page', async () => {
    await again(demo('trips'));
    const book = new ExcelJS.Workbook();
    await book.xlsx.readFile(path);
    const sheet = book.getWorksheet('Mapping')!;
    expect(sheet.pageSetup).toMatchObject({
      fitToPage: true,
      fitToWidth: 1,
      fitToHeight: 0,
      orientation: 'landscape',
      printTitlesRow: '1:1',
    });
    expect(sheet.pageSetup.printArea).toBe('A1:J17');
    expect([sheet.getColumn('J').outlineLevel, sheet.getColumn('K').outlineLevel]).toEqual([0, 1]);
    const overview = book.getWorksheet('Overview')!;
    expect(overview.getCell('B2').value).toBe('Trips to warehouse');
    expect(overview.getRow(1).hidden).toBe(true);
    const printed = Number(/\d+$/.exec(overview.pageSetup.printArea!)![0]);
    expect(overview.getCell(printed + 1, 1).value).toBe('Source alias');
  });
  it('is read after a person changed it with another program', async () => {
    await again(demo('members'));
    const book = new ExcelJS.Workbook();
    await book.xlsx.readFile(path);
    const sheet = book.getWorksheet('Mapping')!;
    const state = (sheet.getRow(1).values as string[]).indexOf('State');
    sheet.getCell(6, state).value = 'agreed';
    book.getWorksheet('Code tables')!.addRow(['tariff', 'Z', 'DAY', 'Given up']);
    await book.xlsx.writeFile(path);
    const { document: read } = await readDocumentWorkbook(path, 'document.xlsx');
    expect(read.lines[4]).toMatchObject({ id: 'l05', state: 'agreed' });
    expect(read.codeTables['tariff']!.at(-1)).toEqual({ from: 'Z', to: 'DAY', meaning: 'Given up' });
  });
  it('is the same with its columns in another order, columns added, and rows filtered or sorted', async () => {
    const document = demo('trips');
    await again(document);
    const book = new ExcelJS.Workbook();
    await book.xlsx.readFile(path);
    const sheet = book.getWorksheet('Mapping')!;
    const rows = (sheet.getSheetValues().slice(1) as ExcelJS.CellValue[][]).filter((r) =>
      r.some((v) => v !== null && v !== undefined),
    );
    const width = Math.max(...rows.map((r) => r.length)) - 1;
    const turned = rows.map((r) => [...Array.from({ length: width }, (_, i) => r[width - i] ?? null), null, 'mine']);
    turned[0]![width + 1] = 'Added by us';
    const [header, ...rest] = turned;
    book.removeWorksheet(sheet.id);
    const other = book.addWorksheet('Mapping');
    other.addRows([header!, ...rest.reverse()]);
    for (let row = 3; row < 8; row++) other.getRow(row).hidden = true;
    await book.xlsx.writeFile(path);
    const { document: read } = await readDocumentWorkbook(path, 'turned.xlsx');
    expect(canonicalText(read)).toBe(canonicalText(document));
  });
  it('is refused where a column was renamed, for what stood there would be lost', async () => {
    await again(demo('members'));
    const book = new ExcelJS.Workbook();
    await book.xlsx.readFile(path);
    const sheet = book.getWorksheet('Mapping')!;
    const rule = (sheet.getRow(1).values as string[]).indexOf('Rule');
    sheet.getCell(1, rule).value = 'Regel';
    await book.xlsx.writeFile(path);
    await expect(readDocumentWorkbook(path, 'renamed.xlsx')).rejects.toThrow(/column “Rule” is not there/);
  });
  const office = ['/usr/bin/soffice', '/usr/bin/libreoffice'].find((program) => existsSync(program));
  (office ? it.each : it.skip.each)(['members', 'trips'])(
    '%s comes through LibreOffice, where that is installed, as it was',
    async (name) => {
      const document = demo(name);
      await again(document);
      const out = join(home, 'converted');
      spawnSync(office!, ['--headless', '--convert-to', 'xlsx:Calc MS Excel 2007 XML', '--outdir', out, path], {
        env: { ...process.env, HOME: home },
      });
      const { document: read, mistaken } = await readDocumentWorkbook(join(out, 'document.xlsx'), 'document.xlsx');
      expect(mistaken).toEqual([]);
      expect(canonicalText(read)).toBe(canonicalText(document));
      const book = new ExcelJS.Workbook();
      await book.xlsx.readFile(join(out, 'document.xlsx'));
      const sheet = book.getWorksheet('Mapping')!;
      const kind = (sheet.getRow(1).values as string[]).indexOf('Kind');
      expect(sheet.getCell(2, kind).dataValidation).toMatchObject({ type: 'list' });
      expect(sheet.getCell(2, kind).numFmt).toBe('@');
    },
  );
  it('says what it is not', async () => {
    writeFileSync(path, readFileSync(path).subarray(0, 4000));
    await expect(readDocumentWorkbook(path, 'cut.xlsx')).rejects.toThrow(/cut.xlsx.*not a sound ZIP archive/);
    const book = new ExcelJS.Workbook();
    book.addWorksheet('Prices').addRow(['a']);
    await book.xlsx.writeFile(path);
    await expect(readDocumentWorkbook(path, 'prices.xlsx')).rejects.toThrow(/no sheet “Overview”; it has “Prices”/);
    const long = { ...demo('members'), purpose: 'x'.repeat(40_000) };
    await expect(writeDocumentWorkbook(path, long)).rejects.toThrow(/Overview, row 3, Value: a cell holds 32,767/);
  });
});
