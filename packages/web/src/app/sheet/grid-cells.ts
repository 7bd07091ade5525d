import type { Cell } from '@versicle/core';
import type { Column } from './columns';
import type { SheetRow } from './rows';

export interface CellEdit {
  readonly line: string;
  readonly cell: Cell;
  readonly text: string;
}
/** A range of cells, by the indexes of its first and last rows and columns. */
export interface CellRange {
  readonly top: number;
  readonly bottom: number;
  readonly left: number;
  readonly right: number;
}

/** What a cell says, as text. */
export function cellWords(row: SheetRow, { id, cell }: Column): string {
  if (cell !== null) return row.cells[cell];
  if (id === 'line') return String(row.number);
  if (id === 'value') return row.value;
  if (id === 'result') return row.problem ?? row.result ?? '';
  return row.failures > 0 ? String(row.failures) : '';
}
/** What a cell says where there is no room for all of it. */
export function cellTitle(row: SheetRow, column: Column['id']): string {
  switch (column) {
    case 'value':
      return row.value;
    case 'how':
      return row.how;
    case 'target':
      return `${row.targetName} ${row.type}`;
    case 'result':
      return row.problem ?? row.result ?? '';
    case 'condition':
    case 'default':
    case 'check':
    case 'note':
    case 'lineage':
      return row.cells[column];
    default:
      return '';
  }
}

/** The chosen cells as spreadsheet programs take them. */
export function cellsCopied(
  rows: readonly SheetRow[],
  columns: readonly Column[],
  { top, bottom, left, right }: CellRange,
): string[][] {
  return rows
    .slice(top, bottom + 1)
    .map((row) =>
      columns
        .slice(left, right + 1)
        .map((column) => (column.id === 'result' ? (row.result ?? '') : cellWords(row, column))),
    );
}
/** Copied cells land from the chosen one on; columns without a cell to write into are passed over. */
export function pastedCells(
  rows: readonly SheetRow[],
  columns: readonly Column[],
  { top, left }: CellRange,
  pasted: readonly (readonly string[])[],
): CellEdit[] {
  const cells = columns.slice(left).flatMap((c) => c.cell ?? []);
  return pasted.flatMap((texts, i) => {
    const row = rows[top + i];
    if (!row) return [];
    return texts.slice(0, cells.length).map((text, j): CellEdit => ({ line: row.id, cell: cells[j]!, text }));
  });
}
/** Writes into the chosen cells, as far as they can be written into; a text of null leaves a cell alone. */
export function filledCells(
  rows: readonly SheetRow[],
  columns: readonly Column[],
  { top, bottom, left, right }: CellRange,
  text: (cell: Cell, row: number) => string | null,
): CellEdit[] {
  const edits: CellEdit[] = [];
  for (let i = top; i <= bottom; i++)
    for (let j = left; j <= right; j++) {
      const cell = columns[j]?.cell ?? null;
      const row = rows[i];
      const wanted = cell && row ? text(cell, i) : null;
      if (cell && row && wanted !== null && wanted !== row.cells[cell])
        edits.push({ line: row.id, cell, text: wanted });
    }
  return edits;
}
