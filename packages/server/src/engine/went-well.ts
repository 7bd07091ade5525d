import { createHash } from 'node:crypto';
import type { OpenFailure } from './messages.ts';

/** What a record is known by: a hash of what was read of it. */
export function identityOf(source: Readonly<Record<string, string | null>>): string {
  return createHash('sha256').update(JSON.stringify(source)).digest('hex').slice(0, 32);
}
/** The first two values, as lists show a record. */
export function labelOf(cells: Iterable<string | null>): string {
  let text: string | null = null;
  for (const cell of cells) {
    if (cell === null) continue;
    if (text !== null) return `${text}, ${cell}`.slice(0, 80);
    text = cell;
  }
  return (text ?? '').slice(0, 80);
}

/** Finds open failures among the records that go well, by their ids: the same record, one with the same key, or the same row of a file. */
export class WentWell {
  private readonly byLabel = new Map<string, OpenFailure[]>();
  private readonly byKey = new Map<string, OpenFailure[]>();
  private readonly byPlace = new Map<string, OpenFailure[]>();
  private readonly found = new Set<number>();

  constructor(
    open: readonly OpenFailure[],
    private readonly identity = identityOf,
  ) {
    const add = (map: Map<string, OpenFailure[]>, at: string, failure: OpenFailure): void => {
      const list = map.get(at);
      if (list) list.push(failure);
      else map.set(at, [failure]);
    };
    for (const failure of open) {
      if (failure.place !== null) add(this.byPlace, failure.place, failure);
      else add(this.byLabel, failure.label, failure);
      if (failure.key !== null) add(this.byKey, failure.key, failure);
    }
  }
  get wantsKeys(): boolean {
    return this.byKey.size > 0;
  }
  get wantsPlaces(): boolean {
    return this.byPlace.size > 0;
  }

  /** Cells as read; `source` is asked for where the label says that it may be one of them. */
  read(label: string, source: () => Readonly<Record<string, string | null>>, remarked: boolean): number[] {
    const alike = this.byLabel.get(label);
    if (!alike) return [];
    const identity = this.identity(source());
    return alike
      .filter((f) => f.identity === identity || (!remarked && f.identity === `remark:${identity}`))
      .map((f) => f.id);
  }
  key(key: string, remarked: boolean): number[] {
    const alike = this.byKey.get(key) ?? [];
    return alike.filter((f) => !remarked || !f.identity.startsWith('remark:')).map((f) => f.id);
  }
  place(place: string): number[] {
    return (this.byPlace.get(place) ?? []).map((f) => f.id);
  }
  add(ids: Iterable<number>): void {
    for (const id of ids) this.found.add(id);
  }
  get ids(): number[] {
    return [...this.found];
  }
}
