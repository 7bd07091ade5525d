/** One column of a list. */
export interface Column<T> {
  readonly key: string;
  readonly title: string;
  /** ℣ or ℟ before the title, where a whole column is of one side. */
  readonly sign?: 'source' | 'target';
  /** What the column is sorted by, found by and shows where it has no template; without it, it does none of these. */
  readonly value?: (row: T) => string | number | null;
  /** It counts for finding, but is no order that anybody would ask for. */
  readonly unsorted?: true;
  /** Figures and times stand at the right. */
  readonly figures?: true;
  readonly class?: string;
}

/** `failed` sorts by the column of that key upwards, `-failed` downwards. */
export interface Order {
  readonly key: string;
  readonly down: boolean;
}
export function orderOf(text: string | null): Order | null {
  if (!text) return null;
  return text.startsWith('-') ? { key: text.slice(1), down: true } : { key: text, down: false };
}
/** Figures are asked for with the largest first, texts from A; a second time the other way; a third time as the list comes. */
export function nextOrder(now: Order | null, column: Column<never>): string | null {
  const begin = column.figures === true;
  if (now?.key !== column.key) return begin ? `-${column.key}` : column.key;
  return now.down === begin ? (begin ? column.key : `-${column.key}`) : null;
}

const texts = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });

/** In the order of a column; what has no value stands last either way, equal rows stay as they came. */
export function sorted<T>(rows: readonly T[], columns: readonly Column<T>[], order: Order | null): readonly T[] {
  const value = columns.find((c) => c.key === order?.key)?.value;
  if (order === null || value === undefined) return rows;
  const sign = order.down ? -1 : 1;
  return rows
    .map((row) => ({ row, value: value(row) }))
    .sort((a, b) => {
      if (a.value === null || b.value === null) return Number(a.value === null) - Number(b.value === null);
      if (typeof a.value === 'number' && typeof b.value === 'number') return sign * (a.value - b.value);
      return sign * texts.compare(String(a.value), String(b.value));
    })
    .map(({ row }) => row);
}

/** Rows that have every word somewhere in their columns, or in what `more` says of them; capitals make no difference. */
export function finding<T>(
  rows: readonly T[],
  columns: readonly Column<T>[],
  search: string,
  more: (row: T) => string,
): readonly T[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return rows;
  return rows.filter((row) => {
    const text = [...columns.map((c) => c.value?.(row) ?? ''), more(row)].join(' ').toLowerCase();
    return words.every((word) => text.includes(word));
  });
}
