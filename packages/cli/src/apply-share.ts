import {
  ByteWriter,
  compileMapping,
  KeyPacker,
  keyTexts,
  mergeUnknown,
  noCounts,
  RecordFeed,
  refusedByFile,
  rowFormat,
  sourceFieldsFor,
  type BlocksOfFile,
  type Counts,
  type DeclaredMarks,
  type Failure,
  type FeedFacts,
  type FileFormat,
  type MappingDocument,
  type Mapped,
  type Outcome,
  type RowFormat,
  type Share,
  type TextOutput,
  type UnknownValues,
  type Twice,
} from '@versicle/core';
import { blocksFromMessage, InThread, recordsOfBlock } from '@versicle/files';

/** What a share in `apply` is told at its start; plain data, so that it can be sent to a thread. */
export interface ApplyJob {
  readonly document: MappingDocument;
  readonly names: readonly string[];
  readonly marks: DeclaredMarks;
  readonly facts: FeedFacts;
  readonly format: FileFormat;
  readonly output: TextOutput;
  readonly failed: boolean;
  readonly remarks: boolean;
}
/** What was made of a chunk: text for each of the files, and what is counted. */
export interface Applied {
  readonly out: Uint8Array;
  readonly failed: Uint8Array;
  readonly remarks: Uint8Array;
  readonly counts: Counts;
  /** What the records have and no field is for. */
  readonly unknown: UnknownValues;
  /** The row at which the document says that the run ends. */
  readonly stopped: number | null;
}

/** Reads, maps and writes some chunks of a file. */
export class ApplyShare implements Share<Applied> {
  private readonly feed: RecordFeed;
  private readonly format: RowFormat;
  private readonly keys: KeyPacker;
  private readonly chunks = new Map<number, { made: Applied; blocks: readonly BlocksOfFile[] }>();
  private readonly out = new ByteWriter(1024 * 1024);
  private readonly failed = new ByteWriter();
  private readonly remarks = new ByteWriter();

  constructor(private readonly job: ApplyJob) {
    const mapping = compileMapping(job.document, sourceFieldsFor(job.document, job.names, job.marks));
    this.feed = new RecordFeed(mapping, { ...job.facts, keysElsewhere: true });
    this.format = rowFormat(job.output, mapping.columns);
    this.keys = new KeyPacker(mapping.keys.length);
  }

  async map(chunk: number, given: readonly BlocksOfFile[]): Promise<Mapped> {
    const blocks = blocksFromMessage(given);
    const made = this.applied(blocks, new Map());
    this.chunks.set(chunk, { made, blocks });
    return { keys: this.keys.take(), stopped: made.stopped !== null };
  }
  /** Where keys came before, which is seldom, the chunk is mapped once more, without the records that have them. */
  async finish(chunk: number, twice: Twice): Promise<Applied> {
    const { made, blocks } = this.chunks.get(chunk)!;
    this.chunks.delete(chunk);
    if (twice.length === 0) return made;
    const again = this.applied(blocks, new Map(twice));
    this.keys.take();
    return again;
  }

  private applied(blocks: readonly BlocksOfFile[], twice: ReadonlyMap<number, readonly number[]>): Applied {
    const { feed, job } = this;
    const counts = noCounts();
    let letThrough = 0;
    let left: UnknownValues = new Map();
    let stopped: number | null = null;
    reading: for (const { block, file, before } of blocks) {
      const { firstRow, rows, unknown } = recordsOfBlock(block, job.format, feed.names);
      for (let i = 0; i < rows.length; i++) {
        const fed = feed.take(rows[i]!, { row: before + firstRow + i, fileRow: firstRow + i, file });
        let { outcome } = fed;
        if (outcome.kind === 'written') {
          this.keys.add(keyTexts(outcome.values, feed.mapping));
          const keys = twice.get(letThrough++);
          if (keys !== undefined) outcome = feed.refusedFor(outcome, keys);
          outcome = asWritten(outcome, this.format, job.document);
        }
        const { row } = fed.place;
        counts.read++;
        counts[outcome.kind]++;
        counts.remarks += outcome.remarks.length;
        if (outcome.kind === 'written') this.format.row(this.out, outcome.values);
        if (job.failed && outcome.failures.length > 0) this.failed.text(failureLines(row, outcome.failures));
        if (job.remarks && outcome.remarks.length > 0) this.remarks.text(failureLines(row, outcome.remarks));
        if (!outcome.stop) continue;
        stopped = row;
        break reading;
      }
      left = mergeUnknown([left, unknown]);
    }
    return {
      out: this.out.take(),
      failed: this.failed.take(),
      remarks: this.remarks.take(),
      counts,
      unknown: left,
      stopped,
    };
  }
}

/** What became of a record, when the file that it goes into was asked, too. */
export function asWritten(outcome: Outcome, file: Pick<RowFormat, 'cantWrite'>, document: MappingDocument): Outcome {
  const cant = outcome.kind === 'written' ? file.cantWrite(outcome.values) : null;
  return cant === null ? outcome : refusedByFile(outcome, cant, document);
}

/** A line of JSON for each failure, or remark, of a record. */
export const failureLines = (row: number, list: readonly Failure[]): string =>
  list
    .map(
      ({ line, target, cause, message, values }) =>
        `${JSON.stringify({ row, line, target, cause, message, values })}\n`,
    )
    .join('');

/** A share in a thread of its own (apply-share-worker.ts). */
export class ApplyShareInThread implements Share<Applied> {
  private readonly thread: InThread;

  constructor(program: URL, job: ApplyJob) {
    this.thread = new InThread(program, { workerData: job, resourceLimits: { maxYoungGenerationSizeMb: 96 } });
  }
  map(chunk: number, blocks: readonly BlocksOfFile[]): Promise<Mapped> {
    return this.thread.call('map', chunk, blocks);
  }
  finish(chunk: number, twice: Twice): Promise<Applied> {
    return this.thread.call('finish', chunk, twice);
  }
  close(): Promise<void> {
    return this.thread.close();
  }
}
