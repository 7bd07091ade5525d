import { parentPort, workerData } from 'node:worker_threads';
import {
  compileMapping,
  mergeUnknown,
  sourceFieldsFor,
  timestampOfMillis,
  unknownWords,
  WholeTrial,
  type KeyMaps,
  type MappingDocument,
  type TrialReport,
  type Unknown,
} from '@versicle/core';
import { datasetRecords, openRecordFile, TextFile } from '@versicle/files';
import { beforeOfPlan, marksOfPlan, type SourcePlan } from '../systems/kinds/kind.ts';

/** Tries a document on records in a thread of its own; what it would write, and what fails, goes into two files. */

export interface TrialJob {
  readonly document: MappingDocument;
  readonly plan: SourcePlan;
  readonly rowLimit: number | null;
  readonly written: string;
  readonly failed: string;
  readonly keyMaps: KeyMaps;
  /** What plans give to rules. */
  readonly variables: Readonly<Record<string, string>>;
}
/** With a sentence for each path that the records have and the structure of their source does not know. */
export type ToldReport = TrialReport & { readonly unread: readonly string[] };
export type FromTrial =
  | { readonly progress: { readonly records: number; readonly bytes: number } }
  | { readonly report: ToldReport }
  | { readonly problem: string };

const { document, plan, rowLimit, written, failed, keyMaps, variables } = workerData as TrialJob;
const tell = (message: FromTrial): void => parentPort!.postMessage(message);

async function main(): Promise<void> {
  const names = plan.fields.map((f) => f.name);
  const mapping = compileMapping(document, sourceFieldsFor(document, names, marksOfPlan(plan)));
  const out = await openRecordFile(written, mapping.columns);
  const faults = new TextFile(failed);
  const trial = new WholeTrial(
    mapping,
    { startedAt: timestampOfMillis(Date.now()), keyMaps, variables, before: beforeOfPlan(plan) },
    {
      written: (values) => out.write(values),
      failed: (row, failures) => {
        for (const { line, target, cause, message, values } of failures)
          faults.write(`${JSON.stringify({ row, line, target, cause, message, values })}\n`);
      },
    },
  );
  let left = rowLimit ?? Infinity;
  let bytes = 0;
  let records = 0;
  const unknown: Map<string, Unknown & { readonly file: string; readonly isCut: boolean }>[] = [];
  const count = (n: number): void => void (bytes += n);
  for await (const batch of datasetRecords(plan.files, plan.format, names, count)) {
    const { firstRow, firstInDataset, file, rows } = batch;
    const taken = rows.length > left ? rows.slice(0, left) : rows;
    // Of a batch that is not taken whole, it is known where the first record with it stands, not how many of them were taken.
    const last = firstRow + taken.length - 1;
    const isCut = taken.length < rows.length;
    for (const [path, { count: n, row }] of batch.unknown ?? [])
      if (row <= last) unknown.push(new Map([[path, { count: isCut ? 1 : n, row, file, isCut }]]));
    left -= taken.length;
    records += taken.length;
    const goesOn = trial.push(taken, { row: firstInDataset, fileRow: firstRow, file });
    await out.flush();
    await faults.flush();
    tell({ progress: { records, bytes } });
    if (left <= 0 || !goesOn) break;
  }
  await out.close();
  await faults.close();
  const cut = new Set(unknown.flatMap((one) => [...one].filter(([, { isCut }]) => isCut).map(([path]) => path)));
  const unread = [...mergeUnknown(unknown)].map(
    ([path, of]) => (cut.has(path) ? 'At least ' : '') + unknownWords(document.source.primary.dataset, path, of),
  );
  tell({ report: { ...trial.result(), unread } });
}

main().catch((error: Error) => tell({ problem: error.message }));
