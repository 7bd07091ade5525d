import type { OfAnyKind } from '../format.ts';
import { headerEntry, skipLinesEntry, tick, unknownEntry, unknownSaid, type FormatSettings } from '../settings.ts';

export interface WorkbookFormat extends OfAnyKind {
  readonly kind: 'xlsx';
  readonly sheet: string;
  /** The cells that matter, such as `B4:H200`; null: all of the sheet. */
  readonly range: string | null;
  /** Rows above the header (or the first record), counted within the range. */
  readonly skipLines: number;
  readonly header: boolean;
  /** Whether each cell of a merged range has the range's value; otherwise only its first one has it. */
  readonly mergedRepeat?: boolean;
  /** Columns at least, where rows were found to have more than the header, or than the first ones. */
  readonly width?: number;
}

export const workbookSettings: FormatSettings<WorkbookFormat> = {
  title: 'workbook',
  entries: [
    { name: 'range', title: 'Cells', type: 'text', hint: 'all; such as B4:H200' },
    skipLinesEntry,
    tick('mergedRepeat', 'repeat the value of merged cells'),
    unknownEntry(true),
    headerEntry,
  ],
  words: (format) => [
    { label: 'Format', value: 'workbook' },
    { label: 'Sheet', value: format.sheet },
    { label: 'Cells', value: format.range ?? 'all of the sheet' },
    { label: 'Rows above', value: format.skipLines === 0 ? 'none' : String(format.skipLines) },
    { label: 'Header', value: format.header ? 'the first row of the table' : 'none' },
    { label: 'Read as', value: 'text stays text; formulas give their stored values' },
    ...unknownSaid(format),
  ],
  isLearned: true,
};
