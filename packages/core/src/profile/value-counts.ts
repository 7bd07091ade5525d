/** Counts texts, up to a number of different ones. The counts lie apart from the texts, close together, where they stay in the processor's cache. */
export class ValueCounts {
  private readonly places = new Map<string, number>();
  private readonly counts: Float64Array;

  constructor(private readonly limit: number) {
    this.counts = new Float64Array(limit);
  }
  get size(): number {
    return this.places.size;
  }

  /** Counts a value that is known already; otherwise false. */
  again(value: string): boolean {
    const place = this.places.get(value);
    if (place === undefined) return false;
    this.counts[place]!++;
    return true;
  }
  /** Takes a value that is not known yet; false when there is no room for another one. */
  begin(value: string): boolean {
    const { size } = this.places;
    if (size >= this.limit) return false;
    this.places.set(value, size);
    this.counts[size] = 1;
    return true;
  }

  *[Symbol.iterator](): Generator<readonly [value: string, count: number]> {
    for (const [value, place] of this.places) yield [value, this.counts[place]!];
  }
}
