import { Fault } from '../../faults.ts';
import { cellFormatsOf, type CellFormat } from './cell-formats.ts';
import { mergedRanges } from './merged-cells.ts';
import { parsePart, partNamed, relationshipsOf, textOf, type Archive } from './parts.ts';
import { parseRange, type CellRange } from './range.ts';
import { sharedTexts, type SharedText } from './shared-texts.ts';
import { SheetParser, type SheetRow } from './sheet-parser.ts';

export interface SheetInfo {
  readonly name: string;
  readonly hidden: boolean;
  readonly path: string;
}

/** Rows, and cells in them, that are given at a time. */
const BATCH_ROWS = 1000;
export const BATCH_CELLS = 200_000;

/** An Office Open XML workbook (ECMA-376), read as it is stored: texts stay texts, formulas give their stored values. */
export class Workbook {
  private constructor(
    private readonly archive: Archive,
    readonly sheets: readonly SheetInfo[],
    private readonly date1904: boolean,
    private readonly formats: readonly CellFormat[],
    private readonly shared: readonly SharedText[],
  ) {}

  /** Throws a fault when the archive is no workbook. */
  static async open(archive: Archive): Promise<Workbook> {
    const part = await mainPart(archive);
    if (part === null)
      throw new Fault('unreadable', 'It is a ZIP archive, but not a workbook; unpack it and read the files in it.');
    const others = await relationshipsOf(archive, part);
    const sheets: SheetInfo[] = [];
    let date1904 = false;
    await parsePart(archive, part, (name, attributes, depth) => {
      // Extensions of the workbook have elements of the same name further down.
      if (name === 'workbookPr' && depth === 2)
        date1904 = attributes['date1904'] === '1' || attributes['date1904'] === 'true';
      if (name !== 'sheet' || depth !== 3) return;
      const id =
        Object.entries(attributes).find(([key]) => key !== 'id' && key.endsWith(':id'))?.[1] ?? attributes['id'];
      // A sheet that is only a chart, or a dialogue of old, holds no records.
      const of = others.find((r) => r.id === id && (r.kind === 'worksheet' || r.kind === ''));
      if (of === undefined) return;
      const path = partNamed(archive, of.part) ?? of.part;
      sheets.push({ name: attributes['name'] ?? '', hidden: (attributes['state'] ?? 'visible') !== 'visible', path });
    });
    if (sheets.length === 0) throw new Fault('unreadable', 'The workbook has no sheets that can be read.');
    const texts = partOf(archive, others, 'sharedStrings');
    const styles = partOf(archive, others, 'styles');
    return new Workbook(
      archive,
      sheets,
      date1904,
      styles === null ? [] : await cellFormatsOf(archive, styles),
      texts === null ? [] : await sharedTexts(archive, texts),
    );
  }

  sheet(name: string): SheetInfo {
    const found = this.sheets.find((s) => s.name === name);
    if (found) return found;
    throw new Fault(
      'unreadable',
      `There is no sheet “${name}” in it; it has ${this.sheets.map((s) => s.name).join(', ')}.`,
    );
  }

  /** All rows of a sheet as cells by column (0-based); rows that are not stored are left out. */
  async *rows(sheet: SheetInfo): AsyncGenerator<SheetRow[]> {
    const reader = new SheetParser(this.shared, this.formats, this.date1904);
    for await (const text of textOf(this.archive, sheet.path)) {
      reader.write(text);
      if (reader.rows.length >= BATCH_ROWS || reader.cells >= BATCH_CELLS) yield reader.take();
    }
    reader.close();
    if (reader.rows.length > 0) yield reader.take();
  }

  merged(sheet: SheetInfo): Promise<CellRange[]> {
    return mergedRanges(this.archive.read(sheet.path), parseRange);
  }
}

/** The workbook's part is where the archive says that it is, which need not be where most writers put it. */
async function mainPart(archive: Archive): Promise<string | null> {
  const said = (await relationshipsOf(archive, '')).find((r) => r.kind === 'officeDocument')?.part ?? 'xl/workbook.xml';
  const part = partNamed(archive, said);
  if (part === null) return null;
  let isWorkbook = false;
  await parsePart(archive, part, (name, _, depth) => (isWorkbook ||= depth === 1 && name === 'workbook'));
  return isWorkbook ? part : null;
}
function partOf(archive: Archive, others: readonly { kind: string; part: string }[], kind: string): string | null {
  const said = others.find((r) => r.kind === kind);
  if (said === undefined) return partNamed(archive, `xl/${kind}.xml`);
  const part = partNamed(archive, said.part);
  // Without its texts or formats, other values would be read than were written.
  if (part === null) throw new Fault('unreadable', `The workbook is damaged: its part ${said.part} is missing.`);
  return part;
}
