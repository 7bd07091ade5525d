import { outputText, type Column, type Fed, type RecordFeed, type Value } from '@versicle/core';
import type { Seen } from '../messages.ts';
import { HALF, keyDigest } from './digests.ts';

/** Which keys the records of a chunk have, whatever becomes of them: what was delivered before and is not among them is gone. */
export class SeenKeys {
  private bytes = new Uint8Array(1024 * HALF);
  private length = 0;
  private untold = 0;

  constructor(
    private readonly feed: RecordFeed,
    private readonly columns: readonly Column[],
    private readonly key: readonly number[],
  ) {}

  /** Asked right after the feed took the record. */
  see(fed: Fed): void {
    const values = this.feed.keyValues(fed);
    const digest = values === null ? null : keyDigest(this.columns, values, this.key);
    if (digest === null) {
      // What the document leaves out could not have come as it is now; what failed may be one that was delivered before.
      if (fed.outcome.kind === 'failed') this.untold++;
      return;
    }
    if (this.length === this.bytes.length) {
      const wider = new Uint8Array(2 * this.bytes.length);
      wider.set(this.bytes);
      this.bytes = wider;
    }
    this.bytes.set(digest, this.length);
    this.length += HALF;
  }
  /** Of all that were seen since it was taken last. */
  take(): Seen {
    const seen = { keys: this.bytes.slice(0, this.length), untold: this.untold };
    this.length = 0;
    this.untold = 0;
    return seen;
  }
}

/** The values of a record's key as texts, a list in JSON. */
export const keyCellsOf = (columns: readonly Column[], values: readonly Value[], key: readonly number[]): string =>
  JSON.stringify(key.map((i) => outputText(values[i] ?? null, columns[i]!.type)));
