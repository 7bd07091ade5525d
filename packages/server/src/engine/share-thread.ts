import { Worker } from 'node:worker_threads';
import type { BlocksOfFile } from '@versicle/core';
import type { FailedRow, MapJob, MappedChunk, Refused } from './messages.ts';
import type { Mapped, Share, Twice } from './share.ts';

export interface ShareCall {
  readonly id: number;
  readonly method: keyof Share;
  readonly args: readonly unknown[];
}
export interface ShareAnswer {
  readonly id: number;
  readonly value?: unknown;
  readonly error?: string;
}
interface Waiting {
  resolve(value: unknown): void;
  reject(error: Error): void;
}

/** A share in a thread of its own, which ends with the one that made it. */
export class ShareInThread implements Share {
  private readonly worker: Worker;
  private readonly waiting = new Map<number, Waiting>();
  private nextId = 1;
  private ended: Error | null = null;

  constructor(job: MapJob) {
    this.worker = new Worker(new URL('./share-worker.js', import.meta.url), {
      workerData: job,
      resourceLimits: { maxYoungGenerationSizeMb: 96 },
    });
    this.worker.on('message', ({ id, value, error }: ShareAnswer) => {
      const waiting = this.waiting.get(id);
      this.waiting.delete(id);
      if (error === undefined) waiting?.resolve(value);
      else waiting?.reject(new Error(error));
    });
    this.worker.on('error', (error) => this.end(error));
    this.worker.on('exit', () => this.end(new Error('A mapping thread ended before its work was done.')));
  }
  private end(error: Error): void {
    this.ended ??= error;
    for (const { reject } of this.waiting.values()) reject(this.ended);
    this.waiting.clear();
  }
  private call<T>(method: keyof Share, ...args: readonly unknown[]): Promise<T> {
    if (this.ended) return Promise.reject(this.ended);
    const id = this.nextId++;
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve: resolve as (value: unknown) => void, reject });
      this.worker.postMessage({ id, method, args } satisfies ShareCall);
    });
  }

  map(chunk: number, blocks: readonly BlocksOfFile[]): Promise<Mapped> {
    return this.call('map', chunk, blocks);
  }
  finish(chunk: number, twice: Twice, bytes: number): Promise<MappedChunk> {
    return this.call('finish', chunk, twice, bytes);
  }
  refused(chunk: number, items: readonly Refused[]): Promise<FailedRow[]> {
    return this.call('refused', chunk, items);
  }
  forget(chunk: number): Promise<void> {
    return this.call('forget', chunk);
  }
  well(): Promise<readonly number[]> {
    return this.call('well');
  }
}
