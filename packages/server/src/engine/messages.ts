import type { Failure, MappingDocument, DeliveredKey, KeyMaps } from '@versicle/core';
import type { SourcePlan } from '../systems/kinds/kind.ts';

/** What the mapping thread is told at its start. */
export interface MapJob {
  readonly document: MappingDocument;
  readonly source: SourcePlan;
  /** Milliseconds since the epoch: what now() means throughout the run, also after it was resumed. */
  readonly startedAt: number;
  /** Chunks that are settled already: they are mapped again, for the keys they hold, and not delivered. */
  readonly settled: number;
  readonly rowLimit: number | null;
  readonly chunkRows: number;
  /** Instead of the source: failed records that are sent again, as they were read. */
  readonly replay: readonly ReplayRow[] | null;
  /** What mapped_key() finds. */
  readonly keyMaps: KeyMaps;
  /** Whether the keys of what is delivered are kept. */
  readonly keepKeys: boolean;
}
export interface ReplayRow {
  readonly id: number;
  readonly row: number;
  readonly file: string | null;
  readonly source: Readonly<Record<string, string | null>>;
  /** It failed as a duplicate: sent again, it must not overwrite the record that won. */
  readonly duplicate: boolean;
}

export interface FailedRow {
  readonly row: number;
  readonly file: string | null;
  readonly identity: string;
  readonly label: string;
  readonly source: Readonly<Record<string, string | null>>;
  readonly mapped: Readonly<Record<string, string | null>>;
  readonly failures: readonly Failure[];
  /** It is not in the way; it only has something to be noted. */
  readonly remark: boolean;
  /** The failed record that was sent again. */
  readonly replayed: number | null;
}

export interface ChunkCounts {
  read: number;
  filtered: number;
  skipped: number;
  failed: number;
  written: number;
  remarks: number;
}

/** A finished chunk: what is to be delivered, and what is not. */
export interface MappedChunk {
  readonly kind: 'chunk';
  readonly chunk: number;
  readonly counts: ChunkCounts;
  readonly bytes: number;
  /** COPY text of `counts.written` rows. */
  readonly copy: Uint8Array;
  readonly failed: readonly FailedRow[];
  /** Replays: what became of records that did not fail. */
  readonly settled: readonly {
    readonly id: number;
    readonly what: 'delivered' | 'closed';
    readonly index: number;
    readonly message: string;
  }[];
  readonly stopped: number | null;
  /** By index of the written records, where keys are kept: what each is known by; null where it has no key. */
  readonly keys: readonly (DeliveredKey | null)[];
  /** Replayed duplicates: the target may only take them as new records. */
  readonly insertOnly: boolean;
}
export type FromMapper =
  | MappedChunk
  | { kind: 'end'; bytes: number; stopped: boolean }
  | { kind: 'rejected'; rows: readonly FailedRow[] }
  | { kind: 'broken'; message: string };
/** A written record that the target refused: its index among them, why, and the row that was handed over. */
export interface Refused {
  readonly index: number;
  readonly failure: Failure;
  readonly line: string;
}
/**
 * `settled`: the chunk is delivered and kept; `rejected`: asks for the full record of rows of a chunk, by their index among
 * the written ones.
 */
export type ToMapper =
  { kind: 'settled'; chunk: number } | { kind: 'rejected'; chunk: number; items: readonly Refused[] };
