import { Fault, isFault } from '../faults.ts';
import { SaxesParser, type SaxesTagPlain } from 'saxes';
import { MergedCells, mergedRanges, type CellRange } from './merged.ts';
import { MAX_CELL, MAX_COLUMNS, type RawRow, type RowBatch, type WorkbookFormat } from './format.ts';

/** The parts of a ZIP archive, by name. Whoever opens it checks sizes before unpacking. */
export interface Archive {
  readonly names: readonly string[];
  /** Unpacks one part. Throws a fault when it is missing or damaged. */
  read(name: string): AsyncIterable<Uint8Array>;
}

export interface SheetInfo {
  readonly name: string;
  readonly hidden: boolean;
  readonly path: string;
}

/** Characters of all shared texts together at the most. */
const MAX_SHARED = 128 * 1024 * 1024;
const BATCH = 1000;

/** An Office Open XML workbook (ECMA-376), read as it is stored: texts stay texts, formulas give their stored values. */
export class Workbook {
  private constructor(
    private readonly archive: Archive,
    readonly sheets: readonly SheetInfo[],
    private readonly date1904: boolean,
    private readonly dateStyles: readonly DateKind[],
    private readonly shared: readonly string[],
  ) {}

  /** Throws a fault when the archive is no workbook. */
  static async open(archive: Archive): Promise<Workbook> {
    if (!archive.names.includes('xl/workbook.xml'))
      throw new Fault('unreadable', 'It is a ZIP archive, but not a workbook; unpack it and read the files in it.');
    const targets = new Map<string, string>();
    await parse(archive, 'xl/_rels/workbook.xml.rels', ({ name, attributes: a }) => {
      if (local(name) === 'Relationship') targets.set(a['Id']!, partPath(a['Target']!));
    });
    const sheets: SheetInfo[] = [];
    let date1904 = false;
    await parse(archive, 'xl/workbook.xml', ({ name, attributes: a }) => {
      if (local(name) === 'workbookPr') date1904 = a['date1904'] === '1' || a['date1904'] === 'true';
      if (local(name) !== 'sheet') return;
      const id = Object.entries(a).find(([key]) => local(key) === 'id')?.[1];
      const path = targets.get(id ?? '');
      if (path !== undefined && archive.names.includes(path))
        sheets.push({ name: a['name'] ?? '', hidden: (a['state'] ?? 'visible') !== 'visible', path });
    });
    if (sheets.length === 0) throw new Fault('unreadable', 'The workbook has no sheets that can be read.');
    return new Workbook(archive, sheets, date1904, await dateStylesOf(archive), await sharedTexts(archive));
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
    const reader = new SheetParser(this.shared, this.dateStyles, this.date1904);
    const decoder = new TextDecoder();
    for await (const bytes of this.archive.read(sheet.path)) {
      reader.write(decoder.decode(bytes, { stream: true }));
      if (reader.rows.length >= BATCH) yield reader.take();
    }
    reader.close();
    if (reader.rows.length > 0) yield reader.take();
  }

  merged(sheet: SheetInfo): Promise<CellRange[]> {
    return mergedRanges(this.archive.read(sheet.path), parseRange);
  }
}

export interface SheetRow {
  /** 1-based, as the sheet numbers them. */
  readonly number: number;
  readonly cells: readonly (string | null)[];
}

