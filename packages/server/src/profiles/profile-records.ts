import { Worker } from 'node:worker_threads';
import { Profiler, type DatasetProfile, type ProfiledFields, type RawRow } from '@versicle/core';
import { recordsOf } from '@versicle/files';
import type { SourcePlan } from '../systems/kinds/kind.ts';

export interface RecordsToRead {
  readonly plan: SourcePlan;
  readonly rowLimit: number | null;
}

/** Below so many bytes a second thread starts no sooner than the first has finished. */
const WORTH_TWO_THREADS = 4e6;

export async function* batchesOf({
  plan,
  rowLimit,
}: RecordsToRead): AsyncGenerator<{ file: string; rows: readonly RawRow[] }> {
  const names = plan.fields.map((f) => f.name);
  let left = rowLimit ?? Infinity;
  for (const file of plan.files)
    for await (const { rows } of recordsOf(file.path, file.name, plan.format, () => undefined, names)) {
      if (left <= 0) return;
      yield { file: file.name, rows: rows.length > left ? rows.slice(0, left) : rows };
      left -= rows.length;
    }
}

/** Profiles every other field, beginning with the first (0) or the second (1). */
export async function profilePart(records: RecordsToRead, part: number): Promise<Profiler> {
  return profile(records, (at) => at % 2 === part);
}
async function profile(records: RecordsToRead, only?: (at: number) => boolean): Promise<Profiler> {
  const profiler = new Profiler(
    records.plan.fields.map((f) => f.name),
    only,
  );
  for await (const { rows } of batchesOf(records)) profiler.push(rows);
  return profiler;
}

/**
 * Counting values takes longer than reading them, and texts are dear to hand from thread to thread: where there is enough
 * to read, two threads read the same records, each profiling half of the fields.
 */
export async function profileRecords(records: RecordsToRead): Promise<DatasetProfile> {
  const bytes = records.plan.files.reduce((sum, file) => sum + file.bytes, 0);
  if (bytes < WORTH_TWO_THREADS || records.plan.fields.length < 2) return (await profile(records)).result();
  const worker = new Worker(new URL('./profile-part-worker.js', import.meta.url), { workerData: records });
  const otherHalf = new Promise<ProfiledFields>((resolve, reject) => {
    worker.on('message', (message: { part: ProfiledFields } | { problem: string }) =>
      'part' in message ? resolve(message.part) : reject(new Error(message.problem)),
    );
    worker.on('error', reject);
    worker.on('exit', () => reject(new Error('Profiling was stopped.')));
  });
  try {
    const [own, other] = await Promise.all([profilePart(records, 0), otherHalf]);
    return own.result([other]);
  } finally {
    await worker.terminate();
  }
}
