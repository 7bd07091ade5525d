import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import ExcelJS from 'exceljs';
import { mergeUnknown, type FileFormat, type RawRow, type RowBatch, type UnknownValues } from '@versicle/core';
import { datasetChunks, lookAt, recordsOf, recordsOfBlock } from './index.ts';

let folder: string;
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'versicle-columns-'))));
afterAll(() => rmSync(folder, { recursive: true }));

/** What a dataset has had fields for since it was learned; a later file has one more, and the others elsewhere. */
const FIELDS = ['bike', 'cost'];
const ROWS = [
  ['note', 'cost', 'bike'],
  ['', '12', '00417'],
  ['new tyre', '8', '00418'],
  ['lost', '', '00419'],
];
const READ = [
  ['00417', '12'],
  ['00418', '8'],
  ['00419', null],
];
const LEFT: UnknownValues = new Map([['note', { count: 2, row: 2 }]]);

async function whole(path: string, format: FileFormat): Promise<{ rows: RawRow[]; unknown: UnknownValues }> {
  const batches: RowBatch[] = [];
  for await (const batch of recordsOf(path, path.split('/').at(-1)!, format, undefined, FIELDS)) batches.push(batch);
  return { rows: batches.flatMap((b) => b.rows), unknown: mergeUnknown(batches.map((b) => b.unknown)) };
}

describe('columns of a file that its dataset has no field for', () => {
  const csv = (): string => {
    const path = join(folder, 'repairs.csv');
    writeFileSync(path, ROWS.map((r) => r.join(';')).join('\n'));
    return path;
  };
  it('are told by their names, with how many records have a value there', async () => {
    const path = csv();
    expect(await whole(path, (await lookAt(path)).format)).toEqual({ rows: READ, unknown: LEFT });
  });
  it('are told where chunks of text are read by others, too', async () => {
    const path = csv();
    const { format } = await lookAt(path);
    const batches: RowBatch[] = [];
    const wish = { cut: { rows: 2, characters: 1e6 }, rowLimit: null, settled: 0 };
    const source = { files: [{ path, name: 'repairs.csv' }], format, fields: FIELDS };
    for await (const blocks of datasetChunks(source, wish, () => undefined))
      for (const { block } of blocks) batches.push(recordsOfBlock(block, format, FIELDS));
    expect(batches.flatMap((b) => b.rows)).toEqual(READ);
    expect(batches.map((b) => b.unknown)).toEqual([
      new Map([['note', { count: 1, row: 2 }]]),
      new Map([['note', { count: 1, row: 3 }]]),
    ]);
  });
  it('are told of a workbook, with the cells beyond its header', async () => {
    const path = join(folder, 'repairs.xlsx');
    const book = new ExcelJS.Workbook();
    const sheet = book.addWorksheet('Repairs');
    for (const row of ROWS) sheet.addRow(row.map((cell) => cell || null));
    sheet.getCell('F3').value = 'see letter';
    await book.xlsx.writeFile(path);
    expect(await whole(path, (await lookAt(path)).format)).toEqual({
      rows: READ,
      unknown: new Map([...LEFT, ['column F', { count: 1, row: 2 }]]),
    });
  });
});
