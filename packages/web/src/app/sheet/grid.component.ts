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
  type Signal,
  signal,
  type TemplateRef,
  untracked,
  viewChild,
  ElementRef as HostRef,
} from '@angular/core';
import { RouterLink } from '@angular/router';
import { clipboardRows, clipboardText, type Cell } from '@versicle/core';
import { SignComponent } from '../shared/signs.component';
import { surfaceOpen } from '../shared/surface.directive';
import { StateComponent } from '../shared/states.component';
import { FigurePipe } from '../shared/words';
import { CHOICE_CELLS, CLOSED_CELLS, type CellChoice } from './cell-choices';
import { SheetColumns, type Column } from './columns';
import {
  cellsCopied,
  cellTitle,
  cellWords,
  filledCells,
  pastedCells,
  type CellEdit,
  type CellRange,
} from './grid-cells';
import { drawnRows, placesOf, ROW } from './grid-rows';
import type { SheetRow } from './rows';

/** The most room that the list of choices takes. */
const LIST = 230;
/** Where one lands in an open line. */
const INTO =
  'input:not([type=hidden]):not([disabled]), textarea, select, [contenteditable=true], button:not([disabled]), a[href]';

/** What the template says in one case or another. */
const PHRASES = {
  canTRun: $localize`can’t run`,
  fails: $localize`fails`,
  null: $localize`null`,
  failedRecordsOnLine: $localize` failed records on line `,
};

