const PAGE = 2 ** 20;
const LONGEST = 2 ** 16 - 1;

/**
 * A set of texts that only grows: the keys that a run has let through. Texts lie as UTF-16 code units in pages of bytes,
 * found through a table of hashes, so that millions of keys cost the garbage collector nothing, keep no text of the source
 * alive, and may be more than the 16 million that a Set takes.
 */
export class KeySet {
  private pages: Uint16Array[] = [new Uint16Array(PAGE)];
  /** Where the next text goes in the last page; position 0 means “none” in the table. */
  private free = 1;
  private hashes = new Int32Array(1024);
  private positions = new Uint32Array(1024);
  private held = 0;
  /** Texts that are longer than a length in one code unit can say. */
  private readonly long = new Set<string>();

  get size(): number {
    return this.held + this.long.size;
  }

  has(text: string): boolean {
    if (text.length > LONGEST) return this.long.has(text);
    return this.positions[this.slotOf(text, hashOf(text))] !== 0;
  }

  /** Puts a text in. False when it was there already. */
  add(text: string): boolean {
    if (text.length > LONGEST) {
      const before = this.long.size;
      return this.long.add(text).size > before;
    }
    const hash = hashOf(text);
    let slot = this.slotOf(text, hash);
    if (this.positions[slot] !== 0) return false;
    if ((this.held + 1) * 2 > this.positions.length) {
      this.widen();
      slot = this.slotOf(text, hash);
    }
    this.hashes[slot] = hash;
    this.positions[slot] = this.keep(text);
    this.held++;
    return true;
  }

  /** The slot that holds the text, or the empty one where it belongs. */
  private slotOf(text: string, hash: number): number {
    const { hashes, positions } = this;
    const mask = positions.length - 1;
    let slot = hash & mask;
    while (positions[slot] !== 0) {
      if (hashes[slot] === hash && this.equals(positions[slot]!, text)) return slot;
      slot = (slot + 1) & mask;
    }
    return slot;
  }

  private equals(position: number, text: string): boolean {
    const page = this.pages[Math.floor(position / PAGE)]!;
    const at = position % PAGE;
    if (page[at] !== text.length) return false;
    for (let i = 0; i < text.length; i++) if (page[at + 1 + i] !== text.charCodeAt(i)) return false;
    return true;
  }

  private keep(text: string): number {
    if (this.free + text.length + 1 > PAGE) {
      this.pages.push(new Uint16Array(PAGE));
      this.free = 0;
    }
    const page = this.pages[this.pages.length - 1]!;
    const at = this.free;
    page[at] = text.length;
    for (let i = 0; i < text.length; i++) page[at + 1 + i] = text.charCodeAt(i);
    this.free = at + text.length + 1;
    return (this.pages.length - 1) * PAGE + at;
  }

  private widen(): void {
    const { hashes, positions } = this;
    const size = positions.length * 2;
    this.hashes = new Int32Array(size);
    this.positions = new Uint32Array(size);
    for (let i = 0; i < positions.length; i++) {
      if (positions[i] === 0) continue;
      let slot = hashes[i]! & (size - 1);
      while (this.positions[slot] !== 0) slot = (slot + 1) & (size - 1);
      this.hashes[slot] = hashes[i]!;
      this.positions[slot] = positions[i]!;
    }
  }
}

/** FNV-1a over code units, with its bits stirred once more: neighbouring numbers must not lie in neighbouring slots only. */
function hashOf(text: string): number {
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  hash ^= hash >>> 15;
  return Math.imul(hash, 0x2c1b3c6d) ^ (hash >>> 12);
}
