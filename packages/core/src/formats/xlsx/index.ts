export type { Archive } from './parts.ts';
export { serialText } from './cell-values.ts';
export { MergedCells } from './merged-cells.ts';
export { columnLetters, parseRange, type CellRange } from './range.ts';
export { headerNames, readSheet, sheetWidth, soundCells } from './read-sheet.ts';
export type { SheetRow } from './sheet-parser.ts';
export { Workbook, type SheetInfo } from './workbook.ts';