/**
 * The sheet's grid; of many lines it draws those that can be seen. One text input lies over the active cell and always has the focus, so that no key is lost between
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
  protected readonly phrases = PHRASES;
  /** As a signal, so that a key finds what the key before it wrote, also before the page is drawn again. */
  readonly lines = input.required<Signal<readonly SheetRow[]>>();
  /** Id of the line that is open below itself. */
  readonly open = input<string | null>(null);
  readonly leaf = input.required<TemplateRef<unknown>>();
  /** What a cell can take, as far as it fits what is typed. */
  readonly choices = input<(cell: Cell, typed: string) => readonly CellChoice[]>(() => []);
  readonly mapping = input.required<string>();
  readonly edits = output<readonly CellEdit[]>();
  readonly opened = output<string | null>();
  readonly stepped = output<1 | -1>();
  readonly undo = output();
  readonly redo = output();
  readonly find = output();
  protected readonly rows = computed(() => this.lines()());

  private readonly host = inject<HostRef<HTMLElement>>(HostRef);
  private readonly box = viewChild.required<ElementRef<HTMLInputElement>>('box');
  private readonly setting = inject(SheetColumns);
  protected readonly columns = this.setting.shown;
  protected readonly tracks = this.setting.tracks;
  protected readonly least = this.setting.least;
  protected readonly row = signal(0);
  protected readonly column = signal(
    Math.max(
      0,
      this.setting.shown().findIndex((c) => c.id === 'how'),
    ),
  );
  /** The other corner of a range of cells; null while one cell is chosen. */
  protected readonly anchor = signal<{ readonly row: number; readonly column: number } | null>(null);
  protected readonly mode = signal<'choose' | 'edit'>('choose');
  /** What is typed into the cell that is edited. */
  private readonly typing = signal('');
  private readonly choicesShut = signal(false);
  protected readonly offered = computed(() => {
    const cell = this.cell();
    return this.mode() === 'edit' && cell !== null && !this.choicesShut() ? this.choices()(cell, this.typing()) : [];
  });
  /** The choice that Enter takes; none until somebody goes to one. */
  protected readonly lit = signal(-1);
  protected readonly listAt = signal({ left: 0, top: 0, above: false });
  /** Whether cells are being written one after the other: Tab goes on to the next one then, and leaves the grid otherwise. */
  private writing = false;
  private readonly range = computed((): CellRange => {
    const anchor = this.anchor() ?? { row: this.row(), column: this.column() };
    return {
      top: Math.min(anchor.row, this.row()),
      bottom: Math.max(anchor.row, this.row()),
      left: Math.min(anchor.column, this.column()),
      right: Math.max(anchor.column, this.column()),
    };
  });
  protected readonly current = computed((): SheetRow | null => this.rows()[this.row()] ?? null);
  private readonly chosen = computed((): Column => this.columns()[this.column()] ?? this.columns().at(-1)!);
  protected readonly cell = computed(() => this.chosen().cell);
  protected readonly text = computed(() => (this.cell() === null ? '' : (this.current()?.cells[this.cell()!] ?? '')));
  protected readonly words = computed(() => {
    const row = this.current();
    if (!row) return $localize`No line`;
    const { top, bottom, left, right } = this.range();
    const size = (bottom - top + 1) * (right - left + 1);
    const column = this.chosen();
    // What can be written stands in the field; what can't has its value in the name.
    const value = column.cell !== null || column.id === 'line' ? '' : `: ${cellWords(row, column) || 'empty'}`;
    return $localize`Line ${row.number}, ${row.target}, ${column.name}${value}${size > 1 ? $localize`, ${size} cells chosen` : ''}`;
  });
  /** Whether the chosen cell takes a choice. */
  protected readonly isChoice = computed(() => CHOICE_CELLS.has(this.cell() ?? 'note'));
  private readonly places = computed(() => placesOf(this.rows(), this.open(), this.leafHeight()));
  /** What can be seen: the distance scrolled, and the height of the window. */
  private readonly seen = signal({ top: 0, height: 900 });
  private readonly leafHeight = signal(380);
  protected readonly height = computed(() => this.places().height);
  protected readonly drawn = computed(() => drawnRows(this.rows(), this.places(), this.seen(), this.open()));
  private readonly scroller = viewChild.required<ElementRef<HTMLElement>>('scroll');
  private readonly body = viewChild.required<ElementRef<HTMLElement>>('body');
  private readonly leafBox = viewChild<ElementRef<HTMLElement>>('leafBox');

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
      const right = this.columns().length - 1;
      if (untracked(this.column) > right) this.column.set(right);
    });
    // An open line is also the chosen one.
    effect(() => {
      const open = this.open();
      const at = untracked(this.rows).findIndex((r) => r.id === open);
      if (at >= 0) this.row.set(at);
    });
    // An open line is as high as what it shows; a line that opens is brought up, so that this can be seen.
    effect((done) => {
      const box = this.leafBox()?.nativeElement;
      if (!box) return;
      const watch = new ResizeObserver(() => this.leafHeight.set(box.offsetHeight));
      watch.observe(box);
      done(() => watch.disconnect());
    });
    afterRenderEffect(() => {
      const open = this.open();
      const at = untracked(this.rows).findIndex((r) => r.id === open);
      if (at < 0 || !this.leafBox()) return;
      const scroll = this.scroller().nativeElement;
      const { top, height } = untracked(() => ({ top: this.topOf(at), height: this.leafHeight() }));
      const above = untracked(this.opening);
      if (above !== open && (top + ROW + height > scroll.scrollTop + scroll.clientHeight || top < scroll.scrollTop))
        scroll.scrollTop = top - 60;
      this.opening.set(open);
    });
    afterRenderEffect((done) => {
      const scroll = this.scroller().nativeElement;
      const look = (): void => this.seen.set({ top: scroll.scrollTop, height: scroll.clientHeight });
      const watch = new ResizeObserver(look);
      watch.observe(scroll);
      scroll.addEventListener('scroll', look, { passive: true });
      done(() => {
        watch.disconnect();
        scroll.removeEventListener('scroll', look);
      });
    });
    afterRenderEffect(() => {
      this.rows();
      this.places();
      this.tracks();
      this.mode();
      this.place(this.row(), this.column());
    });
  }

  focus(): void {
    this.box().nativeElement.focus({ preventScroll: true });
  }

  /** From the top of what scrolls. */
  private topOf(row: number): number {
    return this.body().nativeElement.offsetTop + (this.places().tops[row] ?? 0);
  }
  /** The line that was open when it was last brought up. */
  private readonly opening = signal<string | null>(null);

  private place(row: number, column: number): void {
    const box = this.box().nativeElement;
    const head = this.host.nativeElement.querySelector<HTMLElement>(`[data-column="${column}"]`);
    box.hidden = head === null || this.rows().length === 0;
    if (!head) return;
    box.style.top = `${this.topOf(row)}px`;
    box.style.left = `${head.offsetLeft}px`;
    box.style.width = `${this.mode() === 'edit' ? Math.max(head.offsetWidth, Math.min(620, box.value.length * 7.6 + 28)) : head.offsetWidth}px`;
    box.style.height = `${ROW - 1}px`;
    const scroll = this.scroller().nativeElement;
    const under = this.topOf(row) + ROW - scroll.scrollTop;
    const above = under + LIST > scroll.clientHeight && under > LIST;
    this.listAt.set({ left: head.offsetLeft, top: this.topOf(row) + (above ? 0 : ROW), above });
  }
  /** Scrolls as little as it takes to see a cell. */
  private reveal(row: number, column: number): void {
    const scroll = this.scroller().nativeElement;
    const under = this.body().nativeElement.offsetTop;
    const top = this.topOf(row);
    if (top < scroll.scrollTop + under) scroll.scrollTop = top - under;
    else if (top + ROW > scroll.scrollTop + scroll.clientHeight) scroll.scrollTop = top + ROW - scroll.clientHeight;
    const head = this.host.nativeElement.querySelector<HTMLElement>(`[data-column="${column}"]`);
    if (!head) return;
    const right = head.offsetLeft + head.offsetWidth;
    if (head.offsetLeft < scroll.scrollLeft) scroll.scrollLeft = head.offsetLeft;
    else if (right > scroll.scrollLeft + scroll.clientWidth) scroll.scrollLeft = right - scroll.clientWidth;
  }

  /** A column is made wider or narrower by its right edge. */
  protected drag(event: PointerEvent, column: Column): void {
    const handle = event.target as HTMLElement;
    const head = handle.parentElement!;
    const from = event.clientX - head.offsetWidth;
    handle.setPointerCapture(event.pointerId);
    const move = (e: PointerEvent): void => this.setting.widen(column.id, e.clientX - from);
    handle.addEventListener('pointermove', move);
    handle.addEventListener('pointerup', () => handle.removeEventListener('pointermove', move), { once: true });
    event.preventDefault();
  }
  protected asAtFirst(column: Column): void {
    this.setting.widen(column.id, null);
  }
  private widen(by: number): void {
    const head = this.host.nativeElement.querySelector<HTMLElement>(`[data-column="${this.column()}"]`);
    if (head) this.setting.widen(this.chosen().id, head.offsetWidth + by);
  }

  protected readonly titleOf = cellTitle;
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
    const box = this.box().nativeElement;
    // At once: a key that comes before the page is drawn again must find the cell writable.
    box.readOnly = this.cell() === null;
    box.value = this.text();
    this.focus();
    box.select();
    this.reveal(row, column);
  }
  /** As in a spreadsheet program, Tab goes on from a cell that was clicked. */
  protected click(row: number, column: number, extend: boolean): void {
    this.choose(row, column, extend);
    this.writing = true;
  }
  protected startEdit(row: number, column: number): void {
    this.choose(row, column);
    if (this.cell() === null) this.toggle();
    else this.edit();
  }
  private edit(): void {
    this.mode.set('edit');
    const box = this.box().nativeElement;
    box.value = this.text();
    box.setSelectionRange(box.value.length, box.value.length);
    const cell = this.cell();
    // One of a few words: all of them are shown, as if nothing were written yet.
    this.offer(cell !== null && CLOSED_CELLS.has(cell) ? '' : box.value);
  }
  private offer(typed: string): void {
    this.typing.set(typed);
    this.choicesShut.set(false);
    this.lit.set(-1);
  }
  /** Writes a choice into the cell; one that goes on, such as a constant, stays open. */
  protected take(choice: CellChoice): void {
    const box = this.box().nativeElement;
    box.value = choice.text;
    this.typing.set(choice.text);
    this.choicesShut.set(true);
    if (choice.text.endsWith(' ')) box.setSelectionRange(box.value.length, box.value.length);
    else this.keep();
  }
  protected typed(): void {
    if (this.cell() === null) this.box().nativeElement.value = '';
    else {
      this.mode.set('edit');
      this.offer(this.box().nativeElement.value);
    }
  }

  /** Keeps what was typed, if anything was. */
  protected keep(): void {
    if (this.mode() !== 'edit') return;
    const text = this.box().nativeElement.value;
    this.mode.set('choose');
    this.writing = true;
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
  /** Goes into the line that is open below the chosen cell; false where none is. */
  private enterLeaf(): boolean {
    const leaf = this.leafBox()?.nativeElement;
    if (!leaf || this.current()?.id !== this.open()) return false;
    leaf.querySelector<HTMLElement>(INTO)?.focus();
    return leaf.contains(document.activeElement);
  }
  /** Escape leaves an open line; it stays open, and what was typed is kept. */
  protected leaveLeaf(event: Event): void {
    if (event.defaultPrevented) return;
    event.preventDefault();
    event.stopPropagation();
    this.focus();
  }
  private toggle(): void {
    const row = this.current();
    if (row) this.opened.emit(this.open() === row.id ? null : row.id);
  }
  private move(rows: number, columns: number, extend = false): void {
    this.choose(
      Math.min(this.rows().length - 1, Math.max(0, this.row() + rows)),
      Math.min(this.columns().length - 1, Math.max(0, this.column() + columns)),
      extend,
    );
  }

  protected key(event: KeyboardEvent): void {
    // What was called meanwhile has the keys, also those that still arrive here.
    if (surfaceOpen()) return event.preventDefault();
    if (event.key.startsWith('Arrow') && this.mode() === 'choose') this.writing = false;
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
    if (altKey && event.shiftKey && (key === 'ArrowRight' || key === 'ArrowLeft')) {
      this.widen(key === 'ArrowRight' ? 24 : -24);
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
      this.choose(this.rows().length - 1, this.columns().length - 1, true);
    } else return false;
    return true;
  }
  private keyInEdit({ key, shiftKey }: KeyboardEvent): boolean {
    const offered = this.offered();
    const lit = offered[this.lit()];
    if (offered.length > 0 && (key === 'ArrowDown' || key === 'ArrowUp')) {
      const step = key === 'ArrowDown' ? 1 : -1;
      // Beyond the ends stands what was typed.
      this.lit.update((at) => ((at + 1 + step + offered.length + 1) % (offered.length + 1)) - 1);
      return true;
    }
    if (lit && (key === 'Enter' || key === 'Tab')) {
      this.take(lit);
      if (this.mode() === 'edit') return true;
      if (key === 'Tab') this.move(0, shiftKey ? -1 : 1);
      return true;
    }
    if (key === 'Escape' && offered.length > 0 && this.lit() >= 0) this.lit.set(-1);
    else if (key === 'Escape') this.giveUp();
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
      // The grid is one stop on the way through the page, unless cells are being written one after the other.
      if (!this.writing) return !shiftKey && this.enterLeaf();
      // At the end of the last line, Tab leaves the grid.
      if (
        shiftKey
          ? this.column() === 0 && this.row() === 0
          : this.column() === this.columns().length - 1 && this.row() === this.rows().length - 1
      )
        return false;
      if (!shiftKey && this.column() === this.columns().length - 1) this.move(1, -99);
      else if (shiftKey && this.column() === 0) this.move(-1, 99);
      else this.move(0, shiftKey ? -1 : 1);
    } else if (key === 'Enter' || key === 'F2') {
      if (this.cell() !== null) this.edit();
      else if (!this.followLink() && !this.enterLeaf()) this.toggle();
    } else if (key === 'Escape') {
      if (this.anchor() !== null) this.anchor.set(null);
      else if (this.open() !== null) this.opened.emit(null);
    } else if (key === 'Delete' || key === 'Backspace') {
      this.fill(() => '');
    } else if (key === '/') this.find.emit();
    else return false;
    return true;
  }

  /** The cell's link is followed: links within cells are no stops of their own. */
  private followLink(): boolean {
    const { id } = this.chosen();
    const at = `[aria-rowindex="${this.row() + 2}"] .c-${id} a`;
    const link = this.host.nativeElement.querySelector<HTMLElement>(at);
    link?.click();
    return link !== null;
  }

  /** Writes into the chosen cells, as far as they can be written into. */
  private fill(text: (cell: Cell, row: number) => string | null): void {
    const edits = filledCells(this.rows(), this.columns(), this.range(), text);
    if (edits.length > 0) this.edits.emit(edits);
  }
  /** The topmost row of a range goes into the rows below; a single cell takes what stands above it. */
  private fillDown(): void {
    const { top, bottom } = this.range();
    const from = top === bottom ? top - 1 : top;
    const source = this.rows()[from];
    // A name can't be given to several fields.
    if (source)
      this.fill((cell, row) => (row === from || cell === 'target' || cell === 'name' ? null : source.cells[cell]));
  }
  /** The chosen cells as spreadsheet programs take them. */
  protected copy(event: ClipboardEvent): void {
    if (this.mode() === 'edit') return;
    event.preventDefault();
    const rows = cellsCopied(this.rows(), this.columns(), this.range());
    event.clipboardData?.setData('text/plain', clipboardText(rows));
  }

  /** Cells copied from a spreadsheet program land from the chosen cell on; columns without a cell to write into are passed over. */
  protected paste(event: ClipboardEvent): void {
    if (this.mode() === 'edit') return;
    event.preventDefault();
    const pasted = clipboardRows(event.clipboardData?.getData('text/plain') ?? '');
    const edits = pastedCells(this.rows(), this.columns(), this.range(), pasted);
    if (edits.length > 0) this.edits.emit(edits);
  }
}
