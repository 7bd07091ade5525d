import type { BlocksOfFile } from '../formats/text/blocks.ts';
import { KeyCheck } from './key-check.ts';
import { eachKey, type PackedKeys } from './packed-keys.ts';

/** Records of a chunk that were mapped: what they are told apart by, and whether the document says that the run ends there. */
export interface Mapped {
  readonly keys: PackedKeys;
  readonly stopped: boolean;
}
/** Keys that came before, by the places of those that were let through. */
export type Twice = readonly (readonly [place: number, keys: readonly number[]])[];

/** A share in mapping the records of a source: some of its chunks, whole. Keys are looked at by who leads. */
export interface Share<Made> {
  map(chunk: number, blocks: readonly BlocksOfFile[]): Promise<Mapped>;
  /** Once for each chunk, after `map`, in the order of the chunks. */
  finish(chunk: number, twice: Twice): Promise<Made>;
}

/** Chunks that a share has at a time: while it waits for what is said of one, it maps the next. */
const AT_ONCE = 2;

/**
 * Gives chunks out to those who share in mapping them, looks at the keys of all, in the order of the source, and takes what
 * was made in that order. What comes of it does not depend on how many share the work.
 */
export class Lead<Made, S extends Share<Made> = Share<Made>> {
  private keys: KeyCheck | null = null;
  private given = 0;
  private underWay = 0;
  private roomMade: () => void = () => undefined;
  private last: Promise<void> = Promise.resolve();
  private failure: Error | null = null;
  /** A record said that the run ends: chunks behind it don't count. */
  stopped = false;

  constructor(private readonly shares: readonly S[]) {}

  /** Until there is something to do for another chunk. Throws what went wrong with an earlier one. */
  async room(): Promise<void> {
    while (this.underWay >= this.shares.length * AT_ONCE && this.failure === null)
      await new Promise<void>((resolve) => (this.roomMade = resolve));
    if (this.failure !== null) throw this.failure;
  }

  /** `take` is handed what was made of the chunk, when all before it were taken. */
  give(chunk: number, blocks: readonly BlocksOfFile[], take: (made: Made, share: S) => Promise<void>): void {
    const share = this.shares[this.given++ % this.shares.length]!;
    this.underWay++;
    const mapped = share.map(chunk, blocks);
    // What is wrong with it is heard in its turn.
    mapped.catch(() => undefined);
    this.last = this.last
      .then(async () => {
        if (this.stopped || this.failure !== null) return;
        const { keys, stopped } = await mapped;
        this.stopped = stopped;
        await take(await share.finish(chunk, this.twice(keys)), share);
      })
      .catch((error: Error) => void (this.failure ??= error))
      .finally(() => {
        this.underWay--;
        this.roomMade();
      });
  }
  private twice(packed: PackedKeys): Twice {
    const twice: [number, readonly number[]][] = [];
    const keys = (this.keys ??= new KeyCheck(packed.width));
    let place = 0;
    for (const texts of eachKey(packed)) {
      const before = keys.take(texts);
      if (before !== null) twice.push([place, before]);
      place++;
    }
    return twice;
  }

  /** Until all chunks were taken. */
  async done(): Promise<void> {
    await this.last;
    if (this.failure !== null) throw this.failure;
  }
}
