import { clipboardRows, clipboardText, parseDocument } from '@versicle/core';
import * as fc from 'fast-check';
import { COLUMNS } from './columns';
import { cellsCopied, cellWords, filledCells, pastedCells } from './grid-cells';
import { rowsOf } from './rows';

const document = parseDocument({
  versicle: 1,
  name: 'Stations',
  source: { primary: { alias: 's', dataset: 'x/y' } },
  target: { dataset: 'a/b', fields: ['code', 'name', 'docks'].map((name) => ({ name, type: 'text' })) },
  lines: [
    { id: 'l1', target: 'code', kind: 'straight', source: 's.code', note: 'a "note"' },
    { id: 'l2', target: 'name', kind: 'rule', rule: "trim(s.name) || '\n\t'" },
    { id: 'l3', target: 'docks', kind: 'constant', value: '7' },
  ],
});
const rows = rowsOf(document, null, [{ line: 'l2', open: 3 }], []);
const indexOf = (id: string): number => COLUMNS.findIndex((c) => c.id === id);
const cells = fc.record({ top: fc.nat(2), left: fc.nat(COLUMNS.length - 1) });

describe('cells of the sheet', () => {
  it('say in words what they show', () => {
    const says = (row: number, id: string): string => cellWords(rows[row]!, COLUMNS[indexOf(id)]!);
    expect([says(0, 'line'), says(0, 'how'), says(1, 'failed'), says(2, 'how')]).toEqual([
      '1',
      'straight',
      '3',
      'constant 7',
    ]);
  });
  it('that are copied and pasted in their place again change nothing', () => {
    fc.assert(
      fc.property(cells, cells, (one, other) => {
        const range = {
          top: Math.min(one.top, other.top),
          bottom: Math.max(one.top, other.top),
          left: Math.min(one.left, other.left),
          right: Math.max(one.left, other.left),
        };
        const writable = COLUMNS.filter((c) => c.cell !== null);
        const copied = clipboardRows(clipboardText(cellsCopied(rows, writable, range)));
        for (const { line, cell, text } of pastedCells(rows, writable, range, copied))
          expect(text).toBe(rows.find((r) => r.id === line)!.cells[cell]);
      }),
    );
  });
  it('are passed over where nothing can be written, and end with the lines', () => {
    const at = { top: 1, bottom: 1, left: indexOf('value'), right: indexOf('value') };
    const pasted = pastedCells(rows, COLUMNS, at, [['x'], ['y'], ['z']]);
    const next = COLUMNS.slice(indexOf('value')).find((c) => c.cell !== null)!.cell;
    expect(pasted).toEqual([
      { line: 'l2', cell: next, text: 'x' },
      { line: 'l3', cell: next, text: 'y' },
    ]);
  });
  it('are filled only where that changes them', () => {
    const all = { top: 0, bottom: 2, left: indexOf('note'), right: indexOf('note') };
    expect(filledCells(rows, COLUMNS, all, () => 'a "note"').map((e) => e.line)).toEqual(['l2', 'l3']);
    expect(filledCells(rows, COLUMNS, all, (_, row) => (row === 0 ? '' : null))).toEqual([
      { line: 'l1', cell: 'note', text: '' },
    ]);
    const none = { top: 0, bottom: 2, left: indexOf('result'), right: indexOf('result') };
    expect(filledCells(rows, COLUMNS, none, () => 'x')).toEqual([]);
  });
});
