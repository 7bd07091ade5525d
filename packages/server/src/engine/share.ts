import type { BlocksOfFile, KeyTexts } from '@versicle/core';
import { recordsOfBlock } from '@versicle/files';
import { Chunk, Mapper } from './chunk.ts';
import type { FailedRow, MapJob, MappedChunk, Refused } from './messages.ts';

/** Records of a chunk that were mapped: what they are told apart by, and where the document says that the run ends. */
export interface Mapped {
  readonly keys: readonly KeyTexts[];
  readonly stopped: boolean;
}
/** Keys that came before, by the places of those that were let through. */
export type Twice = readonly (readonly [place: number, keys: readonly number[]])[];

/** A share in mapping the records of a run: some of its chunks, whole. */
export interface Share {
  map(chunk: number, blocks: readonly BlocksOfFile[]): Promise<Mapped>;
  /** Once for each chunk, after `map`, in any order of the chunks. */
  finish(chunk: number, twice: Twice, bytes: number): Promise<MappedChunk>;
  /** The full records of those that the target refused. */
  refused(chunk: number, items: readonly Refused[]): Promise<FailedRow[]>;
  forget(chunk: number): Promise<void>;
  /** Open failures that went well. */
  well(): Promise<readonly number[]>;
}

/** A share in this very thread. */
export class ShareHere implements Share {
  private readonly mapper: Mapper;
  private readonly chunks = new Map<number, Chunk>();

  constructor(private readonly job: MapJob) {
    this.mapper = new Mapper(job, true);
    this.mapper.requireSound();
  }

  async map(number: number, blocks: readonly BlocksOfFile[]): Promise<Mapped> {
    const chunk = new Chunk(this.mapper, false);
    this.chunks.set(number, chunk);
    const { format } = this.job.source;
    for (const { block, file, before } of blocks) {
      const { firstRow, rows } = recordsOfBlock(block, format, this.mapper.names);
      const origin = { first: { row: before + firstRow, fileRow: firstRow, file }, replay: null, rows };
      for (let at = 0; at < rows.length; at++) {
        chunk.add(origin, at);
        if (chunk.stopped !== null) return { keys: chunk.keyTexts(), stopped: true };
      }
    }
    return { keys: chunk.keyTexts(), stopped: false };
  }
  async finish(number: number, twice: Twice, bytes: number): Promise<MappedChunk> {
    const chunk = this.chunks.get(number)!;
    chunk.decide(new Map(twice));
    return chunk.message(number, bytes);
  }
  async refused(number: number, items: readonly Refused[]): Promise<FailedRow[]> {
    return this.chunks.get(number)!.refused(items);
  }
  async forget(number: number): Promise<void> {
    this.chunks.delete(number);
  }
  async well(): Promise<readonly number[]> {
    return this.mapper.well?.ids ?? [];
  }
}
