import ExcelJS from 'exceljs';
import { Random } from '../random.ts';
import { BIKE_COUNT, bikeId } from './trips.ts';

/**
 * `bikes.xlsx`: title rows above the header, ids as text with leading zeros, dates as dates, a total below that is no bike,
 * and a second sheet with the models.
 */
export async function bikesFile(seed: number): Promise<Buffer> {
  const random = new Random(seed + 210);
  const book = new ExcelJS.Workbook();
  book.created = new Date(Date.UTC(2026, 9, 1));
  const sheet = book.addWorksheet('Fleet');
  sheet.addRow(['Tidebridge Bikes']);
  sheet.mergeCells('A1:G1');
  sheet.addRow(['Fleet list for the handover, state of 30 September 2026']);
  sheet.addRow([]);
  sheet.addRow(['Bike', 'Frame no.', 'Model', 'Wheel (in)', 'Bought', 'Price', 'In service']);
  sheet.getRow(4).font = { bold: true };
  for (let n = 1; n <= BIKE_COUNT; n++)
    sheet.addRow([
      bikeId(n),
      `TB${random.whole(100_000, 999_999)}${random.pick(['A', 'B', 'E'])}`,
      `M${random.whole(1, 5)}`,
      random.pick([24, 26, 28]),
      new Date(Date.UTC(random.whole(2015, 2024), random.whole(0, 11), random.whole(1, 28))),
      random.whole(28_000, 64_000) / 100,
      random.next() < 0.94,
    ]);
  sheet.getColumn(5).numFmt = 'dd/mm/yyyy';
  sheet.addRow([]);
  sheet.addRow([null, null, null, null, 'Total', { formula: `SUM(F5:F${BIKE_COUNT + 4})`, result: 96_400 }]);
  const models = book.addWorksheet('Models');
  models.addRow(['Code', 'Name', 'Gears']);
  for (const [i, name] of ['Otter', 'Heron', 'Curlew', 'Avocet', 'Plover'].entries())
    models.addRow([`M${i + 1}`, name, [3, 7, 8][i % 3]]);
  const notes = book.addWorksheet('Notes', { state: 'hidden' });
  notes.addRow(['Who', 'What']);
  notes.addRow(['Oda Fenn', 'frames of 2015 have no letter']);
  return Buffer.from(await book.xlsx.writeBuffer());
}
