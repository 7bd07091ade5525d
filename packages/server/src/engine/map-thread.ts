import { MessageChannel, type MessagePort, Worker } from 'node:worker_threads';
import type { FromMapper, MapJob, ToMapper } from './messages.ts';

/** What a mapping thread takes up, one after the other. */
export interface MapOrder {
  readonly job: MapJob;
  readonly port: MessagePort;
}
interface Thread {
  readonly worker: Worker;
  gone: (error: Error) => void;
  leave: NodeJS.Timeout | undefined;
}

/** Threads that wait for the next run: to start one takes longer than to map what a small run reads. */
const idle: Thread[] = [];
const MOST_IDLE = 2;
const WAITS_MS = 20_000;

/** One run's mapping, in a thread of its own while it goes on. */
export class MapThread {
  private readonly thread: Thread;
  private readonly port: MessagePort;

  /** `gone`: the thread ended, or the mapping broke, before its work was done. */
  constructor(job: MapJob, heard: (message: FromMapper) => void, gone: (error: Error) => void) {
    this.thread = idle.pop() ?? started();
    clearTimeout(this.thread.leave);
    this.thread.worker.ref();
    this.thread.gone = gone;
    const { port1, port2 } = new MessageChannel();
    this.port = port1;
    port1.on('message', heard);
    this.thread.worker.postMessage({ job, port: port2 } satisfies MapOrder, [port2]);
  }
  tell(message: ToMapper): void {
    this.port.postMessage(message);
  }
  /** `isDone`: it told its end, and may take up another job. Any other is ended, whatever it is at. */
  async release(isDone: boolean): Promise<void> {
    const { thread } = this;
    this.port.close();
    if (!isDone || idle.length >= MOST_IDLE) return void (await thread.worker.terminate());
    thread.gone = () => undefined;
    thread.worker.unref();
    thread.leave = setTimeout(() => {
      // Nobody takes up one that is about to end.
      noLongerIdle(thread);
      void thread.worker.terminate();
    }, WAITS_MS).unref();
    idle.push(thread);
  }
}

function noLongerIdle(thread: Thread): void {
  const at = idle.indexOf(thread);
  if (at >= 0) idle.splice(at, 1);
}
function started(): Thread {
  const worker = new Worker(new URL('./map-worker.js', import.meta.url), {
    resourceLimits: { maxYoungGenerationSizeMb: 96 },
  });
  const thread: Thread = { worker, gone: () => undefined, leave: undefined };
  const ended = (error: Error): void => {
    noLongerIdle(thread);
    thread.gone(error);
  };
  worker.on('error', ended);
  worker.on('exit', () => ended(new Error('The mapping thread ended before its work was done.')));
  return thread;
}
