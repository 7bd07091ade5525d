import { Unreadable, type RowBatch } from '../format.ts';
import type { WorkbookFormat } from './settings.ts';
import { MAX_CELL } from '../format.ts';
import { durationText, plainNumber, serialText } from './cell-values.ts';
import { readSheet } from './read-sheet.ts';
import { Workbook } from './workbook.ts';

const MAIN = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"';
const OFFICE = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
const rels = (...of: readonly (readonly [id: string, kind: string, target: string])[]): string =>
  `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">${of
    .map(([id, kind, target]) => `<Relationship Id="${id}" Type="${OFFICE}/${kind}" Target="${target}"/>`)
    .join('')}</Relationships>`;
const sheets = (inside = ''): string =>
  `<workbook ${MAIN} xmlns:r="${OFFICE}">${inside}<sheets><sheet name="S" sheetId="1" r:id="r1"/></sheets></workbook>`;
const sheet = (rows: string): string => `<worksheet ${MAIN}><sheetData>${rows}</sheetData></worksheet>`;
const texts = (...all: readonly string[]): string =>
  `<sst ${MAIN}>${all.map((t) => `<si><t xml:space="preserve">${t}</t></si>`).join('')}</sst>`;
const styles = (formats: string, cells: readonly number[], conditions = ''): string =>
  `<styleSheet ${MAIN}><numFmts>${formats}</numFmts><cellXfs>${cells.map((id) => `<xf numFmtId="${id}"/>`).join('')}</cellXfs><dxfs>${conditions}</dxfs></styleSheet>`;

/** The parts that most writers write, in the places where they put them; `parts` are instead of those, or besides. */
function archiveOf(parts: Readonly<Record<string, string | Uint8Array | null>>): Parameters<typeof Workbook.open>[0] {
  const all = new Map<string, string | Uint8Array>();
  const usual = {
    '_rels/.rels': rels(['r1', 'officeDocument', 'xl/workbook.xml']),
    'xl/workbook.xml': sheets(),
    'xl/_rels/workbook.xml.rels': rels(
      ['r1', 'worksheet', 'worksheets/sheet1.xml'],
      ...('xl/sharedStrings.xml' in parts ? [['r2', 'sharedStrings', 'sharedStrings.xml'] as const] : []),
      ...('xl/styles.xml' in parts ? [['r3', 'styles', 'styles.xml'] as const] : []),
    ),
  };
  for (const [name, text] of Object.entries({ ...usual, ...parts })) if (text !== null) all.set(name, text);
  return {
    names: [...all.keys()],
    async *read(name) {
      const part = all.get(name);
      if (part === undefined) throw new Error(`no part ${name}`);
      const bytes = typeof part === 'string' ? new TextEncoder().encode(part) : part;
      // In pieces, which end anywhere.
      for (let at = 0; at < bytes.length; at += 7) yield bytes.subarray(at, at + 7);
    },
  };
}
async function read(
  parts: Readonly<Record<string, string | Uint8Array | null>>,
  format: Partial<WorkbookFormat> = {},
): Promise<{ rows: (readonly (string | null)[] | string)[]; unknown: Record<string, { count: number; row: number }> }> {
  const workbook = await Workbook.open(archiveOf(parts));
  const batches: RowBatch[] = [];
  const whole: WorkbookFormat = { kind: 'xlsx', sheet: 'S', range: null, skipLines: 0, header: false, ...format };
  for await (const batch of readSheet(workbook, whole)) batches.push(batch);
  return {
    rows: batches.flatMap((b) => b.rows).map((row) => (row instanceof Unreadable ? row.message : row)),
    unknown: Object.fromEntries(batches.flatMap((b) => [...(b.unknown ?? [])])),
  };
}
const SHEET = 'xl/worksheets/sheet1.xml';
/** The cells of one row, as they are read. */
const cells = async (text: string, parts: Readonly<Record<string, string>> = {}): Promise<unknown> =>
  (await read({ [SHEET]: sheet(`<row r="1">${text}</row>`), ...parts })).rows[0];

