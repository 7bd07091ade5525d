/** The keys of each page, shown by “?” and in Help. */
export interface KeyHelp {
  readonly keys: readonly string[];
  readonly does: string;
}
export const EVERYWHERE: readonly KeyHelp[] = [
  { keys: ['Ctrl', 'K'], does: 'find a mapping, dataset, run, page' },
  { keys: ['?'], does: 'help on this page, with its keys' },
];
export const LIST_KEYS: readonly KeyHelp[] = [
  { keys: ['/'], does: 'find in the list' },
  { keys: ['↓', '↑'], does: 'go from row to row; from the search into the list' },
  { keys: ['Enter'], does: 'open what the row is about' },
  { keys: ['x'], does: 'choose the row, where rows can be chosen; also the space bar' },
  { keys: ['Esc'], does: 'empty the search' },
];
export const SHEET_KEYS: readonly KeyHelp[] = [
  { keys: ['↑', '↓', '←', '→'], does: 'go from cell to cell' },
  { keys: ['Enter'], does: 'edit the cell, and keep what was typed' },
  { keys: ['F2'], does: 'edit the cell' },
  { keys: ['↓'], does: 'while a cell is written: go to what it can take; Enter takes it' },
  { keys: ['Esc'], does: 'give up an edit; leave the open line, then close it' },
  {
    keys: ['Tab'],
    does: 'keep what was typed and go to the next cell; otherwise into the open line, or out of the cells',
  },
  { keys: ['Ctrl', 'Enter'], does: 'open the line below itself, or close it' },
  { keys: ['Alt', '↓'], does: 'the next sample record' },
  { keys: ['Alt', '↑'], does: 'the sample record before' },
  { keys: ['Shift', '↓'], does: 'choose several cells; also with a click' },
  { keys: ['Ctrl', 'C'], does: 'copy the chosen cells, also into a spreadsheet program' },
  { keys: ['Ctrl', 'D'], does: 'fill down: the first row of the chosen cells into the others' },
  { keys: ['Delete'], does: 'empty the chosen cells' },
  { keys: ['Ctrl', 'V'], does: 'paste cells, also several rows and columns from a spreadsheet program' },
  { keys: ['Ctrl', 'Z'], does: 'undo' },
  { keys: ['Ctrl', 'Y'], does: 'redo' },
  { keys: ['Alt', 'Shift', '→'], does: 'a wider column; ← makes it narrower' },
  { keys: ['/'], does: 'find in the lines' },
];
