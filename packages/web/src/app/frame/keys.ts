/** The keys of each page, shown by “?” and in Help. */
export interface KeyHelp {
  readonly keys: readonly string[];
  readonly does: string;
}
export const EVERYWHERE: readonly KeyHelp[] = [
  { keys: ['Ctrl', 'K'], does: $localize`find a mapping, dataset, run, page` },
  { keys: ['?'], does: $localize`help on this page, with its keys` },
];
export const LIST_KEYS: readonly KeyHelp[] = [
  { keys: ['/'], does: $localize`find in the list` },
  { keys: ['↓', '↑'], does: $localize`go from row to row; from the search into the list` },
  { keys: ['Enter'], does: $localize`open what the row is about` },
  { keys: ['x'], does: $localize`choose the row, where rows can be chosen; also the space bar` },
  { keys: ['Esc'], does: $localize`empty the search` },
];
export const SHEET_KEYS: readonly KeyHelp[] = [
  { keys: ['↑', '↓', '←', '→'], does: $localize`go from cell to cell` },
  { keys: ['Enter'], does: $localize`edit the cell, and keep what was typed` },
  { keys: ['F2'], does: $localize`edit the cell` },
  { keys: ['↓'], does: $localize`while a cell is written: go to what it can take; Enter takes it` },
  { keys: ['Esc'], does: $localize`give up an edit; leave the open line, then close it` },
  {
    keys: ['Tab'],
    does: $localize`keep what was typed and go to the next cell; otherwise into the open line, or out of the cells`,
  },
  { keys: ['Ctrl', 'Enter'], does: $localize`open the line below itself, or close it` },
  { keys: ['Alt', '↓'], does: $localize`the next sample record` },
  { keys: ['Alt', '↑'], does: $localize`the sample record before` },
  { keys: ['Shift', '↓'], does: $localize`choose several cells; also with a click` },
  { keys: ['Ctrl', 'C'], does: $localize`copy the chosen cells, also into a spreadsheet program` },
  { keys: ['Ctrl', 'D'], does: $localize`fill down: the first row of the chosen cells into the others` },
  { keys: ['Delete'], does: $localize`empty the chosen cells` },
  { keys: ['Ctrl', 'V'], does: $localize`paste cells, also several rows and columns from a spreadsheet program` },
  { keys: ['Ctrl', 'Z'], does: $localize`undo` },
  { keys: ['Ctrl', 'Y'], does: $localize`redo` },
  { keys: ['Alt', 'Shift', '→'], does: $localize`a wider column; ← makes it narrower` },
  { keys: ['/'], does: $localize`find in the lines` },
];