/** Records of a workbook's sheet, in batches. */
export async function* readSheet(
  workbook: Workbook,
  format: WorkbookFormat,
  /** Hears the names in the header, where there is one. */
  heard: (names: readonly string[]) => void = () => undefined,
): AsyncGenerator<RowBatch> {
  const range = format.range === null ? null : parseRange(format.range);
  let skip = format.skipLines + (format.header ? 1 : 0);
  let names: readonly string[] | null = format.header ? null : [];
  let width = range ? range.right - range.left + 1 : 0;
  let firstRow = 1;
  let next = range?.top ?? 1;
  const sheet = workbook.sheet(format.sheet);
  const merged = format.mergedRepeat ? new MergedCells(await workbook.merged(sheet)) : null;
  for await (const batch of workbook.rows(sheet)) {
    const rows: RawRow[] = [];
    for (const stored of batch) {
      const row = merged ? { number: stored.number, cells: merged.fill(stored.number, stored.cells) } : stored;
      if (range && row.number < range.top) continue;
      if (range && row.number > range.bottom) break;
      // Rows that are not stored at all count as skipped title rows, never as data.
      skip -= Math.max(0, Math.min(skip - (names === null ? 1 : 0), row.number - next));
      next = row.number + 1;
      const cells = range ? cut(row.cells, range.left, range.right) : row.cells;
      if (skip > 0) {
        skip--;
        if (skip === 0 && names === null) {
          names = headerNames(cells);
          heard(names);
          width = Math.max(width, names.length);
        }
        continue;
      }
      if (cells.every((c) => c === null)) continue;
      const size = names && names.length > 0 ? names.length : Math.max(width, cells.length);
      width = size;
      rows.push(fit(cells, size));
    }
    if (rows.length > 0) {
      yield { firstRow, rows };
      firstRow += rows.length;
    }
  }
}
function cut(cells: readonly (string | null)[], left: number, right: number): (string | null)[] {
  return fit(cells.slice(left), right - left + 1);
}
function fit(cells: readonly (string | null)[], size: number): (string | null)[] {
  return Array.from({ length: size }, (_, i) => cells[i] ?? null);
}

/** Names of a header row: blanks are numbered, doubled ones counted. */
export function headerNames(cells: readonly (string | null)[]): string[] {
  const used = new Set<string>();
  let last = cells.length;
  while (last > 0 && (cells[last - 1] ?? '').trim() === '') last--;
  return cells.slice(0, last).map((cell, i) => {
    const base = (cell ?? '').replace(/\s+/g, ' ').trim() || `column_${i + 1}`;
    let name = base;
    for (let n = 2; used.has(name); n++) name = `${base}_${n}`;
    used.add(name);
    return name;
  });
}

/** `B4:H200`, `B4:H` (to the last row) or `B:H`. Throws a fault. */
export function parseRange(text: string): CellRange {
  const found = /^\s*\$?([A-Za-z]{1,3})\$?(\d{1,7})?\s*:\s*\$?([A-Za-z]{1,3})\$?(\d{1,7})?\s*$/.exec(text);
  if (!found) throw new Fault('unreadable', `“${text}” is not a range of cells; write it like B4:H200.`);
  const [left, right] = [columnIndex(found[1]!), columnIndex(found[3]!)];
  const range = { left, right, top: Number(found[2] ?? 1), bottom: Number(found[4] ?? 2_000_000) };
  if (range.right < left || range.bottom < range.top)
    throw new Fault('unreadable', `“${text}” ends before it begins; write the upper left cell first.`);
  return range;
}
function columnIndex(letters: string): number {
  let index = 0;
  for (const letter of letters.toUpperCase()) index = index * 26 + letter.charCodeAt(0) - 64;
  return index - 1;
}
export function columnLetters(index: number): string {
  let letters = '';
  for (let n = index + 1; n > 0; n = Math.floor((n - 1) / 26))
    letters = String.fromCharCode(65 + ((n - 1) % 26)) + letters;
  return letters;
}

const local = (name: string): string => {
  const colon = name.indexOf(':');
  return colon < 0 ? name : name.slice(colon + 1);
};
const partPath = (target: string): string =>
  target.startsWith('/') ? target.slice(1) : `xl/${target.replace(/^\.\//, '')}`;

function xmlParser(): SaxesParser {
  const parser = new SaxesParser({ position: false });
  parser.on('doctype', () => {
    throw new Fault('unreadable', 'A part of the workbook has a document type declaration; such files are not read.');
  });
  parser.on('error', (error) => {
    throw isFault(error, 'unreadable')
      ? error
      : new Fault('unreadable', `A part of the workbook is damaged: ${error.message}.`);
  });
  return parser;
}
async function parse(
  archive: Archive,
  part: string,
  open: (tag: { name: string; attributes: Record<string, string> }) => void,
): Promise<void> {
  const parser = xmlParser();
  parser.on('opentag', (tag) => open({ name: tag.name, attributes: tag.attributes as Record<string, string> }));
  const decoder = new TextDecoder();
  for await (const bytes of archive.read(part)) parser.write(decoder.decode(bytes, { stream: true }));
  parser.close();
}

