import type { MappingDocument, Rejection } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import { requireClaim, type Claim } from '../runs/runs.ts';
import type { RunChanges } from './changes/changes.ts';
import { asMapped } from './changes/only-changed.ts';
import type { Lane } from './lanes/lane.ts';
import { MapThread } from './map-thread.ts';
import type { FailedRow, FromMapper, MapJob, MappedChunk } from './messages.ts';
import { failureOf } from './refusals.ts';
import type { Unread } from './unread.ts';

export interface DriveEnd {
  readonly how: 'finished' | 'stopped' | 'aborted';
  /** Open failures that were read again and went well. */
  readonly well: readonly number[];
}
interface Driven {
  readonly db: Database;
  readonly claim: Claim;
  readonly document: MappingDocument;
  readonly signal: AbortSignal;
  readonly lane: Lane;
  readonly job: MapJob;
  /** Leaves out what was delivered before; null where all is sent. */
  readonly only: RunChanges['only'];
  /** Remembers what became of the records of a chunk. */
  readonly learn: (learned: Uint8Array) => readonly Statement[];
  readonly unread: Unread;
  readonly announce: () => Promise<void>;
}

/**
 * Lets the mapping thread run and carries its chunks on. Two belts, each in order: what the lane does with a chunk, and
 * keeping it in the store. While a chunk is kept, the lane has the next one already.
 */
export class Drive {
  private thread: MapThread | null = null;
  /** The records of a chunk that are asked for; none come any more once the thread is gone. */
  private answered: (rows: readonly FailedRow[]) => void = () => undefined;
  private taking: Promise<unknown> = Promise.resolve();
  private keeping: Promise<unknown> = Promise.resolve();
  private isGone = false;
  private isDone = false;

  constructor(private readonly driven: Driven) {}

  async go(): Promise<DriveEnd> {
    try {
      return await new Promise<DriveEnd>((resolve, reject) => this.carry(resolve, reject, this.driven.signal));
    } finally {
      // Whatever is on its way to target and store is waited for: nothing is written for a run that has ended.
      await Promise.allSettled([this.taking, this.keeping]);
      await this.thread?.release(this.isDone);
    }
  }

  private carry(resolve: (end: DriveEnd) => void, reject: (error: Error) => void, signal: AbortSignal): void {
    const aborted = (): void => resolve({ how: 'aborted', well: [] });
    if (signal.aborted) return aborted();
    signal.addEventListener('abort', aborted, { once: true });
    const gone = (error: Error): void => {
      this.isGone = true;
      this.answered([]);
      reject(error);
    };
    const heard = (message: FromMapper): void => {
      if (message.kind === 'broken') return gone(new Error(message.message));
      if (message.kind === 'rejected') return this.answered(message.rows);
      if (message.kind === 'end') this.isDone = true;
      if (signal.aborted) return;
      if (message.kind === 'end') {
        const { well } = message;
        this.driven.unread.add(message.unread);
        return resolve({ how: message.stopped ? 'stopped' : 'finished', well });
      }
      const taken = this.taking.then(() => this.take(message));
      this.taking = taken;
      const kept = this.keeping.then(() => this.keep(taken, message));
      this.keeping = kept;
      kept.then((stopped) => stopped && resolve({ how: 'stopped', well: [] }), reject);
      taken.catch(() => undefined);
    };
    this.thread = new MapThread(this.driven.job, heard, gone);
  }

  private async take(message: MappedChunk): Promise<readonly Statement[]> {
    const { lane, only } = this.driven;
    if (only === null) return lane.take(message, this.inFull);
    const { mapped, placeOf } = only(message);
    return lane.take(mapped, (of, rejections) => this.inFull(of, asMapped(rejections, placeOf)));
  }

  /** The full records of those that the target refused, from the mapping thread. */
  private readonly inFull = (mapped: MappedChunk, rejections: readonly Rejection[]): Promise<readonly FailedRow[]> => {
    if (this.isGone) return Promise.resolve([]);
    const items = rejections.map((r) => ({
      index: r.index,
      cells: r.cells,
      failure: failureOf(r, this.driven.document, mapped.insertOnly),
      answer: r.answer ?? null,
    }));
    return new Promise((answer) => {
      this.answered = answer;
      this.thread!.tell({ kind: 'rejected', chunk: mapped.chunk, items });
    });
  };

  /** Gives whether the document says that the run ends here. */
  private async keep(taken: Promise<readonly Statement[]>, mapped: MappedChunk): Promise<boolean> {
    const { db, claim, lane, unread, announce, learn } = this.driven;
    await db.transaction([
      requireClaim(claim),
      ...(await taken),
      ...learn(mapped.learned),
      ...unread.keep(mapped.unread),
    ]);
    lane.kept?.();
    await announce();
    if (mapped.stopped !== null) return true;
    this.thread!.tell({ kind: 'settled', chunk: mapped.chunk });
    return false;
  }
}
