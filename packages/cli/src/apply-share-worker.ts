import { parentPort, workerData } from 'node:worker_threads';
import { serveCalls } from '@versicle/files';
import { ApplyShare, type Applied, type ApplyJob } from './apply-share.ts';

/** A share in `apply`, in a thread of its own. */
serveCalls(parentPort!, new ApplyShare(workerData as ApplyJob), (value) => {
  const { out, failed, remarks } = value as Partial<Applied>;
  return [out, failed, remarks].flatMap((bytes) => (bytes ? [bytes.buffer as ArrayBuffer] : []));
});