/** The rich-text runs of a shared text are put together; phonetic hints are left out. */
async function sharedTexts(archive: Archive): Promise<string[]> {
  const part = 'xl/sharedStrings.xml';
  if (!archive.names.includes(part)) return [];
  const texts: string[] = [];
  let text = '';
  let inside = false;
  let phonetic = 0;
  let size = 0;
  const parser = xmlParser();
  parser.on('opentag', (tag) => {
    const name = local(tag.name);
    if (name === 'si') text = '';
    else if (name === 'rPh') phonetic++;
    else if (name === 't') inside = phonetic === 0;
  });
  parser.on('text', (piece) => {
    if (inside) text += piece;
  });
  parser.on('closetag', (tag) => {
    const name = local(tag.name);
    if (name === 'si') {
      texts.push(unescape(text));
      size += text.length;
      if (size > MAX_SHARED) throw new Fault('unreadable', 'The texts of the workbook are too large to be read.');
    } else if (name === 'rPh') phonetic--;
    else if (name === 't') inside = false;
  });
  const decoder = new TextDecoder();
  for await (const bytes of archive.read(part)) parser.write(decoder.decode(bytes, { stream: true }));
  parser.close();
  return texts;
}
/** Control characters are stored as _x000D_ (ECMA-376, 22.9.2.19). */
function unescape(text: string): string {
  return text.includes('_x')
    ? text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16)))
    : text;
}

type DateKind = null | 'date' | 'time' | 'timestamp';

/** Which cell formats show dates: the built-in ones, and own ones with a date's letters. */
async function dateStylesOf(archive: Archive): Promise<DateKind[]> {
  if (!archive.names.includes('xl/styles.xml')) return [];
  const own = new Map<number, string>();
  const styles: DateKind[] = [];
  let inCells = false;
  const parser = xmlParser();
  parser.on('opentag', (tag: SaxesTagPlain) => {
    const name = local(tag.name);
    if (name === 'numFmt') own.set(Number(tag.attributes['numFmtId']), tag.attributes['formatCode'] ?? '');
    else if (name === 'cellXfs') inCells = true;
    else if (name === 'xf' && inCells) styles.push(dateKind(Number(tag.attributes['numFmtId'] ?? 0), own));
  });
  parser.on('closetag', (tag) => {
    if (local(tag.name) === 'cellXfs') inCells = false;
  });
  const decoder = new TextDecoder();
  for await (const bytes of archive.read('xl/styles.xml')) parser.write(decoder.decode(bytes, { stream: true }));
  parser.close();
  return styles;
}
function dateKind(id: number, own: ReadonlyMap<number, string>): DateKind {
  const code = own.get(id);
  if (code === undefined) {
    if ((id >= 14 && id <= 17) || (id >= 27 && id <= 31) || id === 36 || (id >= 50 && id <= 58)) return 'date';
    if ((id >= 18 && id <= 21) || (id >= 45 && id <= 47)) return 'time';
    return id === 22 ? 'timestamp' : null;
  }
  const bare = code.replace(/"[^"]*"|\\.|\[(?![hms]+\])[^\]]*\]|_./gi, '').toLowerCase();
  const day = /[dy]/.test(bare);
  const time = /[hs]/.test(bare);
  if (!day && !time) return null;
  return day && time ? 'timestamp' : day ? 'date' : 'time';
}

/** Cells of a sheet's XML. */
class SheetParser {
  rows: SheetRow[] = [];
  private readonly parser = xmlParser();
  private cells: (string | null)[] = [];
  private row = 0;
  private column = -1;
  private type = 'n';
  private style = 0;
  private text = '';
  private taking = false;
  private phonetic = 0;

