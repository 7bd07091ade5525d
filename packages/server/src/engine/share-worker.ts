import { parentPort, workerData } from 'node:worker_threads';
import { buffersOf } from '@versicle/core';
import { serveCalls } from '@versicle/files';
import type { MapJob, MappedChunk } from './messages.ts';
import { ShareHere } from './share.ts';

/** A share in mapping, in a thread of its own. */
serveCalls(parentPort!, new ShareHere(workerData as MapJob), (value) =>
  ((value as Partial<MappedChunk> | undefined)?.parts ?? []).flatMap((part) => buffersOf(part.content)),
);
