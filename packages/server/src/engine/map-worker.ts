import { parentPort } from 'node:worker_threads';
import { HandOver } from './hand-over.ts';
import { mapAlone } from './map-alone.ts';
import { mapShared } from './map-shared.ts';
import type { MapOrder } from './map-thread.ts';
import type { FromMapper } from './messages.ts';

/** Reads and maps in a thread of its own: while one chunk is delivered, the next is made. One job after the other. */
let before: Promise<void> = Promise.resolve();
parentPort!.on('message', (order: MapOrder) => {
  before = before.then(() => carryOut(order));
});

async function carryOut({ job, port }: MapOrder): Promise<void> {
  try {
    await (job.cut.of === 'text' ? mapShared : mapAlone)(job, new HandOver(port));
  } catch (error) {
    port.postMessage({ kind: 'broken', message: (error as Error).message } satisfies FromMapper);
  }
}
