import { parentPort, workerData } from 'node:worker_threads';
import { HandOver } from './hand-over.ts';
import { mapAlone } from './map-alone.ts';
import { mapShared } from './map-shared.ts';
import type { FromMapper, MapJob } from './messages.ts';

/** Reads and maps in a thread of its own: while one chunk is delivered, the next is made. */
const job = workerData as MapJob;
const port = parentPort!;
const broken = (message: string): void => port.postMessage({ kind: 'broken', message } satisfies FromMapper);

(job.cut.of === 'text' ? mapShared : mapAlone)(job, new HandOver(port)).catch((error: Error) => broken(error.message));
