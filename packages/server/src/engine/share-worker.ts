import { parentPort, workerData } from 'node:worker_threads';
import { buffersOf } from '@versicle/core';
import type { MapJob, MappedChunk } from './messages.ts';
import { ShareHere } from './share.ts';
import type { ShareAnswer, ShareCall } from './share-thread.ts';

/** A share in mapping, in a thread of its own; calls are served one after the other. */
const share = new ShareHere(workerData as MapJob);
const port = parentPort!;

async function serve({ id, method, args }: ShareCall): Promise<void> {
  try {
    const value = await (share[method] as (...args: unknown[]) => Promise<unknown>).apply(share, [...args]);
    const parts = method === 'finish' ? (value as MappedChunk).parts : [];
    port.postMessage(
      { id, value } satisfies ShareAnswer,
      parts.flatMap((part) => buffersOf(part.content)),
    );
  } catch (error) {
    port.postMessage({ id, error: (error as Error).message } satisfies ShareAnswer);
  }
}
let last = Promise.resolve();
port.on('message', (call: ShareCall) => {
  last = last.then(() => serve(call));
});
