import type { RowBatch } from '../format.ts';
import { BESIDE, mergeUnknown, UnknownCounter, type UnknownWay } from '../unknown.ts';

/** Something stands beside the records: its path, and how many records came before it since the last piece of text. */
export type SeesBeside = (path: string, records: number) => void;

/** Paths that are kept with a structure at the most. */
const MOST = 100;
/** Of a path at the most: names may be of any length. */
const LONGEST = 400;

/** Learns what stands beside the records of a file, so that only what comes later is news. */
export class BesideLearner {
  readonly paths: Set<string>;
  constructor(known: readonly string[] = []) {
    this.paths = new Set(known);
  }
  readonly see: SeesBeside = (path) => {
    if (this.paths.size < MOST) this.paths.add(path.slice(0, LONGEST));
  };
}

/** Counts what stands beside the records, and did not when their structure was learned. */
export class BesideCounter {
  private readonly known: ReadonlySet<string>;
  private readonly counter: UnknownCounter;
  private readonly isTold: boolean;
  private seen: { readonly path: string; readonly records: number }[] = [];

  constructor(known: readonly string[] = [], way: UnknownWay = 'told') {
    this.known = new Set(known);
    // There is no record that could be refused for it, or take it.
    this.counter = new UnknownCounter();
    this.isTold = way !== 'ignored';
  }
  readonly see: SeesBeside = (path, records) => {
    const short = path.slice(0, LONGEST);
    if (this.isTold && !this.known.has(short)) this.seen.push({ path: short, records });
  };
  /** `unknown` of a batch with what was seen since it was asked last. `lastRows`: the last row of so many of its records. */
  besides(unknown: OfBatch, lastRows: readonly number[]): OfBatch {
    if (this.seen.length === 0) return unknown;
    for (const { path, records } of this.seen) this.counter.count(`${BESIDE}${path}`, lastRows[records]!);
    this.seen = [];
    return { unknown: mergeUnknown([unknown.unknown, this.counter.take().unknown]) };
  }
}
type OfBatch = Pick<RowBatch, 'unknown'>;
