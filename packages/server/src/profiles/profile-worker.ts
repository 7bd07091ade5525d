import { parentPort, workerData } from 'node:worker_threads';
import { Profiler, QualityCheck, type ExpectedCheck, type ExpectedField, type RawRow } from '@versicle/core';
import { recordsOf } from '@versicle/files';
import type { SourcePlan } from '../systems/kinds/kind.ts';

/** Reads a dataset twice in a thread of its own: once to know its values, once to see what speaks against which record. */

export interface ProfileJob {
  readonly plan: SourcePlan;
  readonly fields: readonly ExpectedField[];
  readonly checks: readonly ExpectedCheck[];
  readonly rowLimit: number | null;
}

const { plan, fields, checks, rowLimit } = workerData as ProfileJob;
const names = plan.fields.map((f) => f.name);

async function* batches(): AsyncGenerator<{ file: string; rows: readonly RawRow[] }> {
  let left = rowLimit ?? Infinity;
  for (const file of plan.files)
    for await (const { rows } of recordsOf(file.path, file.name, plan.format, () => undefined, names)) {
      if (left <= 0) return;
      yield { file: file.name, rows: rows.length > left ? rows.slice(0, left) : rows };
      left -= rows.length;
    }
}

async function main(): Promise<void> {
  const started = performance.now();
  const profiler = new Profiler(names);
  for await (const { rows } of batches()) profiler.push(rows);
  const profile = profiler.result();
  const check = new QualityCheck(names, fields, checks, profile);
  for await (const { rows, file } of batches()) check.push(rows, plan.files.length > 1 ? file : null);
  parentPort!.postMessage({ profile, quality: check.result(), millis: Math.round(performance.now() - started) });
}

main().catch((error: Error) => parentPort!.postMessage({ problem: error.message }));
