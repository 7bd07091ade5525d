import { parentPort, workerData } from 'node:worker_threads';
import { QualityCheck, type ExpectedCheck, type ExpectedField } from '@versicle/core';
import { batchesOf, profileRecords, type RecordsToRead } from './profile-records.ts';

/** Reads a dataset twice in a thread of its own: once to know its values, once to see what speaks against which record. */

export interface ProfileJob extends RecordsToRead {
  readonly fields: readonly ExpectedField[];
  readonly checks: readonly ExpectedCheck[];
}

const job = workerData as ProfileJob;

async function main(): Promise<void> {
  const started = performance.now();
  const { plan, fields, checks } = job;
  const profile = await profileRecords(job);
  const names = plan.fields.map((f) => f.name);
  const check = new QualityCheck(names, fields, checks, profile);
  for await (const { rows, file } of batchesOf(job)) check.push(rows, plan.files.length > 1 ? file : null);
  parentPort!.postMessage({ profile, quality: check.result(), millis: Math.round(performance.now() - started) });
}

main().catch((error: Error) => parentPort!.postMessage({ problem: error.message }));
