import { Worker } from 'node:worker_threads';
import { buffersOf, type Delivered, type Delivery } from '@versicle/core';
import { DatabaseError, type Database, type Statement, type Swap, type Swapped } from '../database.ts';
import type { Row } from '../session.ts';
import type { PgliteOptions } from './pglite-here.ts';

/** A call of the port as it goes to the worker, and what comes back; `id` 0 says that the database is open. */
export interface Call {
  readonly id: number;
  readonly method: keyof Database;
  readonly args: readonly unknown[];
}
export interface Answer {
  readonly id: number;
  readonly value?: unknown;
  readonly error?: { readonly message: string; readonly code: string | null; readonly detail: string | null };
}
interface Waiting {
  resolve(value: unknown): void;
  reject(error: Error): void;
}

/**
 * A PGlite in a worker thread of its own, so that the HTTP loop stays free. The messages are our own: what is under way must
 * fail when the thread dies, refusals keep their SQLSTATE, and chunks are handed over, not copied.
 */
export class PgliteDatabase implements Database {
  private readonly waiting = new Map<number, Waiting>();
  private nextId = 1;
  private ended: Error | null = null;
  private closing = false;
  /** Hears that the thread of the database ended although nobody closed it. */
  died: (() => void) | null = null;

  private constructor(private readonly worker: Worker) {}

  static open(directory: string, options: PgliteOptions = {}): Promise<PgliteDatabase> {
    const worker = new Worker(new URL('./pglite-worker.js', import.meta.url), { workerData: { directory, options } });
    const database = new PgliteDatabase(worker);
    return new Promise((resolve, reject) => {
      worker.on('message', (answer: Answer) => {
        if (answer.id === 0) resolve(database);
        else database.hear(answer);
      });
      worker.on('error', (error) => {
        database.end(error);
        reject(error);
      });
      worker.on('exit', () => {
        const expected = database.closing;
        database.end(new Error('The database has been closed.'));
        if (!expected) database.died?.();
      });
    });
  }

  private hear({ id, value, error }: Answer): void {
    const waiting = this.waiting.get(id);
    this.waiting.delete(id);
    if (!error) waiting?.resolve(value);
    else if (error.code === null) waiting?.reject(new Error(error.message));
    else waiting?.reject(new DatabaseError(error.message, error.code, error.detail));
  }
  private end(error: Error): void {
    this.ended ??= error;
    for (const { reject } of this.waiting.values()) reject(error);
    this.waiting.clear();
  }

  private call<M extends keyof Database>(
    method: M,
    args: readonly unknown[],
    transfer: ArrayBuffer[] = [],
  ): Promise<unknown> {
    if (this.ended) return Promise.reject(this.ended);
    const id = this.nextId++;
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve, reject });
      this.worker.postMessage({ id, method, args } satisfies Call, transfer);
    });
  }

  query<T extends Row = Row>(sql: string, params: readonly unknown[] = []): Promise<T[]> {
    return this.call('query', [sql, params]) as Promise<T[]>;
  }
  async exec(sql: string): Promise<void> {
    await this.call('exec', [sql]);
  }
  transaction(statements: readonly Statement[]): Promise<Row[][]> {
    return this.call('transaction', [statements]) as Promise<Row[][]>;
  }
  async takeOn(source: string, claim: number): Promise<void> {
    await this.call('takeOn', [source, claim]);
  }
  deliver(delivery: Delivery): Promise<Delivered> {
    const buffers = delivery.parts.flatMap((part) => buffersOf(part.content));
    return this.call('deliver', [delivery], buffers) as Promise<Delivered>;
  }
  swap(swap: Swap): Promise<Swapped> {
    return this.call('swap', [swap]) as Promise<Swapped>;
  }
  async discard(source: string): Promise<void> {
    await this.call('discard', [source]);
  }
  async close(): Promise<void> {
    if (this.ended) return;
    this.closing = true;
    await this.call('close', []);
    await this.worker.terminate();
  }
}
