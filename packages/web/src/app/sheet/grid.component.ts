import { NgTemplateOutlet } from '@angular/common';
import {
  afterRenderEffect,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  type ElementRef,
  inject,
  input,
  output,
  signal,
  type TemplateRef,
  untracked,
  viewChild,
  ElementRef as HostRef,
} from '@angular/core';
import { RouterLink } from '@angular/router';
import { CELLS, clipboardRows, clipboardText, type Cell } from '@versicle/core';
import { SignComponent } from '../shared/signs.component';
import { StateComponent } from '../shared/states.component';
import { FigurePipe } from '../shared/words';
import type { SheetRow } from './rows';

/** The columns in their order; those with a cell can be written into. */
const COLUMNS: readonly { readonly name: string; readonly cell: Cell | null }[] = [
  { name: 'Line', cell: null },
  { name: 'Source field', cell: 'source' },
  { name: 'Value', cell: null },
  { name: 'How', cell: 'how' },
  { name: 'Target field', cell: 'target' },
  { name: 'Result', cell: null },
  { name: 'State', cell: 'state' },
  { name: 'Failed', cell: null },
];

export interface CellEdit {
  readonly line: string;
  readonly cell: Cell;
  readonly text: string;
}

/**
 * The sheet's grid. One text input lies over the active cell and always has the focus, so that no key is lost between
 * choosing a cell and writing into it: while a cell is only chosen, its whole text is selected in the input, and the first
 * character typed replaces it.
 */
@Component({
  selector: 'vs-grid',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgTemplateOutlet, RouterLink, SignComponent, StateComponent, FigurePipe],
  templateUrl: './grid.component.html',
  styleUrl: './grid.component.less',
})
export class GridComponent {
  readonly rows = input.required<readonly SheetRow[]>();
  /** Id of the line that is open below itself. */
  readonly open = input<string | null>(null);
  readonly leaf = input.required<TemplateRef<unknown>>();
  readonly mapping = input.required<string>();
  readonly edits = output<readonly CellEdit[]>();
  readonly opened = output<string | null>();
  readonly stepped = output<1 | -1>();
  readonly undo = output();
  readonly redo = output();
  readonly find = output();

  private readonly host = inject<HostRef<HTMLElement>>(HostRef);
  private readonly box = viewChild.required<ElementRef<HTMLInputElement>>('box');
  protected readonly columns = COLUMNS;
  protected readonly row = signal(0);
  protected readonly column = signal(3);
  /** The other corner of a range of cells; null while one cell is chosen. */
  protected readonly anchor = signal<{ readonly row: number; readonly column: number } | null>(null);
  protected readonly mode = signal<'choose' | 'edit'>('choose');
  private readonly range = computed(() => {
    const anchor = this.anchor() ?? { row: this.row(), column: this.column() };
    return {
      top: Math.min(anchor.row, this.row()),
      bottom: Math.max(anchor.row, this.row()),
      left: Math.min(anchor.column, this.column()),
      right: Math.max(anchor.column, this.column()),
    };
  });
  protected readonly current = computed((): SheetRow | null => this.rows()[this.row()] ?? null);
  protected readonly cell = computed(() => COLUMNS[this.column()]!.cell);
  protected readonly text = computed(() => (this.cell() === null ? '' : (this.current()?.cells[this.cell()!] ?? '')));
  protected readonly words = computed(() => {
    const row = this.current();
    if (!row) return 'No line';
    const { top, bottom, left, right } = this.range();
    const size = (bottom - top + 1) * (right - left + 1);
    return `Line ${row.number}, ${row.target}, ${COLUMNS[this.column()]!.name}${size > 1 ? `, ${size} cells chosen` : ''}`;
  });
  /** Rows with the section's name where a new one begins. */
  protected readonly sectioned = computed(() =>
    this.rows().map((row, i, all) => ({
      row,
      begins: row.section !== '' && row.section !== (all[i - 1]?.section ?? '') ? row.section : null,
    })),
  );

  constructor() {
    // The chosen cell's text stands in the input, selected.
    effect(() => {
      const text = this.text();
      this.row();
      this.column();
      const box = this.box().nativeElement;
      if (untracked(this.mode) === 'edit') return;
      box.value = text;
      if (document.activeElement === box) box.select();
    });
    effect(() => {
      const last = this.rows().length - 1;
      if (untracked(this.row) > last) this.row.set(Math.max(0, last));
    });
    // An open line is also the chosen one.
    effect(() => {
      const open = this.open();
      const at = untracked(this.rows).findIndex((r) => r.id === open);
      if (at >= 0) this.row.set(at);
    });
    // A line that opens is brought up, so that what it shows below itself can be seen.
    afterRenderEffect(() => {
      const open = this.open();
      if (open === null) return;
      const at = untracked(this.rows).findIndex((r) => r.id === open);
      const line = this.host.nativeElement.querySelector<HTMLElement>(`[data-at="${at}:0"]`)?.parentElement;
      const leaf = line?.nextElementSibling as HTMLElement | null;
      const scroll = line?.closest<HTMLElement>('.scroll');
      if (!line || !leaf || !scroll) return;
      if (leaf.offsetTop + leaf.offsetHeight > scroll.scrollTop + scroll.clientHeight)
        scroll.scrollTop = line.offsetTop - 60;
    });
    afterRenderEffect(() => {
      this.rows();
      this.open();
      this.mode();
      this.place(this.row(), this.column());
    });
  }

