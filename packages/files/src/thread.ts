import {
  Fault,
  isFault,
  Unreadable,
  type BlocksOfFile,
  type FaultCode,
  type FaultDetail,
  type RawRow,
} from '@versicle/core';
import { Worker, type MessagePort, type WorkerOptions } from 'node:worker_threads';

interface Call {
  readonly id: number;
  readonly method: string;
  readonly args: readonly unknown[];
}
interface Answer {
  readonly id: number;
  readonly value?: unknown;
  readonly error?: string;
  /** What people may see of it. */
  readonly fault?: { readonly code: FaultCode; readonly details: readonly FaultDetail[] };
}
interface Waiting {
  resolve(value: unknown): void;
  reject(error: Error): void;
}

/** An object in a thread of its own, whose methods are called by messages. What is under way fails when the thread ends. */
export class InThread {
  private readonly worker: Worker;
  private readonly waiting = new Map<number, Waiting>();
  private nextId = 1;
  private ended: Error | null = null;

  constructor(program: URL, options: WorkerOptions) {
    this.worker = new Worker(program, options);
    this.worker.on('message', ({ id, value, error, fault }: Answer) => {
      const waiting = this.waiting.get(id);
      this.waiting.delete(id);
      if (error === undefined) waiting?.resolve(value);
      else waiting?.reject(fault ? new Fault(fault.code, error, fault.details) : new Error(error));
    });
    this.worker.on('error', (error) => this.end(error));
    this.worker.on('exit', () => this.end(new Error('A thread ended before its work was done.')));
  }
  private end(error: Error): void {
    this.ended ??= error;
    for (const { reject } of this.waiting.values()) reject(this.ended);
    this.waiting.clear();
  }

  call<T>(method: string, ...args: readonly unknown[]): Promise<T> {
    if (this.ended) return Promise.reject(this.ended);
    const id = this.nextId++;
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve: resolve as (value: unknown) => void, reject });
      this.worker.postMessage({ id, method, args } satisfies Call);
    });
  }
  /** While nothing is asked of it, it does not keep the process going. */
  rest(): void {
    this.worker.unref();
  }
  wake(): void {
    this.worker.ref();
  }
  get hasEnded(): boolean {
    return this.ended !== null;
  }
  async close(): Promise<void> {
    this.end(new Error('A thread was ended before its work was done.'));
    await this.worker.terminate();
  }
}

/** Answers the calls of an InThread, one after the other; `moved`: memory that goes along with an answer. */
export function serveCalls(
  port: MessagePort,
  target: object,
  moved: (value: unknown) => ArrayBuffer[] = () => [],
): void {
  const methods = target as Record<string, (...args: unknown[]) => Promise<unknown>>;
  const serve = async ({ id, method, args }: Call): Promise<void> => {
    try {
      const value = await methods[method]!(...args);
      port.postMessage({ id, value } satisfies Answer, moved(value));
    } catch (error) {
      const fault = isFault(error) ? { fault: { code: error.code, details: error.details } } : {};
      port.postMessage({ id, error: (error as Error).message, ...fault } satisfies Answer);
    }
  };
  let last = Promise.resolve();
  port.on('message', (call: Call) => {
    last = last.then(() => serve(call));
  });
}

/** Blocks as they come in a message: those carry no classes. */
export function blocksFromMessage(blocks: readonly BlocksOfFile[]): BlocksOfFile[] {
  return blocks.map(({ block, ...rest }) => {
    if (!('read' in block)) return { block, ...rest };
    return { block: { ...block, read: rowsFromMessage(block.read) }, ...rest };
  });
}
export function rowsFromMessage(rows: readonly RawRow[]): RawRow[] {
  return rows.map((row) => (Array.isArray(row) ? row : unreadableOf(row as Unreadable)));
}
const unreadableOf = ({ message, raw }: Unreadable): Unreadable => new Unreadable(message, raw);
