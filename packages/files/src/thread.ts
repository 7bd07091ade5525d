import { Unreadable, type BlocksOfFile } from '@versicle/core';
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
    this.worker.on('message', ({ id, value, error }: Answer) => {
      const waiting = this.waiting.get(id);
      this.waiting.delete(id);
      if (error === undefined) waiting?.resolve(value);
      else waiting?.reject(new Error(error));
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
  async close(): Promise<void> {
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
      port.postMessage({ id, error: (error as Error).message } satisfies Answer);
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
    const read = block.read.map((row) => (Array.isArray(row) ? row : unreadableOf(row as Unreadable)));
    return { block: { ...block, read }, ...rest };
  });
}
const unreadableOf = ({ message, raw }: Unreadable): Unreadable => new Unreadable(message, raw);
