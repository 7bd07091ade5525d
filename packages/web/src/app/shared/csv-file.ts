import { harmlessCsv } from './harmless-csv';

/** Gives a table to the person as a CSV file of that name. */
export function giveCsv(name: string, rows: readonly (readonly (string | number)[])[]): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob(['\ufeff', harmlessCsv(rows)], { type: 'text/csv' }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
