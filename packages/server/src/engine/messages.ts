import type {
  Cells,
  DeliveredKey,
  ChunkEncodingName,
  Failure,
  HighestValue,
  KeyMaps,
  MappingDocument,
  Part,
  Watermark,
} from '@versicle/core';
import type { MappedBefore } from './changes/mapped-before.ts';
import type { Cut, UnreadValues } from '../runs/runs.ts';
import type { SourcePlan } from '../systems/kinds/kind.ts';

/** What the mapping thread is told at its start. */
export interface MapJob {
  readonly document: MappingDocument;
  readonly source: SourcePlan;
  /** Milliseconds since the epoch: what now() means throughout the run, also after it was resumed. */
  readonly startedAt: number;
  /** The run's number. */
  readonly run: number;
  /** The run's own id: what records are known by at the target is made of it. */
  readonly uid: string;
  /** Where an earlier life of the run came to: these records are mapped again, for the keys they hold, and not delivered. */
  readonly settled: Checkpoint;
  readonly rowLimit: number | null;
  readonly cut: Cut;
  /** How many threads share in mapping, where the records can be shared out. */
  readonly threads: number;
  /** The last number of the mapping's sequence before this run. */
  readonly sequenceFrom: number;
  /** Whether the filter leaves out more than the document says: what it leaves out may be just what failed before. */
  readonly narrowed: boolean;
  /** What is in the way since earlier runs, to see whether it goes well now. */
  readonly open: readonly OpenFailure[];
  /** The dataset of the target, and the form in which the target takes its records. */
  readonly dataset: string;
  readonly encoding: ChunkEncodingName;
  /** Whether the records wait to be sent one by one: each goes with its id, and with what is kept of it if it is refused. */
  readonly queued: boolean;
  /** Instead of the source: failed records that are sent again, as they were read. */
  readonly replay: readonly ReplayRow[] | null;
  /** What mapped_key() finds. */
  readonly keyMaps: KeyMaps;
  /** What the plan gives to rules. */
  readonly variables: Readonly<Record<string, string>>;
  /** Whether the keys of what is delivered are kept. */
  readonly keepKeys: boolean;
  /** The fields of the source that failed records are known by; null: all. */
  readonly identity: readonly string[] | null;
  /** Whether it is remembered what the target was sent, so that later runs tell what changed. */
  readonly remembers: boolean;
  /** Whether the values of their keys are remembered, too. */
  readonly remembersKeys: boolean;
  /** The source's own key, where its values are remembered of what is delivered. */
  readonly sourceKey: readonly string[] | null;
  /** Whether it tells what is gone. */
  readonly sees: boolean;
  /** By what the newest record is told, where the next run reads on from it. */
  readonly watermark: Watermark | null;
  /** What became of records before; null where each is mapped. */
  readonly before: MappedBefore | null;
}
/** How far a run came: settled chunks, the source's records in them, and the last number of its sequence. */
export interface Checkpoint {
  readonly chunk: number;
  readonly read: number;
  readonly sequence: number | null;
}
export interface OpenFailure {
  readonly id: number;
  /** The hash of what was read, with `remark:` before it where it is one. */
  readonly identity: string;
  readonly label: string;
  /** File and row of what could not be read. */
  readonly place: string | null;
  /** The target key's values as JSON, where they are known. */
  readonly key: string | null;
}
export interface ReplayRow {
  readonly id: number;
  /** Among all records of the dataset, and within its file. */
  readonly row: number;
  readonly fileRow: number;
  readonly file: string | null;
  readonly source: Readonly<Record<string, string | null>>;
  /** It failed as a duplicate: sent again, it must not overwrite the record that won. */
  readonly duplicate: boolean;
  /** What the target knows the record by, and its number in the sequence, where it had one. */
  readonly deliveryKey: string | null;
  readonly sequence: number | null;
}

export interface FailedRow {
  /** Among all records of the dataset, and within its file. */
  readonly row: number;
  readonly fileRow: number;
  readonly file: string | null;
  readonly identity: string;
  readonly label: string;
  readonly source: Readonly<Record<string, string | null>>;
  readonly mapped: Readonly<Record<string, string | null>>;
  readonly failures: readonly Failure[];
  /** It is not in the way; it only has something to be noted. */
  readonly remark: boolean;
  /** A remark's record among the written ones of its chunk. */
  readonly index: number | null;
  /** The failed record that was sent again. */
  readonly replayed: number | null;
  readonly deliveryKey: string | null;
  readonly sequence: number | null;
  /** The target's own words. */
  readonly answer: string | null;
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
  /** The last number of the sequence. */
  readonly sequence: number;
  /** What the written records put where; a row of the first part for each of them. */
  readonly parts: readonly Part[];
  readonly failed: readonly FailedRow[];
  /** Replays: what became of records that did not fail. */
  readonly settled: readonly {
    readonly id: number;
    readonly what: 'delivered' | 'closed';
    readonly index: number;
    readonly message: string;
  }[];
  readonly stopped: number | null;
  /** By path. */
  readonly unread: ReadonlyMap<string, UnreadValues>;
  /** By index of the written records, where keys are kept: what each is known by; null where it has no key. */
  readonly keys: readonly (DeliveredKey | null)[];
  /** By index of the written records, where they wait to be sent: what is kept of each if it is refused. */
  readonly records: readonly FailedRow[];
  /** Replayed duplicates: the target may only take them as new records. */
  readonly insertOnly: boolean;
  /** By index of the written records, where it is remembered what is delivered: what each is known by (changes/digests.ts). */
  readonly digests: Uint8Array;
  /** By index of the written records, where the keys of what is delivered are remembered: their values as texts, a list in JSON. */
  readonly keyCells: readonly string[];
  /** Likewise of the source's own key, where that is remembered. */
  readonly sourceCells: readonly string[];
  /** Where the run tells what is gone: the keys that were met, whatever became of their records. */
  readonly seen: Seen | null;
  /** What became of records that were mapped, to be remembered (changes/mapped-before.ts). */
  readonly learned: Uint8Array;
  /** Records that are not among the written ones, or not any more: the target has them as they are. */
  readonly unchanged: number;
  /** The highest value of the watermark among the written records. */
  readonly highest: HighestValue | null;
}
/** Hashes of keys one after the other (changes/digests.ts), and how many records have none that can be told. */
export interface Seen {
  readonly keys: Uint8Array;
  readonly untold: number;
}
export type FromMapper =
  | MappedChunk
  | {
      kind: 'end';
      bytes: number;
      stopped: boolean;
      well: readonly number[];
      /** What was left out where no record was that it could be told with. */
      unread: MappedChunk['unread'];
    }
  | { kind: 'rejected'; rows: readonly FailedRow[] }
  | { kind: 'broken'; message: string };
/** A written record that the target refused: its index among them, why, and the row that was handed over. */
export interface Refused {
  readonly index: number;
  readonly failure: Failure;
  readonly cells: Cells;
  readonly answer: string | null;
}
/**
 * `settled`: the chunk is delivered and kept; `rejected`: asks for the full record of rows of a chunk, by their index among
 * the written ones.
 */
export type ToMapper =
  { kind: 'settled'; chunk: number } | { kind: 'rejected'; chunk: number; items: readonly Refused[] };
