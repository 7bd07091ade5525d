import type { Block, BlocksOfFile, Mapped, RawRow, Share, Twice } from '@versicle/core';
import { blocksFromMessage, InThread, recordsOfBlock } from '@versicle/files';
import { Chunk, Mapper } from './chunk.ts';
import type { FailedRow, MapJob, MappedChunk, Refused } from './messages.ts';

/** A share in mapping the records of a run. */
export interface RunShare extends Share<MappedChunk> {
  /** The full records of those that the target refused. */
  refused(chunk: number, items: readonly Refused[]): Promise<FailedRow[]>;
  forget(chunk: number): Promise<void>;
  /** Open failures that went well. */
  well(): Promise<readonly number[]>;
}

const NO_KEYS = { width: 0, text: '', ends: new Float64Array(0) };

/** A share in this very thread. */
export class ShareHere implements RunShare {
  private readonly mapper: Mapper;
  private readonly chunks = new Map<number, { chunk: Chunk; blocks: readonly BlocksOfFile[] }>();

  constructor(private readonly job: MapJob) {
    // Who maps all chunks looks at the keys, too, unless some of them are known by what came before.
    this.mapper = new Mapper(job, job.threads > 1 || job.before !== null);
    this.mapper.requireSound();
  }

  async map(number: number, given: readonly BlocksOfFile[]): Promise<Mapped> {
    const blocks = blocksFromMessage(given);
    const chunk = this.mapped(blocks, new Chunk(this.mapper, false));
    this.chunks.set(number, { chunk, blocks });
    return { keys: this.mapper.packer?.take() ?? NO_KEYS, stopped: chunk.stopped !== null };
  }
  private mapped(blocks: readonly BlocksOfFile[], chunk: Chunk): Chunk {
    reading: for (const { block, file, before } of blocks) {
      const { firstRow, rows, unknown } = this.recordsOf(block);
      chunk.leaves(unknown, file);
      const origin = { first: { row: before + firstRow, fileRow: firstRow, file }, replay: null, row: this.row(block) };
      for (let at = 0; at < rows.length; at++) {
        chunk.add(origin, at, rows[at]!);
        if (chunk.stopped !== null) break reading;
      }
    }
    chunk.seal();
    return chunk;
  }
  private recordsOf(block: Block): ReturnType<typeof recordsOfBlock> {
    return recordsOfBlock(block, this.job.source.format, this.mapper.names);
  }
  /** Of a chunk on its way only the text is kept, which is read once more where the target refuses a record: rows by the ten thousand that outlive their turn keep the collector busy. */
  private row(block: Block): (at: number) => RawRow {
    let rows: readonly RawRow[] | null = null;
    return (at) => (rows ??= this.recordsOf(block).rows)[at]!;
  }
  /** Where keys came before, which is seldom, the chunk is mapped once more, without the records that have them. */
  async finish(number: number, twice: Twice): Promise<MappedChunk> {
    const { chunk, blocks } = this.chunks.get(number)!;
    const made = twice.length === 0 ? chunk : this.mapped(blocks, new Chunk(this.mapper, false, new Map(twice)));
    this.mapper.packer?.take();
    this.chunks.set(number, { chunk: made, blocks: [] });
    return made.message(number, 0);
  }
  async refused(number: number, items: readonly Refused[]): Promise<FailedRow[]> {
    return this.chunks.get(number)!.chunk.refused(items);
  }
  async forget(number: number): Promise<void> {
    this.chunks.delete(number);
  }
  async well(): Promise<readonly number[]> {
    return this.mapper.well?.ids ?? [];
  }
}

/** A share in a thread of its own (share-worker.ts), which ends with the thread that made it. */
export class ShareInThread implements RunShare {
  private readonly thread: InThread;

  constructor(job: MapJob) {
    this.thread = new InThread(new URL('./share-worker.js', import.meta.url), {
      workerData: job,
      resourceLimits: { maxYoungGenerationSizeMb: 96 },
    });
  }
  map(chunk: number, blocks: readonly BlocksOfFile[]): Promise<Mapped> {
    return this.thread.call('map', chunk, blocks);
  }
  finish(chunk: number, twice: Twice): Promise<MappedChunk> {
    return this.thread.call('finish', chunk, twice);
  }
  refused(chunk: number, items: readonly Refused[]): Promise<FailedRow[]> {
    return this.thread.call('refused', chunk, items);
  }
  forget(chunk: number): Promise<void> {
    return this.thread.call('forget', chunk);
  }
  well(): Promise<readonly number[]> {
    return this.thread.call('well');
  }
}
