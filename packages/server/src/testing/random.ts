/** The same numbers for the same seed (mulberry32). */
export class Random {
  constructor(private state: number) {}

  /** From 0 to below 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0;
    let t = Math.imul(this.state ^ (this.state >>> 15), 1 | this.state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  }
  /** A whole number from `least` to below `end`. */
  whole(least: number, end: number): number {
    return least + Math.floor(this.next() * (end - least));
  }
  of<T>(list: readonly T[]): T {
    return list[this.whole(0, list.length)]!;
  }
  /** True so often of a hundred times. */
  chance(percent: number): boolean {
    return this.next() * 100 < percent;
  }
}
export const pause = (millis: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, millis));
