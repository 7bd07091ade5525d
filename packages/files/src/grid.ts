import { Fault, type ForeignSheet, MergedCells, soundCells, Unreadable, Workbook } from '@versicle/core';
import { openArchive } from './archive.ts';
import { isWorkbook, lookAt } from './look.ts';
import { recordsOf } from './records.ts';

/** Rows of one sheet that are read; a mapping document is far shorter. */
const MOST_ROWS = 60_000;

/** All visible sheets of a file as cells, merged cells filled: what a spreadsheet that people laid out looks like. Throws a fault. */
export async function readGrid(path: string, name: string): Promise<ForeignSheet[]> {
  return isWorkbook(name) ? workbookGrid(path, name) : [await delimitedGrid(path, name)];
}

async function workbookGrid(path: string, name: string): Promise<ForeignSheet[]> {
  const archive = await openArchive(path, name);
  try {
    const book = await Workbook.open(archive);
    const sheets: ForeignSheet[] = [];
    for (const sheet of book.sheets.filter((s) => !s.hidden)) {
      const merged = new MergedCells(await book.merged(sheet));
      const rows: (readonly (string | null)[])[] = [];
      for await (const batch of book.rows(sheet))
        for (const row of batch) {
          const { number } = row;
          if (number > MOST_ROWS)
            throw new Fault(
              'unreadable',
              `${name}: the sheet ${sheet.name} has more than ${MOST_ROWS.toLocaleString('en-GB')} rows.`,
            );
          while (rows.length < number - 1) rows.push([]);
          rows.push(merged.fill(number, soundCells(row)));
        }
      sheets.push({ name: sheet.name, rows });
    }
    return sheets;
  } finally {
    archive.close();
  }
}
async function delimitedGrid(path: string, name: string): Promise<ForeignSheet> {
  const { format } = await lookAt(path, name);
  const plain = format.kind === 'delimited' ? { ...format, header: false, skipLines: 0 } : format;
  const rows: (readonly (string | null)[])[] = [];
  for await (const batch of recordsOf(path, name, plain))
    for (const row of batch.rows) {
      if (rows.length >= MOST_ROWS)
        throw new Fault('unreadable', `${name} has more than ${MOST_ROWS.toLocaleString('en-GB')} rows.`);
      // Rows of another width are common in sheets that people laid out.
      rows.push(row instanceof Unreadable ? [row.raw] : (row as readonly (string | null)[]));
    }
  return { name, rows };
}
