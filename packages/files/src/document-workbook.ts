import {
  documentOfWorkbook,
  Fault,
  isFault,
  type MappingDocument,
  type ReadSheet,
  readWorkbook,
  type RowLook,
  soundCells,
  Workbook,
  type WorkbookFacts,
  workbookOf,
  type WorkbookSays,
  type WorkbookSheet,
} from '@versicle/core';
import type { Workbook as ExcelWorkbook, Worksheet } from 'exceljs';
import { openArchive } from './archive.ts';
import { cellText, MAX_CELL } from './cell-text.ts';

const INK = 'FF1C2430';
const GREY = 'FF5E5A50';
/** Named with every style: a style without a name gets another program's own. */
const FONT = { name: 'Calibri', family: 2, size: 11, color: { argb: INK } };
const PAPER = 'FFF3F1E6';
const HAIR = 'FFC9C3B2';
const USUAL_WIDTH = 14;
/** The height of a line of text, and lines of a row at the most, in points. */
const LINE = 15;
const MOST_LINES = 12;
/** Paper, as ECMA-376 numbers it. */
const A4 = 9;
/** Rows that get drop-downs below those that are filled, for lines that people add. */
const SPARE_ROWS = 200;

/** Writes a document as a workbook that people can read, fill in and send back. Throws a fault. */
export async function writeDocumentWorkbook(
  path: string,
  document: MappingDocument,
  facts: WorkbookFacts = {},
): Promise<void> {
  const { default: exceljs } = await import('exceljs');
  const book = new exceljs.Workbook();
  book.title = document.name;
  book.subject = facts.id ?? '';
  book.description = facts.revision ? `after revision ${facts.revision}` : 'draft';
  book.creator = 'Versicle';
  for (const sheet of workbookOf(document, facts)) addSheet(book, sheet);
  try {
    await book.xlsx.writeFile(path);
  } catch (error) {
    throw new Fault('unwritable', `${path} can't be written: ${(error as Error).message}`);
  }
}

