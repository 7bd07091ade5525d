import { TextHash } from './text-hash.ts';

/** Of each place in the table: both halves of the hash, the count, the number of the text. */
const WORDS = 4;

/**
 * Counts texts, up to a number of different ones. Texts are told apart by 64 bits of hash with a seed of each run, so that a
 * look-up touches one line of the processor's cache and not the text: that two of 20,000 texts fall together has a chance of
 * one in 10¹¹. Counts go up to 2³¹ − 1.
 */
export class ValueCounts {
  private table = new Int32Array(64 * WORDS);
  private readonly texts: string[] = [];
  private readonly taken = new TextHash();

  constructor(private readonly limit: number) {}

  get size(): number {
    return this.texts.length;
  }
  /** Of the text that was last asked for. */
  get hash(): Readonly<TextHash> {
    return this.taken;
  }

  /** Counts a value that is known already; otherwise false. */
  again(value: string): boolean {
    this.taken.take(value);
    const { first, second } = this.taken;
    const { table } = this;
    const end = table.length - 1;
    for (let at = (first * WORDS) & end; ; at = (at + WORDS) & end) {
      const count = table[at + 2]!;
      if (count === 0) return false;
      if (table[at] === first && table[at + 1] === second) {
        table[at + 2] = count + 1;
        return true;
      }
    }
  }
  /** Takes the value that `again` has just not known; false when there is no room for another one. */
  begin(value: string): boolean {
    const { length } = this.texts;
    if (length >= this.limit) return false;
    if ((length + 1) * 2 * WORDS > this.table.length) this.widen();
    const at = place(this.table, this.taken.first);
    this.table[at] = this.taken.first;
    this.table[at + 1] = this.taken.second;
    this.table[at + 2] = 1;
    this.table[at + 3] = length;
    this.texts.push(value);
    return true;
  }
  private widen(): void {
    const { table } = this;
    this.table = new Int32Array(table.length * 2);
    for (let from = 0; from < table.length; from += WORDS)
      if (table[from + 2] !== 0) {
        const to = place(this.table, table[from]!);
        for (let word = 0; word < WORDS; word++) this.table[to + word] = table[from + word]!;
      }
  }

  /** The texts in the order in which they came. */
  *[Symbol.iterator](): Generator<readonly [value: string, count: number]> {
    const counts = new Int32Array(this.texts.length);
    for (let at = 0; at < this.table.length; at += WORDS)
      if (this.table[at + 2] !== 0) counts[this.table[at + 3]!] = this.table[at + 2]!;
    for (const [n, text] of this.texts.entries()) yield [text, counts[n]!];
  }
}

/** The first empty place for a hash. */
function place(table: Int32Array, hash: number): number {
  const end = table.length - 1;
  let at = (hash * WORDS) & end;
  while (table[at + 2] !== 0) at = (at + WORDS) & end;
  return at;
}
