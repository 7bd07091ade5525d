import { harmlessCell } from '@versicle/core';

/**
 * Rows as CSV for spreadsheet programs. A cell that such a program would take for a formula gets an apostrophe before it:
 * what people wrote into a document must not compute anything on somebody else's machine.
 */
export function harmlessCsv(rows: readonly (readonly (string | number)[])[]): string {
  const cell = (value: string | number): string => {
    const text = typeof value === 'number' ? String(value) : harmlessCell(value);
    return /[",\r\n]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text;
  };
  return rows.map((row) => `${row.map(cell).join(',')}\r\n`).join('');
}