function addSheet(book: ExcelWorkbook, of: WorkbookSheet): void {
  const { name, header, rows, choices = {}, widths = {}, page } = of;
  const printed = of.printed ?? header.length;
  const isEmpty = (i: number): boolean => rows.every((row) => row[i] === null);
  const isFolded = (h: string, i: number): boolean =>
    of.folded !== undefined && (of.folded.always.includes(h) || (of.folded.empty.includes(h) && isEmpty(i)));
  const sheet = book.addWorksheet(name, {
    ...(of.hidden ? { state: 'veryHidden' as const } : {}),
    views: [page ? { showGridLines: false } : { state: 'frozen', ySplit: 1, showGridLines: false }],
    pageSetup: {
      orientation: page ? 'portrait' : 'landscape',
      paperSize: A4,
      fitToPage: true,
      fitToWidth: 1,
      fitToHeight: 0,
      margins: { left: 0.5, right: 0.5, top: 0.6, bottom: 0.6, header: 0.3, footer: 0.3 },
    },
    // An & begins a code of the footer; a digit behind it would be one of its size.
    headerFooter: { oddFooter: `&L${book.title.replaceAll('&', '&&')} &R${name}, page &P of &N` },
    properties: { outlineLevelCol: printed < header.length ? 1 : 0 },
  });
  sheet.columns = header.map((h, i) => ({
    width: widths[h] ?? USUAL_WIDTH,
    hidden: isFolded(h, i),
    ...(i >= printed ? { outlineLevel: 1 } : {}),
  }));
  const head = sheet.addRow(header.map(cellText));
  head.font = { ...FONT, bold: true };
  head.fill = { type: 'pattern', pattern: 'solid', fgColor: { argb: PAPER } };
  head.border = { bottom: { style: 'thin', color: { argb: INK } } };
  for (const [n, cells] of rows.entries()) {
    const row = sheet.addRow(cells.map((cell, i) => (cell === null ? null : fitting(cell, name, n + 2, header[i]!))));
    row.font = FONT;
    row.alignment = { vertical: 'top', wrapText: true };
    row.height = LINE * linesOf(cells, header, widths);
    row.border = { bottom: { style: 'hair', color: { argb: HAIR } } };
  }
  for (const heading of of.derived ?? [])
    for (let row = 1; row <= rows.length + 1; row++)
      sheet.getCell(row, header.indexOf(heading) + 1).font = { ...FONT, color: { argb: GREY }, bold: row === 1 };
  const last = page ? page.filter((look) => look !== 'kept').length : rows.length;
  if (!of.hidden)
    sheet.pageSetup.printArea = `A$${page ? 2 : 1}:${sheet.getColumn(printed).letter}$${Math.max(2, last + 1)}`;
  if (page) drawPage(sheet, page);
  else {
    sheet.pageSetup.printTitlesRow = '1:1';
    if (printed < header.length) sheet.pageSetup.printTitlesColumn = 'A:A';
    if (rows.length > 0)
      sheet.autoFilter = { from: { row: 1, column: 1 }, to: { row: rows.length + 1, column: header.length } };
  }
  for (const [i, heading] of header.entries()) {
    // Text, so that no program turns a code into a number when a cell is written into.
    sheet.getColumn(i + 1).numFmt = '@';
    const words = choices[heading];
    if (!words) continue;
    for (let row = 2; row <= rows.length + 1 + SPARE_ROWS; row++)
      sheet.getCell(row, i + 1).dataValidation = {
        type: 'list',
        allowBlank: true,
        formulae: [`"${words.join(',')}"`],
        showErrorMessage: true,
        errorTitle: heading,
        error: `One of: ${words.join(', ')}`,
      };
  }
}
/** A page that is read from top to bottom: the headings of its columns are only for reading it back. */
function drawPage(sheet: Worksheet, looks: readonly RowLook[]): void {
  sheet.getRow(1).hidden = true;
  for (const [i, look] of looks.entries()) {
    const row = sheet.getRow(i + 2);
    const [entry, value] = [row.getCell(1), row.getCell(2)];
    entry.font = { ...FONT, color: { argb: GREY } };
    if (look !== 'entry') row.border = {};
    if (look === 'kept') row.outlineLevel = 1;
    if (look === 'title') {
      value.font = { ...FONT, bold: true, size: 22 };
      entry.alignment = { vertical: 'bottom' };
      row.height = 34;
    } else if (look === 'heading') {
      entry.font = { ...FONT, bold: true, size: 13 };
      entry.alignment = { vertical: 'bottom' };
      for (const cell of [entry, value]) cell.border = { bottom: { style: 'thin', color: { argb: INK } } };
      row.height = 30;
    } else if (look === 'derived' || look === 'kept') value.font = { ...FONT, color: { argb: GREY } };
  }
}
/** How many lines the longest of a row's cells takes, so that nothing that is wrapped is hidden. */
function linesOf(
  cells: readonly (string | null)[],
  header: readonly string[],
  widths: Readonly<Record<string, number>>,
): number {
  const lines = cells.map((cell, i) =>
    (cell ?? '')
      .split('\n')
      .reduce((sum, line) => sum + Math.max(1, Math.ceil(line.length / ((widths[header[i]!] ?? USUAL_WIDTH) - 1))), 0),
  );
  return Math.min(MOST_LINES, Math.max(1, ...lines));
}
function fitting(text: string, sheet: string, row: number, column: string): string {
  const kept = cellText(text);
  if (kept.length > MAX_CELL)
    throw new Fault(
      'unwritable',
      `${sheet}, row ${row}, ${column}: a cell holds ${MAX_CELL.toLocaleString('en-GB')} characters, this text is longer. Use the JSON form.`,
    );
  return kept;
}

export interface DocumentWorkbook extends WorkbookSays {
  /** The mapping that it was made of, where it says so. */
  readonly mapping: string | null;
}

/** Reads a document back from its workbook. Throws a fault with a sentence for the person. */
export async function readDocumentWorkbook(path: string, name: string): Promise<DocumentWorkbook> {
  return withSheets(path, name, (sheets) => {
    const mapping = sheets.get('Overview')?.find(([entry]) => entry === 'Mapping')?.[1] ?? null;
    return { ...readWorkbook(sheets), mapping };
  });
}
/** The document alone, which must be sound. */
export async function documentInWorkbook(path: string, name: string): Promise<MappingDocument> {
  return withSheets(path, name, documentOfWorkbook);
}
async function withSheets<T>(
  path: string,
  name: string,
  use: (sheets: ReadonlyMap<string, ReadSheet>) => T,
): Promise<T> {
  const archive = await openArchive(path, name);
  try {
    const book = await Workbook.open(archive);
    const sheets = new Map<string, ReadSheet>();
    for (const { name: sheet } of book.sheets) sheets.set(sheet, await rowsOf(book, sheet));
    return use(sheets);
  } catch (error) {
    if (!isFault(error, 'unreadable') || error.message.includes(name)) throw error;
    throw new Fault('unreadable', `${name}: ${error.message}`);
  } finally {
    archive.close();
  }
}
/** All rows from the first on, empty ones included, so that their numbers are those that people see. */
async function rowsOf(book: Workbook, sheet: string): Promise<ReadSheet> {
  const rows: (readonly (string | null)[])[] = [];
  for await (const batch of book.rows(book.sheet(sheet)))
    for (const row of batch) {
      while (rows.length < row.number - 1) rows.push([]);
      rows.push(soundCells(row));
    }
  return rows;
}