  focus(): void {
    this.box().nativeElement.focus({ preventScroll: true });
  }

  private place(row: number, column: number): void {
    const box = this.box().nativeElement;
    const cell = this.host.nativeElement.querySelector<HTMLElement>(`[data-at="${row}:${column}"]`);
    box.hidden = cell === null;
    if (!cell) return;
    const line = cell.parentElement!;
    box.style.top = `${line.offsetTop}px`;
    box.style.left = `${cell.offsetLeft}px`;
    box.style.width = `${this.mode() === 'edit' ? Math.max(cell.offsetWidth, Math.min(620, box.value.length * 7.6 + 28)) : cell.offsetWidth}px`;
    box.style.height = `${cell.offsetHeight}px`;
  }

  protected picked(row: number, column: number): boolean {
    if (this.anchor() === null) return false;
    const { top, bottom, left, right } = this.range();
    return row >= top && row <= bottom && column >= left && column <= right;
  }
  /** With `extend`, the range from the cell that was chosen before reaches up to this one. */
  protected choose(row: number, column: number, extend = false): void {
    this.keep();
    if (!extend) this.anchor.set(null);
    else if (this.anchor() === null) this.anchor.set({ row: this.row(), column: this.column() });
    this.row.set(row);
    this.column.set(column);
    this.focus();
    this.host.nativeElement.querySelector(`[data-at="${row}:${column}"]`)?.scrollIntoView({ block: 'nearest' });
  }
  protected startEdit(row: number, column: number): void {
    this.choose(row, column);
    if (this.cell() === null) this.toggle();
    else this.edit();
  }
  private edit(): void {
    this.mode.set('edit');
    const box = this.box().nativeElement;
    box.setSelectionRange(box.value.length, box.value.length);
  }
  protected typed(): void {
    if (this.cell() === null) this.box().nativeElement.value = '';
    else this.mode.set('edit');
  }

  /** Keeps what was typed, if anything was. */
  protected keep(): void {
    if (this.mode() !== 'edit') return;
    const text = this.box().nativeElement.value;
    this.mode.set('choose');
    const row = this.current();
    const cell = this.cell();
    if (row && cell && text !== this.text()) this.edits.emit([{ line: row.id, cell, text }]);
    this.box().nativeElement.select();
  }
  private giveUp(): void {
    this.mode.set('choose');
    const box = this.box().nativeElement;
    box.value = this.text();
    box.select();
  }
  private toggle(): void {
    const row = this.current();
    if (row) this.opened.emit(this.open() === row.id ? null : row.id);
  }
  private move(rows: number, columns: number, extend = false): void {
    this.choose(
      Math.min(this.rows().length - 1, Math.max(0, this.row() + rows)),
      Math.min(COLUMNS.length - 1, Math.max(0, this.column() + columns)),
      extend,
    );
  }

