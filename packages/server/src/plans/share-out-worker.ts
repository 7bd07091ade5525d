import { parentPort, workerData } from 'node:worker_threads';
import { marksOf, mergeUnknown, Sharer, unkeptIn, Unreadable, type MappingDocument, type RawRow } from '@versicle/core';
import { datasetRecords, TextFile } from '@versicle/files';
import type { UnreadValues } from '../runs/runs.ts';
import type { SourcePlan } from '../systems/kinds/kind.ts';
import { landedLine } from '../sources/land.ts';

/** Reads a dataset once, in a thread of its own, and puts each record into the files of those that take it. */

export interface ShareOutJob {
  readonly plan: SourcePlan;
  readonly by: readonly { readonly when: string; readonly document: MappingDocument }[];
  readonly all: boolean;
  readonly rowLimit: number | null;
  /** Milliseconds since the epoch: what now() means. */
  readonly startedAt: number;
  readonly variables: Readonly<Record<string, string>>;
  /** A file for each of those that share, and one for what none takes. */
  readonly parts: readonly string[];
  readonly rest: string;
}
/** A record that none takes; `failed`: it could not be read, or whether somebody takes it could not be told. */
export interface Unmatched {
  readonly row: number;
  readonly file: string | null;
  readonly source: Readonly<Record<string, string | null>>;
  readonly why: string;
  readonly failed: boolean;
  readonly readable: boolean;
}
export type FromShareOut =
  | {
      readonly read: number;
      readonly parts: readonly number[];
      /** What the structure of the source does not know, by path. */
      readonly unread: ReadonlyMap<string, UnreadValues>;
    }
  | { readonly problem: string };

const job = workerData as ShareOutJob;
const UNTAKEN = 'None of the conditions is true for it.';

/** Without what no database keeps in a text: U+0000, and halves of characters. */
// eslint-disable-next-line no-control-regex
const UNKEPT = /\u0000|\p{Surrogate}/gu;
const keepable = (text: string): string => text.replace(UNKEPT, '\ufffd');

async function main(): Promise<FromShareOut> {
  const names = job.plan.fields.map((f) => f.name);
  const { all, startedAt, variables } = job;
  const sharer = new Sharer(job.by, { all, names, marks: marksOf(job.plan.format), now: startedAt, variables });
  const files = job.parts.map((path) => new TextFile(path));
  const rest = new TextFile(job.rest);
  const counts = files.map(() => 0);
  let read = 0;
  const leave = (row: RawRow, file: string | null, why: string, failed: boolean): void => {
    const source =
      row instanceof Unreadable ? { row: row.raw } : Object.fromEntries(names.map((n, i) => [n, row[i] ?? null]));
    const isKept = unkeptIn(source) === null;
    const left: Unmatched = {
      row: read,
      file,
      source: isKept
        ? source
        : Object.fromEntries(Object.entries(source).map(([n, v]) => [keepable(n), v && keepable(v)])),
      why: keepable(isKept ? why : `${why} It holds a character that no database keeps, so it is not kept as it was.`),
      failed,
      // What is not as it was is not sent.
      readable: isKept && !(row instanceof Unreadable),
    };
    // Whoever reads it line by line takes these for ends of lines.
    const text = JSON.stringify(left)
      .replace(/\u2028/g, '\\u2028')
      .replace(/\u2029/g, '\\u2029');
    rest.write(`${text}\n`);
  };
  let unread: ReadonlyMap<string, UnreadValues> = new Map();
  const batches = datasetRecords(job.plan.files, job.plan.format, names, () => undefined);
  reading: for await (const { rows, file, unknown } of batches) {
    unread = mergeUnknown([unread, new Map([...(unknown ?? [])].map(([path, of]) => [path, { ...of, file }]))]);
    for (const row of rows) {
      if (job.rowLimit !== null && read >= job.rowLimit) break reading;
      read++;
      if (row instanceof Unreadable) {
        leave(row, file, `It can’t be read: ${row.message}`, true);
        continue;
      }
      const taker = sharer.take(row, read, file);
      if ('problem' in taker) leave(row, file, taker.problem, true);
      else if (taker.by.length === 0) leave(row, file, UNTAKEN, false);
      else
        for (const part of taker.by) {
          files[part]!.write(`${landedLine(names, row)}\n`);
          counts[part]!++;
        }
    }
    for (const out of [...files, rest]) await out.flush();
  }
  for (const out of [...files, rest]) await out.close();
  return { read, parts: counts, unread };
}

main().then(
  (done) => parentPort!.postMessage(done),
  (error: Error) => parentPort!.postMessage({ problem: error.message } satisfies FromShareOut),
);
