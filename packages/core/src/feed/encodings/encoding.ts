import type { Value } from '../../fields/values.ts';
import type { Column } from '../../formats/output.ts';

/** A finished record's values as PostgreSQL prints them, in the order of the columns; null for NULL. */
export type Cells = readonly (string | null)[];

/** A form in which a target takes the finished records of a chunk. It is made in the mapping thread, since that is where the time is. */
export interface ChunkEncoding<C> {
  encoder(columns: readonly Column[]): ChunkEncoder<C>;
  /** Every record of it again. */
  cells(content: C): Cells[];
  /** Only the records at these places, which ascend. */
  only(content: C, places: readonly number[]): C;
  /** Memory that moves to another thread with it. */
  buffers(content: C): ArrayBuffer[];
}
export interface ChunkEncoder<C> {
  add(values: readonly Value[]): void;
  /** What was added so far; the encoder is empty afterwards. */
  take(): C;
}