describe('the parts of a workbook', () => {
  it('are where it says that they are, in whatever folder and letters', async () => {
    const { rows } = await read({
      '_rels/.rels': rels(['x', 'officeDocument', '/book/main.xml']),
      'xl/workbook.xml': null,
      'xl/_rels/workbook.xml.rels': null,
      'book/main.xml': sheets(),
      'book/_rels/main.xml.rels': rels(['r1', 'worksheet', '../pages/One.XML'], ['r2', 'sharedStrings', './words.xml']),
      'pages/one.xml': sheet('<row r="1"><c r="A1" t="s"><v>1</v></c></row>'),
      'book/words.xml': texts('nought', 'one'),
    });
    expect(rows).toEqual([['one']]);
  });
  it('are missed where they are not there: no value is taken for nothing', async () => {
    const one = sheet('<row r="1"><c r="A1" t="s"><v>0</v></c></row>');
    const lacks = rels(['r1', 'worksheet', 'worksheets/sheet1.xml'], ['r2', 'sharedStrings', 'sharedStrings.xml']);
    await expect(read({ [SHEET]: one, 'xl/_rels/workbook.xml.rels': lacks })).rejects.toThrow(
      'its part xl/sharedStrings.xml is missing',
    );
    await expect(read({ 'xl/workbook.xml': '<document/>', [SHEET]: one })).rejects.toThrow('but not a workbook');
    await expect(read({ [SHEET]: new Uint8Array([0x3c, 0x61, 0xff, 0xfe, 0x3e]) })).rejects.toThrow(
      'its bytes are no text',
    );
  });
  it('may be UTF-16, and sheets of charts are none', async () => {
    const text = sheet('<row r="1"><c r="A1" t="inlineStr"><is><t>Grün 🙂</t></is></c></row>');
    const wide = new Uint8Array(2 * text.length + 2);
    const view = new DataView(wide.buffer);
    view.setUint16(0, 0xfeff, true);
    for (let i = 0; i < text.length; i++) view.setUint16(2 * i + 2, text.charCodeAt(i), true);
    expect((await read({ [SHEET]: wide })).rows).toEqual([['Grün 🙂']]);
    const chart = rels(['r1', 'chartsheet', 'worksheets/sheet1.xml']);
    await expect(read({ [SHEET]: wide, 'xl/_rels/workbook.xml.rels': chart })).rejects.toThrow('no sheets');
  });
  it('has the calendar that its own properties say, not those of an extension', async () => {
    const parts = {
      'xl/styles.xml': styles('', [14]),
      [SHEET]: sheet('<row r="1"><c r="A1"><v>42096</v></c></row>'),
      'xl/workbook.xml': sheets(
        '<workbookPr date1904="1"/><extLst><ext><x:workbookPr xmlns:x="urn:x"/></ext></extLst>',
      ),
    };
    expect((await read(parts)).rows).toEqual([['2019-04-03']]);
  });
});