  protected key(event: KeyboardEvent): void {
    const handled = event.isComposing
      ? false
      : this.shortcut(event) || (this.mode() === 'edit' ? this.keyInEdit(event) : this.keyInChoose(event));
    if (handled) event.preventDefault();
  }
  private shortcut(event: KeyboardEvent): boolean {
    const { key, altKey } = event;
    const ctrl = event.ctrlKey || event.metaKey;
    if (altKey && (key === 'ArrowDown' || key === 'ArrowUp')) {
      this.stepped.emit(key === 'ArrowDown' ? 1 : -1);
      return true;
    }
    if (!ctrl) return false;
    if (key === 'Enter') {
      this.keep();
      this.toggle();
      return true;
    }
    // While a cell is being written, Ctrl+Z belongs to its text.
    if (this.mode() === 'edit') return false;
    if (key.toLowerCase() === 'z' && !event.shiftKey) this.undo.emit();
    else if (key.toLowerCase() === 'y' || (key.toLowerCase() === 'z' && event.shiftKey)) this.redo.emit();
    else if (key === 'Home') this.choose(0, this.column(), event.shiftKey);
    else if (key === 'End') this.choose(this.rows().length - 1, this.column(), event.shiftKey);
    else if (key.toLowerCase() === 'd') this.fillDown();
    else if (key.toLowerCase() === 'a') {
      this.choose(0, 0);
      this.choose(this.rows().length - 1, COLUMNS.length - 1, true);
    } else return false;
    return true;
  }
  private keyInEdit({ key, shiftKey }: KeyboardEvent): boolean {
    if (key === 'Escape') this.giveUp();
    else if (key === 'Enter') this.move(1, 0);
    else if (key === 'Tab') this.move(0, shiftKey ? -1 : 1);
    else if (key === 'ArrowDown') this.move(1, 0);
    else if (key === 'ArrowUp') this.move(-1, 0);
    else return false;
    return true;
  }
  private keyInChoose(event: KeyboardEvent): boolean {
    const { key, shiftKey } = event;
    const moves: Record<string, readonly [number, number]> = {
      ArrowDown: [1, 0],
      ArrowUp: [-1, 0],
      ArrowRight: [0, 1],
      ArrowLeft: [0, -1],
      PageDown: [15, 0],
      PageUp: [-15, 0],
      Home: [0, -99],
      End: [0, 99],
    };
    const move = moves[key];
    if (move) this.move(...move, shiftKey);
    else if (key === 'Tab') {
      // At the end of the last line, Tab leaves the grid.
      if (
        shiftKey
          ? this.column() === 0 && this.row() === 0
          : this.column() === COLUMNS.length - 1 && this.row() === this.rows().length - 1
      )
        return false;
      if (!shiftKey && this.column() === COLUMNS.length - 1) this.move(1, -99);
      else if (shiftKey && this.column() === 0) this.move(-1, 99);
      else this.move(0, shiftKey ? -1 : 1);
    } else if (key === 'Enter' || key === 'F2') {
      if (this.cell() === null) this.toggle();
      else this.edit();
    } else if (key === 'Escape') {
      if (this.anchor() !== null) this.anchor.set(null);
      else if (this.open() !== null) this.opened.emit(null);
    } else if (key === 'Delete' || key === 'Backspace') {
      this.fill(() => '');
    } else if (key === '/') this.find.emit();
    else return false;
    return true;
  }

  /** Writes into the chosen cells, as far as they can be written into. */
  private fill(text: (cell: Cell, row: number) => string | null): void {
    const { top, bottom, left, right } = this.range();
    const edits: CellEdit[] = [];
    for (let i = top; i <= bottom; i++)
      for (let j = left; j <= right; j++) {
        const { cell } = COLUMNS[j]!;
        const row = this.rows()[i];
        const wanted = cell && row ? text(cell, i) : null;
        if (cell && row && wanted !== null && wanted !== row.cells[cell])
          edits.push({ line: row.id, cell, text: wanted });
      }
    if (edits.length > 0) this.edits.emit(edits);
  }
  /** The topmost row of a range goes into the rows below; a single cell takes what stands above it. */
  private fillDown(): void {
    const { top, bottom } = this.range();
    const from = top === bottom ? top - 1 : top;
    const source = this.rows()[from];
    // A name can't be given to several fields.
    if (source) this.fill((cell, row) => (row === from || cell === 'target' ? null : source.cells[cell]));
  }
  /** The chosen cells as spreadsheet programs take them. */
  protected copy(event: ClipboardEvent): void {
    if (this.mode() === 'edit') return;
    event.preventDefault();
    const { top, bottom, left, right } = this.range();
    const shown = (row: SheetRow, { name, cell }: (typeof COLUMNS)[number]): string =>
      cell !== null
        ? row.cells[cell]
        : name === 'Line'
          ? String(row.number)
          : name === 'Value'
            ? row.value
            : name === 'Result'
              ? (row.result ?? '')
              : row.failures > 0
                ? String(row.failures)
                : '';
    const rows = this.rows()
      .slice(top, bottom + 1)
      .map((row) => COLUMNS.slice(left, right + 1).map((column) => shown(row, column)));
    event.clipboardData?.setData('text/plain', clipboardText(rows));
  }

  /** Cells copied from a spreadsheet program land from the chosen cell on; columns without a cell to write into are passed over. */
  protected paste(event: ClipboardEvent): void {
    if (this.mode() === 'edit') return;
    event.preventDefault();
    const pasted = clipboardRows(event.clipboardData?.getData('text/plain') ?? '');
    const { top, left } = this.range();
    const first = COLUMNS.slice(left).find((c) => c.cell !== null)?.cell ?? 'source';
    const from = CELLS.indexOf(first);
    const edits = pasted.flatMap((cells, i) => {
      const row = this.rows()[top + i];
      if (!row) return [];
      return cells
        .slice(0, CELLS.length - from)
        .map((text, j): CellEdit => ({ line: row.id, cell: CELLS[from + j]!, text }));
    });
    if (edits.length > 0) this.edits.emit(edits);
  }
}
