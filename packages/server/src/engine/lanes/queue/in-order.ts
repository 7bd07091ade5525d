import type { WaitingRow } from './outbox.ts';

/**
 * Records that a sender has at hand, and in which order they may go: each after all earlier ones of its order key. Those that
 * went with a request before, and whose answer is not known, go first, together as they went.
 */
export class InOrder {
  private rows: WaitingRow[] = [];
  private readonly underWay = new Map<number, WaitingRow>();

  /** Ids of all records at hand or under way. */
  get ids(): number[] {
    return [...this.rows.map((r) => r.id), ...this.underWay.keys()];
  }
  get waiting(): number {
    return this.rows.length;
  }
  add(rows: readonly WaitingRow[]): void {
    this.rows = [...this.rows, ...rows].sort((a, b) => b.sooner - a.sooner || a.id - b.id);
  }
  /** What waits has changed: it is read anew. Those that went already, and whose answer is not known, still go first. */
  forget(): void {
    this.rows = this.rows.filter((r) => r.request !== null);
  }

  /** The records for the next request, of one run and part; none while all of them wait for others. */
  take(batch: number): readonly WaitingRow[] {
    const chosen = this.again() ?? this.next(batch);
    const ids = new Set(chosen.map((r) => r.id));
    this.rows = this.rows.filter((r) => !ids.has(r.id));
    for (const row of chosen) this.underWay.set(row.id, row);
    return chosen;
  }
  private again(): WaitingRow[] | null {
    const first = this.rows.find((r) => r.request !== null);
    return first ? this.rows.filter((r) => r.request === first.request) : null;
  }
  private next(batch: number): WaitingRow[] {
    const chosen: WaitingRow[] = [];
    const taken = new Set([...this.underWay.values()].map((r) => r.orderKey));
    for (const row of this.rows) {
      if (chosen.length === batch) break;
      const isFree = row.orderKey === null || !taken.has(row.orderKey);
      const [first] = chosen;
      // Whatever is passed over goes before later ones of its key.
      taken.add(row.orderKey);
      if (isFree && (!first || (first.run === row.run && first.part === row.part))) chosen.push(row);
    }
    return chosen;
  }

  /** They are answered for, or are no business of this sender any more. */
  done(rows: readonly WaitingRow[]): void {
    for (const { id } of rows) this.underWay.delete(id);
  }
  /** They go again, before all later ones. */
  back(rows: readonly WaitingRow[]): void {
    this.done(rows);
    this.add(rows);
  }
  has(run: number): boolean {
    return this.rows.some((r) => r.run === run);
  }
  /** Nothing of a run is sent any more. */
  drop(run: number): void {
    this.rows = this.rows.filter((r) => r.run !== run);
  }
}