  constructor(
    private readonly shared: readonly string[],
    private readonly dates: readonly DateKind[],
    private readonly date1904: boolean,
  ) {
    const { parser } = this;
    parser.on('opentag', (tag: SaxesTagPlain) => {
      const name = local(tag.name);
      if (name === 'c') this.openCell(tag.attributes);
      else if (name === 'v') this.taking = true;
      else if (name === 't') this.taking = this.phonetic === 0;
      else if (name === 'rPh') this.phonetic++;
      else if (name === 'row') {
        this.row = rowNumber(tag.attributes['r'], this.row);
        this.cells = [];
        this.column = -1;
      }
    });
    parser.on('text', (piece) => {
      if (this.taking && this.text.length < MAX_CELL) this.text += piece;
    });
    parser.on('closetag', (tag) => {
      const name = local(tag.name);
      if (name === 'c') this.closeCell();
      else if (name === 'v' || name === 't') this.taking = false;
      else if (name === 'rPh') this.phonetic--;
      else if (name === 'row') this.rows.push({ number: this.row, cells: this.cells });
    });
  }
  write(text: string): void {
    this.parser.write(text);
  }
  close(): void {
    this.parser.close();
  }
  take(): SheetRow[] {
    const { rows } = this;
    this.rows = [];
    return rows;
  }

  private openCell(attributes: Record<string, string>): void {
    const place = attributes['r'];
    if (place === undefined) this.column++;
    else {
      let column = 0;
      for (let i = 0; i < place.length; i++) {
        const c = place.charCodeAt(i);
        if (c < 65) break;
        column = column * 26 + c - 64;
      }
      this.column = column - 1;
    }
    if (this.column >= MAX_COLUMNS)
      throw new Fault('unreadable', `A row has more than ${MAX_COLUMNS.toLocaleString('en-GB')} columns.`);
    this.type = attributes['t'] ?? 'n';
    this.style = Number(attributes['s'] ?? 0);
    this.text = '';
  }
  private closeCell(): void {
    const value = this.value();
    if (value === null) return;
    while (this.cells.length < this.column) this.cells.push(null);
    this.cells[this.column] = value;
  }
  private value(): string | null {
    const { text } = this;
    switch (this.type) {
      case 's':
        return this.shared[Number(text)] || null;
      case 'inlineStr':
      case 'str':
        return text === '' ? null : unescape(text);
      case 'b':
        return text === '1' ? 'true' : text === '0' ? 'false' : null;
      case 'e':
      case 'd':
        return text === '' ? null : text;
      default: {
        if (text === '') return null;
        const kind = this.dates[this.style] ?? null;
        const number = Number(text);
        if (!Number.isFinite(number)) return text;
        // Whole numbers keep the digits that they are stored with, however many.
        if (kind === null && /^-?\d+$/.test(text)) return text.replace(/^(-?)0+(?=\d)/, '$1');
        return kind === null ? plainNumber(number) : serialText(number, kind, this.date1904);
      }
    }
  }
}

/** ECMA-376, 18.3.1.73: rows are numbered from 1 to 1,048,576. */
const LAST_ROW = 1_048_576;
function rowNumber(said: string | undefined, before: number): number {
  const row = said === undefined ? before + 1 : Number(said);
  if (Number.isInteger(row) && row >= 1 && row <= LAST_ROW) return row;
  throw new Fault(
    'unreadable',
    `The sheet has a row numbered ${String(said ?? row).slice(0, 20)}; rows end at 1,048,576. It is not a sound workbook.`,
  );
}

/** Spreadsheets keep 15 digits; what is stored beyond them is the noise of binary fractions. Never in scientific notation. */
function plainNumber(number: number): string {
  if (Number.isSafeInteger(number)) return String(number);
  const text = String(Number(number.toPrecision(15)));
  if (!text.includes('e')) return text;
  return Math.abs(number) >= 1 ? BigInt(Math.round(number)).toString() : number.toFixed(20).replace(/0+$/, '');
}

/** A serial day number as ISO 8601. The 1900 system counts a 29 February 1900 that never was. */
export function serialText(serial: number, kind: 'date' | 'time' | 'timestamp', date1904: boolean): string {
  let days = Math.floor(serial);
  let seconds = Math.round((serial - days) * 86400);
  if (seconds === 86400) {
    days++;
    seconds = 0;
  }
  const two = (n: number): string => String(n).padStart(2, '0');
  const time = `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`;
  if (kind === 'time' && days <= 0) return time;
  const unix = date1904 ? days - 24107 : days - (days > 59 ? 25569 : 25568);
  const date = new Date(unix * 86_400_000);
  if (Number.isNaN(date.getTime()) || serial < 0) return plainNumber(serial);
  const day = date.toISOString().slice(0, 10);
  return kind === 'date' && seconds === 0 ? day : `${day} ${time}`;
}
