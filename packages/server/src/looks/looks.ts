import { quoted, refused } from '@versicle/core';
import { InThread, rowsFromMessage } from '@versicle/files';
import { Written } from '../http/written.ts';
import type { FolderLooks, FolderReadOptions } from '../systems/kinds/kind.ts';
import type { LookMethods } from './look-methods.ts';

/** How long a look may take, and how much memory beyond the base. */
export interface LookBounds {
  readonly seconds: number;
  readonly megabytes: number;
}
/**
 * Looks at a time; who asks for more waits. Runs don't wait for what people look at, and who looks doesn't wait for what goes
 * through all records.
 */
const PLACES = { runs: 2, looks: 3, whole: 2 } as const;
type Lane = keyof typeof PLACES;
const laneOf = (method: keyof LookMethods): Lane =>
  method === 'plan' ? 'runs' : method === 'count' || method === 'learn' || method === 'begin' ? 'whole' : 'looks';
/** A thread waits for the next look: to start one takes longer than most looks. */
const WAITS_MS = 20_000;

/**
 * Looks into files, each in a thread of its own: whatever a file holds, the server answers meanwhile. One that takes too long or
 * too much memory, or that nobody waits for any more, is ended.
 */
export class Looks {
  private readonly idle = new Map<InThread, NodeJS.Timeout>();
  private readonly lanes: Readonly<Record<Lane, { taken: number; readonly waiting: (() => void)[] }>> = {
    runs: { taken: 0, waiting: [] },
    looks: { taken: 0, waiting: [] },
    whole: { taken: 0, waiting: [] },
  };
  private readonly working = new Set<InThread>();

  constructor(private readonly bounds: LookBounds = { seconds: 60, megabytes: 300 }) {}

  /** `what` is what people call the file. Throws a fault, or why nobody waits any more. */
  async ask<M extends keyof LookMethods>(
    what: string,
    method: M,
    args: Parameters<LookMethods[M]>,
    signal?: AbortSignal,
  ): Promise<Awaited<ReturnType<LookMethods[M]>>> {
    const lane = laneOf(method);
    const thread = await this.take(lane, signal);
    try {
      return await this.bounded(what, thread, method, args, signal);
    } finally {
      this.giveBack(lane, thread);
    }
  }

  readonly folders: FolderLooks = {
    describe: (place, dataset) => this.ask(dataset, 'describe', [place, dataset]),
    plan: (place, dataset, options, signal) => this.ask(dataset, 'plan', [place, dataset, plain(options)], signal),
    rows: async (place, dataset, { signal, ...options }) =>
      new Written(await this.ask(dataset, 'rows', [place, dataset, options], signal)),
    count: (place, dataset, filter, signal) => this.ask(dataset, 'count', [place, dataset, filter], signal),
    learn: (place, dataset, signal) => this.ask(dataset, 'learn', [place, dataset], signal),
    read: (...args) => this.read(...args),
  };

  /** Batch by batch; the bound on time is that of each batch. */
  private async *read(
    ...[place, dataset, options, signal]: Parameters<FolderLooks['read']>
  ): ReturnType<FolderLooks['read']> {
    const thread = await this.take('whole', signal);
    let isAtEnd = false;
    try {
      await this.bounded(dataset, thread, 'begin', [place, dataset, plain(options)], signal);
      for (;;) {
        const batch = await this.bounded(dataset, thread, 'next', [], signal);
        if (batch === null) break;
        yield { ...batch, rows: rowsFromMessage(batch.rows) };
      }
      isAtEnd = true;
    } finally {
      if (!isAtEnd) await thread.close();
      this.giveBack('whole', thread);
    }
  }

  private async bounded<M extends keyof LookMethods>(
    what: string,
    thread: InThread,
    method: M,
    args: Parameters<LookMethods[M]>,
    signal?: AbortSignal,
  ): Promise<Awaited<ReturnType<LookMethods[M]>>> {
    // All records are counted and learned from, however many they are; whoever asked can leave it.
    const seconds = method === 'count' || method === 'learn' ? 86_400 : this.bounds.seconds;
    const { megabytes } = this.bounds;
    signal?.throwIfAborted();
    let stop: () => void = () => undefined;
    const stopped = new Promise<never>((_, reject) => {
      const end = (error: Error): void => {
        reject(error);
        void thread.close();
      };
      const left = (): void => end(signal!.reason as Error);
      signal?.addEventListener('abort', left, { once: true });
      const late = setTimeout(
        () =>
          end(
            refused(
              `To look at ${quoted(what)} takes longer than ${seconds} seconds; it was given up. Is it far larger than others of its kind? Settle its format, or bring a part of it.`,
            ),
          ),
        seconds * 1000,
      );
      stop = () => {
        clearTimeout(late);
        signal?.removeEventListener('abort', left);
      };
    });
    try {
      return await Promise.race([thread.call<Awaited<ReturnType<LookMethods[M]>>>(method, ...args), stopped]);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ERR_WORKER_OUT_OF_MEMORY')
        throw refused(
          `To look at ${quoted(what)} takes more than ${megabytes} MB of memory; it was given up. It has far larger values, or far more fields, than others of its kind.`,
        );
      throw error;
    } finally {
      stop();
    }
  }

  private async take(lane: Lane, signal: AbortSignal | undefined): Promise<InThread> {
    if (this.lanes[lane].taken >= PLACES[lane]) await this.turn(lane, signal);
    else this.lanes[lane].taken++;
    const [waits] = this.idle;
    if (waits) {
      const [thread, leave] = waits;
      clearTimeout(leave);
      this.idle.delete(thread);
      this.working.add(thread);
      if (!thread.hasEnded) {
        thread.wake();
        return thread;
      }
      this.working.delete(thread);
    }
    const started = new InThread(new URL('./look-worker.js', import.meta.url), {
      resourceLimits: { maxOldGenerationSizeMb: this.bounds.megabytes },
    });
    this.working.add(started);
    return started;
  }
  /** Waits until another look hands its place on. */
  private turn(lane: Lane, signal: AbortSignal | undefined): Promise<void> {
    const { waiting } = this.lanes[lane];
    return new Promise((resolve, reject) => {
      const mine = (): void => {
        signal?.removeEventListener('abort', left);
        resolve();
      };
      const left = (): void => {
        waiting.splice(waiting.indexOf(mine), 1);
        reject(signal!.reason as Error);
      };
      signal?.addEventListener('abort', left, { once: true });
      waiting.push(mine);
    });
  }
  private giveBack(lane: Lane, thread: InThread): void {
    this.working.delete(thread);
    const next = this.lanes[lane].waiting.shift();
    if (!next) this.lanes[lane].taken--;
    if (!thread.hasEnded) {
      thread.rest();
      const leave = setTimeout(() => {
        this.idle.delete(thread);
        void thread.close();
      }, WAITS_MS).unref();
      this.idle.set(thread, leave);
    }
    next?.();
  }

  /** Looks that go on fail. */
  async close(): Promise<void> {
    const threads = [...this.working, ...this.idle.keys()];
    for (const leave of this.idle.values()) clearTimeout(leave);
    this.idle.clear();
    await Promise.all(threads.map((thread) => thread.close()));
  }
}

/** Whoever reads may hear of requests, which a folder has none of; only plain data goes to a thread. */
const plain = ({ withDoc, only, as }: FolderReadOptions): FolderReadOptions => ({
  ...(withDoc === undefined ? {} : { withDoc }),
  ...(only === undefined ? {} : { only }),
  ...(as === undefined ? {} : { as }),
});
