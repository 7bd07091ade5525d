import { Lead, rowsOf, type BlocksOfFile } from '@versicle/core';
import { datasetChunks } from '@versicle/files';
import type { HandOver } from './hand-over.ts';
import type { MapJob, MappedChunk, Refused } from './messages.ts';
import { ShareHere, ShareInThread, type RunShare } from './share.ts';

/** Cuts the source into chunks, gives them out to shares that read and map them, and hands them on in their order. */
export async function mapShared(job: MapJob, hand: HandOver): Promise<void> {
  const shares: RunShare[] =
    job.threads > 1 ? Array.from({ length: job.threads }, () => new ShareInThread(job)) : [new ShareHere(job)];
  const lead = new Lead<MappedChunk, RunShare>(shares);
  const { settled } = job;
  let bytes = 0;
  let read = 0;
  let given = 0;
  let number = settled.chunk;
  const give = (blocks: readonly BlocksOfFile[]): void => {
    const isSettled = settled.read > 0 && read <= settled.read;
    // Chunks of an earlier life are mapped for the keys they hold, under numbers that nobody else uses.
    const chunk = isSettled ? -++given : ++number;
    const soFar = bytes;
    lead.give(chunk, blocks, (made, share) => hand.chunk({ ...made, bytes: soFar }, tellerOf(share, chunk), isSettled));
  };
  const source = { ...job.source, fields: job.source.fields.map((f) => f.name) };
  const wish = { cut: job.cut, rowLimit: job.rowLimit, settled: settled.read };
  for await (const blocks of datasetChunks(source, wish, (n) => (bytes += n))) {
    read += blocks.reduce((sum, { block }) => sum + rowsOf(block), 0);
    await lead.room();
    if (lead.stopped) break;
    give(blocks);
  }
  // Also a source without records is one chunk: a target that is replaced must become empty.
  if (read === 0 && settled.chunk === 0) give([]);
  await lead.done();
  const well = new Set((await Promise.all(shares.map((share) => share.well()))).flat());
  await hand.end(bytes, lead.stopped, [...well]);
}

const tellerOf = (share: RunShare, chunk: number) => ({
  refused: (items: readonly Refused[]) => share.refused(chunk, items),
  forget: () => void share.forget(chunk).catch(() => undefined),
});