describe('a cell', () => {
  it('with words where there should be true or false, and with numbers of any size', async () => {
    const values = ['1', '0', 'true', 'false', 'yes'].map((v) => `<c t="b"><v>${v}</v></c>`).join('');
    expect(await cells(values)).toEqual(['true', 'false', 'true', 'false', 'yes']);
    expect(
      await cells('<c><v>1E-300</v></c><c><v>1.797E+308</v></c><c><v>-2.5e-7</v></c><c><v>0.30000000000000004</v></c>'),
    ).toEqual([`0.${'0'.repeat(299)}1`, `1797${'0'.repeat(305)}`, '-0.00000025', '0.3']);
    for (const number of [1e21, 123456789012345680000, 1.5, -0.1, 1e300, 99999.99, 0])
      expect(Number(plainNumber(number))).toBe(Number(number.toPrecision(15)));
  });
  it('that shows how much time has passed has hours, minutes and seconds', async () => {
    const parts = { 'xl/styles.xml': styles('<numFmt numFmtId="170" formatCode="[h]:mm"/>', [170, 46, 20]) };
    expect(await cells('<c s="0"><v>1.5</v></c><c s="1"><v>0.25</v></c><c s="2"><v>0.25</v></c>', parts)).toEqual([
      '36:00:00',
      '06:00:00',
      '06:00:00',
    ]);
    expect(durationText(-0.5)).toBe('-12:00:00');
    expect(durationText(1 / 86_400_000)).toBe('00:00:00.001');
  });
  it('has the format of its style, whatever formats conditions bring', async () => {
    const conditions = '<dxf><numFmt numFmtId="170" formatCode="0.00"/></dxf>';
    const own = '<numFmt numFmtId="170" formatCode="dd.mm.yyyy"/><numFmt numFmtId="171" formatCode="mmmm"/>';
    const parts = { 'xl/styles.xml': styles(own, [170, 171], conditions) };
    expect(await cells('<c s="0"><v>43558</v></c><c s="1"><v>43558</v></c>', parts)).toEqual([
      '2019-04-03',
      '2019-04-03',
    ]);
  });
  it('tells a point in time to the millisecond, and the day that never was as it is shown', () => {
    expect(serialText(43558.5 + 250 / 86_400_000, 'timestamp', false)).toBe('2019-04-03 12:00:00.250');
    expect(serialText(43558 + 1 / 3, 'timestamp', false)).toBe('2019-04-03 08:00:00');
    expect(serialText(60, 'date', false)).toBe('1900-02-29');
    expect(serialText(61, 'date', false)).toBe('1900-03-01');
    expect(serialText(3_000_000, 'date', false)).toBe('3000000');
  });
  it('that refers to a text which is not there, or is too long, makes its record one that says so', async () => {
    const row = (n: number, text: string): string =>
      `<row r="${n}"><c r="A${n}"><v>${n}</v></c><c r="B${n}" t="s"><v>${text}</v></c></row>`;
    const { rows } = await read({
      [SHEET]: sheet(row(1, '0') + row(2, '7') + row(3, '1') + row(4, '0')),
      'xl/sharedStrings.xml': texts('here', 'x'.repeat(MAX_CELL + 1)),
    });
    expect(rows).toEqual([
      ['1', 'here'],
      'Cell B2 has text number 7, which the workbook does not have.',
      'Cell B3 is longer than 1,048,576 characters.',
      ['4', 'here'],
    ]);
  });
  it('beyond the header is told by its column, and how many records have one', async () => {
    const row = (n: number, ...values: readonly (string | null)[]): string =>
      `<row r="${n}">${values.map((v, i) => (v === null ? '' : `<c r="${String.fromCharCode(65 + i)}${n}" t="str"><v>${v}</v></c>`)).join('')}</row>`;
    const rows = row(1, 'a', 'b') + row(2, '1', '2') + row(3, '3', '4', null, 'late') + row(4, '5', '6', '7', 'x');
    const found = await read({ [SHEET]: sheet(rows) }, { header: true });
    expect(found.rows).toEqual([
      ['1', '2'],
      ['3', '4'],
      ['5', '6'],
    ]);
    expect(found.unknown).toEqual({ 'column D': { count: 2, row: 2 }, 'column C': { count: 1, row: 3 } });
    expect((await read({ [SHEET]: sheet(rows) }, { header: true, range: 'A1:B4' })).unknown).toEqual({});
  });
  it('at a place that is none is not read as another', async () => {
    await expect(cells('<c r="12"><v>1</v></c>')).rejects.toThrow('at “12”, which is no place');
    expect(await cells('<c r="b1"><v>1</v></c>')).toEqual([null, '1']);
  });
});
