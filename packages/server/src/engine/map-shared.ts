import { KeyCheck, rowsOf, splitBlock, type BlocksOfFile } from '@versicle/core';
import { datasetChunks } from '@versicle/files';
import type { HandOver } from './hand-over.ts';
import type { MapJob } from './messages.ts';
import { ShareHere, type Share, type Twice } from './share.ts';
import { ShareInThread } from './share-thread.ts';

/** Chunks that a share has at a time: while it waits for what is said of one, it maps the next. */
const AT_ONCE = 2;

/**
 * Cuts the source into chunks and gives them out to shares that read and map them; looks at all keys, in the order of the
 * source, and hands the finished chunks on in that order. What comes of it does not depend on how many share the work.
 */
export async function mapShared(job: MapJob, hand: HandOver): Promise<void> {
  const shares: Share[] =
    job.threads > 1 ? Array.from({ length: job.threads }, () => new ShareInThread(job)) : [new ShareHere(job)];
  const { settled } = job;
  const lead = new Lead(shares, hand, settled.chunk);
  let bytes = 0;
  let read = 0;
  const chunks = datasetChunks(
    { ...job.source, fields: job.source.fields.map((f) => f.name) },
    { cut: job.cut, rowLimit: job.rowLimit, settled: settled.read },
    (n) => (bytes += n),
  );
  for await (const blocks of chunks) {
    read += blocks.reduce((sum, { block }) => sum + rowsOf(block), 0);
    await lead.room();
    if (lead.stopped) break;
    lead.give(blocks, bytes, read <= settled.read);
  }
  // Also a source without records is one chunk: a target that is replaced must become empty.
  if (read === 0) lead.give([], bytes, false);
  await lead.done();
  const well = new Set((await Promise.all(shares.map((share) => share.well()))).flat());
  await hand.end(bytes, lead.stopped, [...well]);
}

class Lead {
  private keys: KeyCheck | null = null;
  private given = 0;
  private underWay = 0;
  private roomMade: () => void = () => undefined;
  private last: Promise<void> = Promise.resolve();
  private failure: Error | null = null;
  /** A record said that the run ends: chunks behind it don't count. */
  stopped = false;

  constructor(
    private readonly shares: readonly Share[],
    private readonly hand: HandOver,
    /** The number of the last chunk that was settled. */
    private number: number,
  ) {}

  /** Until there is something to do for another chunk. */
  async room(): Promise<void> {
    while (this.underWay >= this.shares.length * AT_ONCE && this.failure === null)
      await new Promise<void>((resolve) => (this.roomMade = resolve));
    if (this.failure !== null) throw this.failure;
  }
  give(blocks: readonly BlocksOfFile[], bytes: number, isSettled: boolean): void {
    const share = this.shares[this.given % this.shares.length]!;
    // Chunks of an earlier life have numbers that nobody else uses.
    const number = isSettled ? -1 - this.given : ++this.number;
    this.given++;
    this.underWay++;
    const mapped = share.map(number, blocks);
    // What is wrong is heard in its turn.
    mapped.catch(() => undefined);
    this.last = this.last
      .then(async () => {
        if (this.stopped) return;
        const { keys, stopped } = await mapped;
        const twice: [number, readonly number[]][] = [];
        for (const [place, texts] of keys.entries()) {
          this.keys ??= new KeyCheck(texts.length);
          const before = this.keys.take(texts);
          if (before !== null) twice.push([place, before]);
        }
        this.stopped = stopped;
        await this.pass(share, number, twice, bytes, isSettled);
      })
      .catch((error: Error) => void (this.failure ??= error))
      .finally(() => {
        this.underWay--;
        this.roomMade();
      });
  }
  private async pass(share: Share, number: number, twice: Twice, bytes: number, isSettled: boolean): Promise<void> {
    const chunk = await share.finish(number, twice, bytes);
    const teller = {
      refused: (items: Parameters<Share['refused']>[1]) => share.refused(number, items),
      forget: () => void share.forget(number).catch(() => undefined),
    };
    await this.hand.chunk(chunk, teller, isSettled);
  }
  async done(): Promise<void> {
    await this.last;
    if (this.failure !== null) throw this.failure;
  }
}
