import { computed, Injectable, signal } from '@angular/core';
import type { Cell } from '@versicle/core';

export type ColumnId =
  | 'line'
  | 'source'
  | 'value'
  | 'condition'
  | 'how'
  | 'default'
  | 'onFail'
  | 'target'
  | 'name'
  | 'type'
  | 'result'
  | 'check'
  | 'state'
  | 'failed'
  | 'note'
  | 'lineage';

/** A column of the sheet; one with a cell can be written into. */
export interface Column {
  readonly id: ColumnId;
  readonly name: string;
  readonly cell: Cell | null;
  /** Its width as long as nobody changed it (a grid track), and at least, in pixels. */
  readonly track: string;
  readonly least: number;
  /** Shown from the start. */
  readonly usual: boolean;
}
const column = (
  id: ColumnId,
  name: string,
  cell: Cell | null,
  least: number,
  share: number | null,
  usual = true,
): Column => ({
  id,
  name,
  cell,
  least,
  usual,
  track: share === null ? `${least}px` : `minmax(${least}px, ${share}fr)`,
});

export const COLUMNS: readonly Column[] = [
  column('line', $localize`Line`, null, 40, null),
  column('source', $localize`Source field`, 'source', 90, 1),
  column('value', $localize`Value`, null, 90, 1),
  column('condition', $localize`Only when`, 'condition', 110, 1.4, false),
  column('how', $localize`How`, 'how', 240, 3.6),
  column('default', $localize`Otherwise`, 'default', 96, 1, false),
  column('onFail', $localize`When it fails`, 'onFail', 92, null, false),
  column('target', $localize`Target field`, 'target', 196, 1.9),
  column('name', $localize`Name`, 'name', 120, 1, false),
  column('type', $localize`Type`, 'type', 96, null, false),
  column('result', $localize`Result`, null, 96, 1.1),
  column('check', $localize`Check`, 'check', 110, 1.4, false),
  column('state', $localize`State`, 'state', 86, null),
  column('failed', $localize`Failed`, null, 72, null),
  column('note', $localize`Note`, 'note', 120, 1.6, false),
  column('lineage', $localize`Where it comes from`, 'lineage', 120, 1, false),
];
/** They stay: without them a line could not be told from another. */
export const FIXED: ReadonlySet<ColumnId> = new Set(['line', 'target']);

interface Kept {
  readonly shown: readonly ColumnId[];
  readonly widths: Readonly<Partial<Record<ColumnId, number>>>;
}
const KEY = 'versicle.sheet.columns';
const WIDEST = 900;

/** Which columns this browser shows, and how wide; the same for all sheets. */
@Injectable({ providedIn: 'root' })
export class SheetColumns {
  private readonly kept = signal<Kept>(read());
  readonly shown = computed(() => {
    const shown = new Set(this.kept().shown);
    return COLUMNS.filter((c) => FIXED.has(c.id) || shown.has(c.id));
  });
  readonly tracks = computed(() => {
    const { widths } = this.kept();
    return this.shown()
      .map((c) => (widths[c.id] === undefined ? c.track : `${widths[c.id]}px`))
      .join(' ');
  });
  readonly least = computed(() =>
    this.shown().reduce((sum, c) => sum + Math.max(this.kept().widths[c.id] ?? c.least, 40), 0),
  );

  show(id: ColumnId, shown: boolean): void {
    const others = this.kept().shown.filter((c) => c !== id);
    this.keep({ ...this.kept(), shown: shown ? [...others, id] : others });
  }
  /** `width`: in pixels; null: as it was from the start. */
  widen(id: ColumnId, width: number | null): void {
    const widths = { ...this.kept().widths };
    if (width === null) delete widths[id];
    else widths[id] = Math.round(Math.min(WIDEST, Math.max(40, width)));
    this.keep({ ...this.kept(), widths });
  }
  asAtFirst(): void {
    this.keep({ shown: usual(), widths: {} });
  }
  private keep(kept: Kept): void {
    this.kept.set(kept);
    try {
      localStorage.setItem(KEY, JSON.stringify(kept));
    } catch {
      // A browser that keeps nothing shows the usual columns next time.
    }
  }
}

function usual(): ColumnId[] {
  return COLUMNS.filter((c) => c.usual).map((c) => c.id);
}
/** What this browser kept, as far as it still makes sense. */
function read(): Kept {
  const known = (id: unknown): id is ColumnId => COLUMNS.some((c) => c.id === id);
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? 'null') as Partial<Kept> | null;
    if (!Array.isArray(kept?.shown)) return { shown: usual(), widths: {} };
    const widths = Object.entries(kept.widths ?? {}).filter(
      ([id, width]) => known(id) && typeof width === 'number' && width >= 40 && width <= WIDEST,
    );
    return { shown: kept.shown.filter(known), widths: Object.fromEntries(widths) };
  } catch {
    return { shown: usual(), widths: {} };
  }
}
