import type { Rejection } from '@versicle/core';
import type { Statement } from '@versicle/postgres';
import type { FailedRow, MappedChunk } from '../messages.ts';

/** The way of a run's finished chunks to their target. */
export interface Lane {
  /**
   * Does with a chunk what is done outside of the store, and gives what the store keeps of it, as the statements of one
   * transaction. `inFull` asks the mapping thread for the full records of those that the target refused.
   */
  take(mapped: MappedChunk, inFull: InFull): Promise<readonly Statement[]>;
  /** The chunk is kept. */
  kept?(): void;
}
export type InFull = (mapped: MappedChunk, rejections: readonly Rejection[]) => Promise<readonly FailedRow[]>;
