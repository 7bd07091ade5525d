import type { SaxesTagPlain } from 'saxes';
import { Fault } from '../../faults.ts';
import { MAX_CELL, MAX_COLUMNS } from '../format.ts';
import { PastParser, PLAIN_TEXT } from '../xml/past-parser.ts';
import type { CellFormat } from './cell-formats.ts';
import { durationText, plainNumber, serialText } from './cell-values.ts';
import { local, xmlParser } from './parts.ts';
import { columnLetters } from './range.ts';
import { unescaped, type SharedText } from './shared-texts.ts';

export interface SheetRow {
  /** 1-based, as the sheet numbers them. */
  readonly number: number;
  readonly cells: readonly (string | null)[];
  /** Why a cell of it can't be read; null: all of them can. */
  readonly problem: string | null;
}

/** Cells of a sheet's XML (ECMA-376, 18.3.1). */
export class SheetParser {
  rows: SheetRow[] = [];
  /** Cells in the rows that wait to be taken. */
  cells = 0;
  private readonly parser = xmlParser();
  private readonly past = new PastParser(this.parser, PLAIN_CELL, (found) => this.addCell(found));
  private current: (string | null)[] = [];
  private problem: string | null = null;
  private row = 0;
  private column = -1;
  private type = 'n';
  private style = 0;
  private text = '';
  private taking = false;
  private phonetic = 0;
  /** The next element that begins is a row's own. */
  private inRow = false;

  constructor(
    private readonly shared: readonly SharedText[],
    private readonly formats: readonly CellFormat[],
    private readonly date1904: boolean,
  ) {
    const { parser } = this;
    parser.on('opentag', (tag: SaxesTagPlain) => {
      const name = local(tag.name);
      this.inRow = name === 'row';
      if (name === 'c') {
        const { r, t, s } = tag.attributes;
        this.openCell(r, t, s);
      } else if (name === 'v') this.taking = true;
      else if (name === 't') this.taking = this.phonetic === 0;
      else if (name === 'rPh') this.phonetic++;
      else if (name === 'row') {
        this.row = rowNumber(tag.attributes['r'], this.row);
        this.current = [];
        this.problem = null;
        this.column = -1;
      }
    });
    parser.on('text', (piece) => {
      if (this.taking && this.text.length <= MAX_CELL) this.text += piece;
    });
    parser.on('closetag', (tag) => {
      const name = local(tag.name);
      this.inRow = name === 'c';
      if (name === 'c') this.closeCell();
      else if (name === 'v' || name === 't') this.taking = false;
      else if (name === 'rPh') this.phonetic--;
      else if (name === 'row') {
        this.rows.push({ number: this.row, cells: this.current, problem: this.problem });
        this.cells += this.current.length;
      }
    });
  }
  write(text: string): void {
    this.past.write(text);
  }
  close(): void {
    this.parser.close();
  }
  take(): SheetRow[] {
    const { rows } = this;
    this.rows = [];
    this.cells = 0;
    return rows;
  }

  /** A cell as it is told by the parser otherwise; whether it is one of a row. */
  private addCell([, place, style, type, stored, inline]: RegExpExecArray): boolean {
    if (!this.inRow) return false;
    this.openCell(place, type, style);
    this.text = stored ?? inline ?? '';
    this.closeCell();
    return true;
  }
  private openCell(place: string | undefined, type = 'n', style = '0'): void {
    if (place === undefined) this.column++;
    else {
      let column = 0;
      for (let i = 0; i < place.length; i++) {
        const c = place.charCodeAt(i);
        if (c < 65) break;
        column = column * 26 + (c & ~32) - 64;
      }
      this.column = column - 1;
    }
    if (this.column < 0 || this.column >= MAX_COLUMNS)
      throw new Fault(
        'unreadable',
        this.column < 0
          ? `Row ${this.row} has a cell at “${place!.slice(0, 20)}”, which is no place; it is not a sound workbook.`
          : `A row has more than ${MAX_COLUMNS.toLocaleString('en-GB')} columns.`,
      );
    this.type = type;
    this.style = Number(style);
    this.text = '';
  }
  private closeCell(): void {
    if (this.text.length > MAX_CELL) return this.fail(TOO_LONG);
    const value = this.value();
    if (value === null) return;
    while (this.current.length < this.column) this.current.push(null);
    this.current[this.column] = value;
  }
  private fail(problem: string): void {
    this.problem ??= `Cell ${columnLetters(this.column)}${this.row} ${problem}`;
  }
  private value(): string | null {
    const { text } = this;
    switch (this.type) {
      case 's':
        return this.sharedText(text);
      case 'inlineStr':
      case 'str':
        return text === '' ? null : unescaped(text);
      case 'b':
        return text === '1' ? 'true' : text === '0' ? 'false' : text === '' ? null : text;
      case 'e':
      case 'd':
        return text === '' ? null : text;
      default:
        return this.numberText(text.trim());
    }
  }
  private sharedText(text: string): string | null {
    if (text.trim() === '') return null;
    const shared = this.shared[Number(text)];
    if (shared === undefined) this.fail(`has text number ${text.slice(0, 20)}, which the workbook does not have.`);
    else if (shared === null) this.fail(TOO_LONG);
    return shared || null;
  }
  private numberText(text: string): string | null {
    if (text === '') return null;
    const format = this.formats[this.style] ?? null;
    const number = Number(text);
    if (!Number.isFinite(number)) return text;
    // Whole numbers keep the digits that they are stored with, however many.
    if (format === null && /^-?\d+$/.test(text)) return text.replace(/^(-?)0+(?=\d)/, '$1');
    if (format === null) return plainNumber(number);
    return format === 'duration' ? durationText(number) : serialText(number, format, this.date1904);
  }
}
/** A cell as nearly all programs write most of them: its place, format and type, and its value, or nothing in it. */
const PLAIN_CELL = new RegExp(
  `<c(?: r="([A-Z]{1,3}\\d{1,7})")?(?: s="(\\d{1,9})")?(?: t="([A-Za-z]+)")?(?:/>|>(?:<f>${PLAIN_TEXT}</f>)?(?:<v>(${PLAIN_TEXT})</v>|<is><t(?: xml:space="preserve")?>(${PLAIN_TEXT})</t></is>)</c>)`,
  'g',
);
const TOO_LONG = `is longer than ${MAX_CELL.toLocaleString('en-GB')} characters.`;

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
