import { NgTemplateOutlet } from '@angular/common';
import {
  ApplicationRef,
  booleanAttribute,
  ChangeDetectionStrategy,
  Component,
  computed,
  contentChildren,
  type ElementRef,
  inject,
  input,
  linkedSignal,
  model,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { ActivatedRoute, Router } from '@angular/router';
import type { Loadable } from '../loadable';
import { LoadingComponent } from '../loading.component';
import { SignComponent } from '../signs.component';
import { FindKeyDirective } from '../find-key.directive';
import { figure, FigurePipe } from '../words';
import { CellDirective } from './cell.directive';
import { type Column, finding, nextOrder, orderOf, sorted } from './column';

/** Rows that are drawn at once; the next come when the end is reached. Finding and sorting look at all. */
const DRAWN = 200;
export type RowKey = string | number;

/** What the template says in one case or another. */
const PHRASES = {
  chooseRow: $localize`Choose row `,
  of: $localize` of `,
  nothingHereHas: $localize`Nothing here has “`,
  inIt: $localize`” in it`,
  nothingHereIsLike: $localize`Nothing here is like that`,
  andIsLikeThat: $localize` and is like that.`,
};

/**
 * A list with its heading: find, filter, sort, choose columns and rows, all kept in the address, so that a view can be sent as
 * a link. Slots: `filter` (beside the search), `action` (the page's own buttons), `above` (between heading and rows), `bulk`
 * (what is done with chosen rows). Rows that the server finds, sorts and gives page by page are `served`.
 */
@Component({
  selector: 'vs-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NgTemplateOutlet, FindKeyDirective, LoadingComponent, SignComponent, FigurePipe],
  host: {
    '(document:keydown)': 'onKey($event)',
    '(window:beforeprint)': 'beforePrint()',
    '(window:afterprint)': 'printing.set(false)',
  },
  templateUrl: './list.component.html',
  styleUrl: './list.component.less',
})
export class ListComponent<T> {
  protected readonly phrases = PHRASES;
  readonly heading = input.required<string>();
  /** Without heading, search and choice of columns: a list within something that has them. The heading names the table. */
  readonly bare = input(false, { transform: booleanAttribute });
  readonly sentence = input('');
  /** What the search says of itself: “Find a run”. */
  readonly finds = input.required<string>();
  readonly of = input.required<Loadable<readonly T[]>>();
  readonly columns = input.required<readonly Column<T>[]>();
  readonly key = input.required<(row: T) => RowKey>();
  /** Words that a row is found by besides its columns. */
  readonly alsoFound = input<(row: T) => string>(() => '');
  /** A heading within the list, where the rows come in groups; only while they stand as they came. */
  readonly group = input<((row: T) => string) | null>(null);
  /** What stands there when there is nothing at all: what it is for, what comes first. */
  readonly none = input($localize`There is nothing yet.`);
  readonly waits = input($localize`Loading …`);
  /** Filters outside of the list leave rows out as well: an empty list is not the list of an empty workspace. */
  readonly filtered = input(false);
  /** What stands above takes the place of the rows. */
  readonly covered = input(false);
  /** The row that something stands under, shown by the template of the column “below”. */
  readonly below = input<RowKey | null>(null);
  /** How far down the heading is on its page. */
  readonly level = input<1 | 2>(1);
  readonly served = input(false, { transform: booleanAttribute });
  /** The server has more rows than these. */
  readonly more = input(false);
  readonly choosing = input(false);
  readonly chosen = model<ReadonlySet<RowKey>>(new Set());
  readonly again = output();
  readonly moreAsked = output();

  private readonly router = inject(Router);
  private readonly app = inject(ApplicationRef);
  private readonly query = toSignal(inject(ActivatedRoute).queryParamMap);
  private readonly cells = contentChildren<CellDirective<T>>(CellDirective);
  private readonly menu = viewChild<ElementRef<HTMLDetailsElement>>('menu');
  private readonly body = viewChild<ElementRef<HTMLElement>>('body');

  protected readonly search = computed(() => this.query()?.get('search') ?? '');
  protected readonly order = computed(() => orderOf(this.query()?.get('sort') ?? null));
  private readonly hidden = computed(() => new Set((this.query()?.get('without') ?? '').split(',')));
  protected readonly shown = computed(() => this.columns().filter((c) => !this.hidden().has(c.key)));
  /** Those that can be hidden; one without a title holds what is done with a row. */
  protected readonly titled = computed(() => this.columns().filter((c) => c.title !== ''));
  protected readonly templates = computed(() => new Map(this.cells().map((c) => [c.vsCell(), c.template])));
  readonly found = computed((): readonly T[] => {
    const rows = this.of().value ?? [];
    if (this.served()) return rows;
    return sorted(finding(rows, this.columns(), this.search(), this.alsoFound()), this.columns(), this.order());
  });
  protected readonly room = linkedSignal({ source: () => [this.search(), this.order()], computation: () => DRAWN });
  protected readonly choosingColumns = signal(false);
  protected readonly printing = signal(false);
  protected readonly drawn = computed(() => {
    const group = this.order() === null ? this.group() : null;
    return this.found()
      .slice(0, this.printing() ? undefined : this.room())
      .map((row, i, all) => ({
        row,
        key: this.key()(row),
        begins: group !== null && (i === 0 || group(all[i - 1]!) !== group(row)) ? group(row) : null,
      }));
  });
  private readonly row = signal(0);
  /** The row that the arrows stand on; there is one as long as there are rows. */
  protected readonly at = computed(() => Math.max(0, Math.min(this.row(), this.drawn().length - 1)));
  /** For those who hear the page, after finding. */
  protected readonly told = computed(() =>
    this.search() && !this.served() && this.of().value !== null
      ? $localize`${figure(this.found().length)} of ${figure(this.of().value!.length)} found`
      : '',
  );

  protected ask(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
  protected sort(column: Column<T>): void {
    this.ask({ sort: nextOrder(this.order(), column as Column<never>) });
  }
  protected sortedAs(column: Column<T>): 'ascending' | 'descending' | 'none' | null {
    if (column.value === undefined || column.unsorted) return null;
    const order = this.order();
    if (order?.key !== column.key) return 'none';
    return order.down ? 'descending' : 'ascending';
  }
  protected show(column: Column<T>, shown: boolean): void {
    const without = this.columns().filter((c) => (c.key === column.key ? !shown : this.hidden().has(c.key)));
    this.ask({ without: without.map((c) => c.key).join(',') || null });
  }
  protected plain(column: Column<T>, row: T): string {
    const value = column.value?.(row) ?? '';
    return typeof value === 'number' ? figure(value) : value;
  }

  /** Not while other rows are on their way: what is chosen would not be seen any more, and yet be acted upon. */
  protected choose(key: RowKey): void {
    if (this.of().state === 'loading') return;
    const next = new Set(this.chosen());
    if (!next.delete(key)) next.add(key);
    this.chosen.set(next);
  }
  protected readonly allChosen = computed(() => {
    const drawn = this.drawn();
    return drawn.length > 0 && drawn.every((d) => this.chosen().has(d.key));
  });
  protected chooseNone(): void {
    this.chosen.set(new Set());
  }
  protected chooseAll(): void {
    if (this.of().state === 'loading') return;
    this.chosen.set(this.allChosen() ? new Set() : new Set(this.drawn().map((d) => d.key)));
  }

  protected further(): void {
    if (this.room() < this.found().length) this.room.update((n) => n + DRAWN);
    else this.moreAsked.emit();
  }

  protected stand(index: number): void {
    this.row.set(index);
  }
  /** Arrows go from row to row, Enter opens what the row is about, x chooses it. */
  protected rowKey(event: KeyboardEvent, index: number): void {
    if (event.target !== event.currentTarget || event.ctrlKey || event.metaKey || event.altKey) return;
    const last = this.drawn().length - 1;
    const to = { ArrowDown: Math.min(index + 1, last), ArrowUp: Math.max(index - 1, 0), Home: 0, End: last }[event.key];
    if (to !== undefined) {
      event.preventDefault();
      this.row.set(to);
      this.rows()[to]?.focus();
    } else if (event.key === 'Enter') {
      this.rows()[index]?.querySelector('a')?.click();
    } else if (this.choosing() && (event.key === 'x' || event.key === ' ')) {
      event.preventDefault();
      this.choose(this.drawn()[index]!.key);
    }
  }
  private rows(): HTMLElement[] {
    return [...(this.body()?.nativeElement.querySelectorAll<HTMLElement>('tr[data-row]') ?? [])];
  }
  protected onKey(event: KeyboardEvent): void {
    const menu = this.menu()?.nativeElement;
    if (event.key !== 'Escape' || !menu?.open) return;
    menu.open = false;
    menu.querySelector('summary')?.focus();
  }
  protected searchKey(event: KeyboardEvent): void {
    if (event.key === 'Escape') this.ask({ search: null });
    if (event.key !== 'ArrowDown') return;
    event.preventDefault();
    this.row.set(0);
    this.rows()[0]?.focus();
  }
  /** Paper takes all of them. */
  protected beforePrint(): void {
    this.printing.set(true);
    this.app.tick();
  }
}
