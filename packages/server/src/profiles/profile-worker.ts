import { parentPort, workerData } from 'node:worker_threads';
import type { Knowledge } from '@versicle/contract';
import { QualityCheck, type ExpectedCheck, type ExpectedField } from '@versicle/core';
import { likelyReferences, singleKeys, type KnownKey, type LikelyReference, type SingleKey } from './references.ts';
import { packed } from '../store/packed.ts';
import { batchesOf, profileRecords, type RecordsToRead } from './profile-records.ts';

/** Reads a dataset twice in a thread of its own: once to know its values, once to see what speaks against which record. */

export interface ProfileJob extends RecordsToRead {
  readonly fields: readonly ExpectedField[];
  readonly checks: readonly ExpectedCheck[];
  /** Of other datasets, to which fields may refer. */
  readonly keys: readonly KnownKey[];
}
/** What the thread tells: first which references are likely, which only who asked can prove, then what it found. */
export type ProfileMessage =
  { readonly likely: readonly LikelyReference[] } | { readonly found: ProfileFound } | { readonly problem: string };
export interface ProfileFound {
  /** JSON as it is kept. Made here: of tens of thousands of fields it takes long. */
  readonly packed: string;
  readonly records: number;
  readonly clean: number;
  readonly keys: readonly SingleKey[];
}
type Proved = NonNullable<Knowledge['result']>['references'];

const job = workerData as ProfileJob;

async function main(): Promise<void> {
  const started = performance.now();
  const { plan, fields, checks, keys } = job;
  const profile = await profileRecords(job);
  const names = plan.fields.map((f) => f.name);
  const check = new QualityCheck(names, fields, checks, profile);
  for await (const { rows, file } of batchesOf(job)) check.push(rows, plan.files.length > 1 ? file : null);
  const quality = check.result();
  const millis = Math.round(performance.now() - started);
  const references = await proved(likelyReferences(keys, profile));
  tell({
    found: {
      packed: packed(JSON.stringify({ profile, quality, references, millis })),
      records: quality.records,
      clean: quality.clean,
      keys: singleKeys(profile),
    },
  });
}
const tell = (message: ProfileMessage): void => parentPort!.postMessage(message);
function proved(likely: readonly LikelyReference[]): Promise<Proved> {
  tell({ likely });
  return new Promise((resolve) => parentPort!.once('message', resolve));
}

main().catch((error: Error) => tell({ problem: error.message }));
