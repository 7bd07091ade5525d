/** What all sets of a profiler may take together, in bytes. */
export class Room {
  constructor(private left: number) {}

  take(bytes: number): boolean {
    if (bytes > this.left) return false;
    this.left -= bytes;
    return true;
  }
  giveBack(bytes: number): void {
    this.left += bytes;
  }
}

const BYTES = 8;
const FIRST = 64;

/**
 * Whether a value ever repeats, as long as there is room to know. Values are told apart by 64 bits of hash, as in ValueCounts:
 * that two of 20 million fall together, and a key is not proposed, has a chance of one in 100,000.
 */
export class UniqueValues {
  private table: Int32Array;
  private held = 0;
  private isOver = false;

  constructor(private readonly room: Room) {
    this.table = new Int32Array(0);
    this.widen(FIRST);
  }

  /** Different values, as long as none has repeated. */
  get size(): number {
    return this.held;
  }
  /** Whether every value was another one; false as well where there was no room to know. */
  get isUnique(): boolean {
    return !this.isOver;
  }

  add(first: number, second: number): void {
    if (this.isOver) return;
    // Zero twice marks an empty place.
    const high = first === 0 && second === 0 ? 1 : second;
    const { table } = this;
    let at = place(table, first, high);
    if (table[at] === first && table[at + 1] === high) return this.end();
    if ((this.held + 1) * 3 > table.length) {
      if (!this.widen(table.length)) return;
      at = place(this.table, first, high);
    }
    this.table[at] = first;
    this.table[at + 1] = high;
    this.held++;
  }
  /** It repeats, or nobody can tell any more. */
  end(): void {
    this.isOver = true;
    this.room.giveBack(this.table.byteLength);
    this.table = new Int32Array(0);
  }

  private widen(places: number): boolean {
    const before = this.table;
    if (!this.room.take(places * BYTES)) {
      this.end();
      return false;
    }
    this.table = new Int32Array(places * 2);
    this.room.giveBack(before.byteLength);
    for (let from = 0; from < before.length; from += 2)
      if (before[from] !== 0 || before[from + 1] !== 0) {
        const to = place(this.table, before[from]!, before[from + 1]!);
        this.table[to] = before[from]!;
        this.table[to + 1] = before[from + 1]!;
      }
    return true;
  }
}

/** Where a hash is, or the empty place where it belongs. */
function place(table: Int32Array, first: number, second: number): number {
  const end = table.length - 1;
  let at = (first * 2) & end;
  while ((table[at] !== 0 || table[at + 1] !== 0) && (table[at] !== first || table[at + 1] !== second))
    at = (at + 2) & end;
  return at;
}
