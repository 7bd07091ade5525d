import { parentPort, workerData } from 'node:worker_threads';
import { profilePart, type RecordsToRead } from './profile-records.ts';

/** Profiles every other field of a dataset in a thread of its own. */
profilePart(workerData as RecordsToRead, 1).then(
  (profiler) => parentPort!.postMessage({ part: profiler.profiled() }),
  (error: Error) => parentPort!.postMessage({ problem: error.message }),
);
