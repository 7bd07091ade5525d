import type { Database } from '@versicle/postgres';
import { deliveredParts, extentOf, type DeliveredPart, type Extent } from './delivered-parts.ts';
import { HALF, isContent, FORGOTTEN, REMOVED, UNKNOWN, WIDTH } from './digests.ts';

/** Places for each record: the fewer, the longer it takes to find one. */
const ROOM = 1.4;
/** What a place says of its record, besides where it was delivered last (its number and this much). */
const FREE = 0;
const NOT_THERE = 1;
const FIRST = 2;

/**
 * What a mapping delivered, as it is known when a run begins: 28 bytes a place, 39 a record. A record's key is held as a
 * whole, of its content half of the hash; both have to be as they were for it to be taken for the same.
 */
export class KnownRecords {
  /** Threads that map look keys up as well; who is where does not change once all is loaded. */
  readonly table: KeyTable;
  private readonly keys: Uint32Array;
  private readonly contents: Uint32Array;
  private readonly states: Uint32Array;
  /** Records that went through `add`. */
  private added = 0;
  /** Records that are there. */
  count = 0;

  constructor(
    /** Of what it is made of. */
    readonly extent: Extent,
  ) {
    const places = Math.max(16, Math.ceil(extent.records * ROOM));
    this.keys = new Uint32Array(new SharedArrayBuffer(places * 16));
    this.contents = new Uint32Array(places * 2);
    this.states = new Uint32Array(new SharedArrayBuffer(places * 4));
    this.table = { keys: this.keys, states: this.states };
  }

  /**
   * All that is remembered by now. Of what `run` delivered itself before it was taken up again nothing is taken for the same,
   * as nothing was in its first life: it cuts its records into the same chunks.
   */
  static async load(db: Database, memory: number, run: number | null): Promise<KnownRecords> {
    const known = new KnownRecords(await extentOf(db, memory));
    for await (const part of deliveredParts(db, memory, known.extent.last))
      known.add(part, part.unsure || (run !== null && part.run === run));
    return known;
  }

  /** Parts are added in their order; what a later one says of a record counts. */
  add({ digests }: Pick<DeliveredPart, 'digests'>, unsure: boolean): void {
    const words = wordsOf(digests);
    for (let at = 0; at * WIDTH < digests.length; at++) {
      const from = at * WIDTH + HALF;
      if (isContent(digests, from, FORGOTTEN)) this.doubt(words, at);
      else if (isContent(digests, from, REMOVED)) this.remove(words, at * 8);
      else this.put(words, at, unsure || isContent(digests, from, UNKNOWN));
      this.added++;
    }
  }
  private put(words: Uint32Array, at: number, unsure: boolean): void {
    const place = this.placeOf(words, at * 8);
    if (this.states[place]! < FIRST) this.count++;
    if (this.states[place] === FREE) this.keys.set(words.subarray(at * 8, at * 8 + 4), place * 4);
    this.states[place] = FIRST + this.added;
    this.contents[place * 2] = unsure ? 0 : words[at * 8 + 4]!;
    this.contents[place * 2 + 1] = unsure ? 0 : words[at * 8 + 5]!;
  }
  private doubt(words: Uint32Array, at: number): void {
    const place = this.placeOf(words, at * 8);
    if (this.states[place]! < FIRST) return;
    this.contents[place * 2] = 0;
    this.contents[place * 2 + 1] = 0;
  }
  private remove(words: Uint32Array, from: number): void {
    const place = this.placeOf(words, from);
    if (this.states[place]! < FIRST) return;
    this.states[place] = NOT_THERE;
    this.count--;
  }
  private placeOf(words: Uint32Array, from: number): number {
    return placeIn(this.table, words, from);
  }
  /** The place of the record, where the target has it just so, as far as is known; otherwise -1. */
  placeOfSame(words: Uint32Array, from: number): number {
    const place = this.placeOf(words, from);
    const [high, low] = [words[from + 4]!, words[from + 5]!];
    const isSame = this.contents[place * 2] === high && this.contents[place * 2 + 1] === low && (high | low) !== 0;
    return this.states[place]! >= FIRST && isSame ? place : -1;
  }

  /**
   * The records among some that the target has just as they are. Of the others nothing is known from then on: one that comes
   * again in the same run is sent again, whatever became of the first.
   */
  same(digests: Uint8Array): Set<number> {
    const words = wordsOf(digests);
    const same = new Set<number>();
    for (let at = 0; at * 8 < words.length; at++) {
      const place = this.placeOf(words, at * 8);
      if (this.states[place]! < FIRST) continue;
      const [high, low] = [words[at * 8 + 4]!, words[at * 8 + 5]!];
      if (this.contents[place * 2] === high && this.contents[place * 2 + 1] === low && (high | low) !== 0) same.add(at);
      else this.doubt(words, at);
    }
    return same;
  }
  /** What the target has of these is not known. */
  doubtAll(digests: Uint8Array): void {
    const words = wordsOf(digests);
    for (let at = 0; at * 8 < words.length; at++) this.doubt(words, at);
  }
  /** These are not looked for any more. `keys`: the hashes of their keys, one after the other. */
  leaveOut(keys: Uint8Array): void {
    const words = wordsOf(keys);
    for (let from = 0; from < words.length; from += 4) this.remove(words, from);
  }
  /**
   * Whether the record that was the `number`th to be added is there and none was added for it later; and whether it is known
   * what the target has of it.
   */
  has(digests: Uint8Array, at: number, number: number): { readonly isThere: boolean; readonly isSure: boolean } {
    const place = this.placeOf(wordsOf(digests.subarray(at * WIDTH, at * WIDTH + HALF)), 0);
    const isSure = (this.contents[place * 2]! | this.contents[place * 2 + 1]!) !== 0;
    return { isThere: this.states[place] === FIRST + number, isSure };
  }
}

/** The keys of known records, each at its place. */
export interface KeyTable {
  readonly keys: Uint32Array;
  readonly states: Uint32Array;
}
/** The place of a key, or a free one. */
function placeIn({ keys, states }: KeyTable, words: Uint32Array, from: number): number {
  const places = states.length;
  for (let place = words[from]! % places; ; place = place + 1 === places ? 0 : place + 1)
    if (
      states[place] === FREE ||
      (keys[place * 4] === words[from] &&
        keys[place * 4 + 1] === words[from + 1] &&
        keys[place * 4 + 2] === words[from + 2] &&
        keys[place * 4 + 3] === words[from + 3])
    )
      return place;
}
/** The place of a key that is known, or was before; otherwise -1. */
export function placeOfKey(table: KeyTable, key: Uint8Array): number {
  const place = placeIn(table, wordsOf(key), 0);
  return table.states[place] === FREE ? -1 : place;
}

/** As numbers of 32 bits; what comes from a database lies at any place. */
export function wordsOf(bytes: Uint8Array): Uint32Array {
  const own = bytes.byteOffset % 4 === 0 ? bytes : bytes.slice();
  return new Uint32Array(own.buffer, own.byteOffset, own.byteLength / 4);
}
