import { Worker } from 'node:worker_threads';
import { Aborted, type Delivered, type Delivery, type MappingDocument } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { Target, TargetRun } from '../systems/kinds/kind.ts';
import { isNumbered } from './chunk.ts';
import type { FailedRow, FromMapper, MapJob, MappedChunk, ToMapper } from './messages.ts';
import { failureOf } from './refusals.ts';
import { requireClaim, type Claim } from '../runs/runs.ts';
import { settleChunk, type Settled } from './settle.ts';
import { deliveryMode } from './write-mode.ts';

export interface DriveEnd {
  readonly how: 'finished' | 'stopped' | 'aborted';
  /** Open failures that were read again and went well. */
  readonly well: readonly number[];
}
interface Driven {
  readonly db: Database;
  readonly claim: Claim;
  readonly run: TargetRun & { readonly id: number; readonly mapping: string; readonly revision: number };
  readonly document: MappingDocument;
  readonly target: Target;
  readonly job: MapJob;
  /** Does the same again while a system can't be reached. */
  readonly patiently: <T>(work: () => Promise<T>) => Promise<T>;
  readonly announce: () => Promise<void>;
}

/**
 * Lets the mapping thread run and carries its chunks on. Two belts, each in order: delivery to the target, and keeping in
 * the store. While a chunk is kept, the next one is delivered already; the target's journal makes that safe.
 */
export class Drive {
  private readonly worker: Worker;
  private answered: (rows: readonly FailedRow[]) => void = () => undefined;
  private delivering: Promise<unknown> = Promise.resolve();
  private keeping: Promise<unknown> = Promise.resolve();
  private exited = false;

  constructor(private readonly driven: Driven) {
    this.worker = new Worker(new URL('./map-worker.js', import.meta.url), {
      workerData: driven.job,
      resourceLimits: { maxYoungGenerationSizeMb: 96 },
    });
    this.worker.on('exit', () => (this.exited = true));
  }

  async go(): Promise<DriveEnd> {
    const { signal } = this.driven.run;
    try {
      return await new Promise<DriveEnd>((resolve, reject) => this.carry(resolve, reject, signal));
    } finally {
      // Whatever is on its way to target and store is waited for: nothing is written for a run that has ended.
      await Promise.allSettled([this.delivering, this.keeping]);
      await this.worker.terminate();
    }
  }

  private carry(resolve: (end: DriveEnd) => void, reject: (error: Error) => void, signal: AbortSignal): void {
    const aborted = (): void => resolve({ how: 'aborted', well: [] });
    if (signal.aborted) return aborted();
    signal.addEventListener('abort', aborted, { once: true });
    this.worker.on('error', reject);
    this.worker.on('exit', () => reject(new Error('The mapping thread ended before its work was done.')));
    this.worker.on('message', (message: FromMapper) => {
      if (message.kind === 'broken') return reject(new Error(message.message));
      if (message.kind === 'rejected') return this.answered(message.rows);
      if (signal.aborted) return;
      if (message.kind === 'end') {
        const { well } = message;
        return resolve({ how: message.stopped ? 'stopped' : 'finished', well });
      }
      const delivered = this.delivering.then(() => this.deliver(message));
      this.delivering = delivered;
      const kept = this.keeping.then(() => this.keep(delivered, message));
      this.keeping = kept;
      kept.then((stopped) => stopped && resolve({ how: 'stopped', well: [] }), reject);
      delivered.catch(() => undefined);
    });
  }

  private async deliver(mapped: MappedChunk): Promise<Settled> {
    const { run, document, target, patiently } = this.driven;
    if (run.signal.aborted) throw new Aborted();
    const delivery = this.deliveryOf(mapped);
    const delivered = await patiently(() => target.deliver(delivery, run));
    const settled = {
      run: run.id,
      mapping: run.mapping,
      revision: run.revision,
      chunk: mapped,
      delivered,
      numbered: isNumbered(document),
    };
    return { ...settled, rejected: await this.rejected(mapped, delivered) };
  }
  /** The full records of those that the target refused, from the mapping thread. */
  private rejected(mapped: MappedChunk, { rejections }: Delivered): Promise<readonly FailedRow[]> {
    if (rejections.length === 0 || this.exited) return Promise.resolve([]);
    const items = rejections.map((r) => ({
      index: r.index,
      cells: r.cells,
      failure: failureOf(r, this.driven.document, mapped.insertOnly),
      answer: r.answer ?? null,
    }));
    return new Promise((answer) => {
      this.answered = answer;
      this.worker.once('exit', () => answer([]));
      this.worker.postMessage({ kind: 'rejected', chunk: mapped.chunk, items } satisfies ToMapper);
    });
  }

  /** Gives whether the document says that the run ends here. */
  private async keep(delivered: Promise<Settled>, mapped: MappedChunk): Promise<boolean> {
    const settled = await delivered;
    if (settled.rejected.length !== settled.delivered.rejections.length)
      throw new Error('The mapping thread ended before it could say which records were refused.');
    await this.driven.db.transaction([requireClaim(this.driven.claim), ...settleChunk(settled)]);
    await this.driven.announce();
    if (mapped.stopped !== null) return true;
    this.worker.postMessage({ kind: 'settled', chunk: mapped.chunk } satisfies ToMapper);
    return false;
  }

  private deliveryOf(mapped: MappedChunk): Delivery {
    const { run, document } = this.driven;
    const { chunk, parts } = mapped;
    const mode = mapped.insertOnly ? 'insert' : deliveryMode(document, run.kind === 'replay');
    return { source: run.uid, run: run.id, chunk, mode, parts };
  }
}
