import type { Tell } from '../runs/run-log.ts';
import { randomUUID } from 'node:crypto';
import { createReadStream, mkdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { Worker } from 'node:worker_threads';
import {
  Aborted,
  counted,
  marksOf,
  mentionsDoc,
  namedSourceFields,
  parseDocument,
  refused,
  shareProblem,
  unknownWords,
  type MappingDocument,
  type ShareStep,
} from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import { partPath } from '../engine/part-path.ts';
import type { Taken } from '../runs/runs.ts';
import { land } from '../sources/land.ts';
import { openSource } from '../sources/open-source.ts';
import type { Readings } from '../sources/readings.ts';
import { takeIn } from '../sources/take-in.ts';
import { fromJson } from '../store/values.ts';
import type { SourceBatch, SourcePlan } from '../systems/kinds/kind.ts';
import type { Systems } from '../systems/systems.ts';
import type { FromShareOut, ShareOutJob, Unmatched } from './share-out-worker.ts';

/** What a run shares out: its step with the revisions pinned, and the run whose untaken records are shared out once more. */
export type CarriedShare = Omit<ShareStep, 'by'> & {
  readonly by: readonly (ShareStep['by'][number] & { readonly revision: number })[];
  readonly again?: number;
};
/** What each of those that share was given. */
export interface Part {
  readonly records: number;
  readonly plan: SourcePlan;
  /** Nothing was for it, and its target is not replaced by what there is: nothing is to be done. */
  readonly idle: boolean;
}
export interface ShareOutOf {
  readonly run: number;
  readonly carries: CarriedShare;
  readonly variables: Readonly<Record<string, string>>;
  readonly rowLimit: number | null;
  readonly taken: Taken | null;
}
/** Records that none took, inserted at a time. */
const AT_A_TIME = 1000;

/** Reads a dataset once and gives its records out. Done again after a kill, it begins anew: nothing reads a part before. */
export class ShareOut {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly readings: Readings,
    private readonly directory: string,
    private readonly log: Tell,
  ) {}

  /** Throws a fault, or Aborted. Gives what is kept of the run in the transaction that lets its parts begin. */
  async of(
    share: ShareOutOf,
    fence: Statement,
    signal: AbortSignal,
  ): Promise<{ parts: Part[]; statements: Statement[] }> {
    const { run, carries } = share;
    mkdirSync(this.directory, { recursive: true });
    const documents = await this.documents(carries);
    // What a process that hangs has half written is its own.
    const own = `${randomUUID()}.partial`;
    const landed = join(this.directory, `run-${run}.share-all.jsonl.${own}`);
    const source = await this.source(share, documents, landed, signal);
    const partial = carries.by.map((_, part) => `${partPath(this.directory, run, part)}.${own}`);
    const rest = join(this.directory, `run-${run}.share-rest.jsonl.${own}`);
    try {
      const { read, parts, unread } = await this.inWorker(
        {
          plan: source,
          by: carries.by.map(({ when }, i) => ({ when, document: documents[i]! })),
          all: carries.all,
          // What was fetched keeps to it already.
          rowLimit: share.rowLimit,
          startedAt: Date.now(),
          variables: share.variables,
          parts: partial,
          rest,
        },
        signal,
      );
      // Whoever hung takes nothing from those who go on from what another process gave out.
      await this.db.transaction([fence]);
      for (const [part, path] of partial.entries()) renameSync(path, partPath(this.directory, run, part));
      const left = await this.keepRest(run, rest, fence);
      const given = parts.map((n, i) => `${n.toLocaleString('en-GB')} to ${documents[i]!.name}`).join(', ');
      const failed = carries.rest === 'fail' ? left.unmatched + left.failed : left.failed;
      const unmatched = left.unmatched + left.failed - failed;
      await this.log(
        run,
        `${counted(read, 'record')} of ${carries.dataset} shared out: ${given}${unmatched > 0 ? `, ${unmatched.toLocaleString('en-GB')} to none` : ''}${failed > 0 ? `, ${failed.toLocaleString('en-GB')} failed` : ''}`,
      );
      for (const [path, of] of unread) await this.log(run, unknownWords(carries.dataset, path, of), 'warning');
      const taken = unread.size === 0 ? null : await takeIn(this.systems, carries.dataset, source, signal);
      if (taken) await this.log(run, taken.said, taken.well ? 'info' : 'warning');
      const marks = marksOf(source.format);
      return {
        parts: parts.map((records, part) => ({
          records,
          plan: this.planOf(run, part, source, marks === null ? {} : { marks }),
          idle: records === 0 && documents[part]!.write.mode !== 'replace',
        })),
        statements: [
          {
            sql: 'UPDATE run SET read = $2, unmatched = $3, failed = $4 WHERE id = $1',
            params: [run, unmatched + failed, unmatched, failed],
          },
          ...(carries.again === undefined
            ? []
            : [
                {
                  sql: 'UPDATE unmatched_record SET shared_by = $2 WHERE run = $1 AND shared_by IS NULL AND readable',
                  params: [carries.again, run],
                },
              ]),
        ],
      };
    } finally {
      for (const path of [...partial, rest, landed]) rmSync(path, { force: true });
    }
  }
  /** Nothing reads its parts any more. */
  forget(run: number, parts: number): void {
    for (let part = 0; part < parts; part++) rmSync(partPath(this.directory, run, part), { force: true });
  }

  /** What was shared out once more, and of which nothing was read yet when it was cancelled, may be so again. */
  async giveBack(run: number): Promise<void> {
    await this.db.query(
      `WITH back AS (
         UPDATE unmatched_record SET shared_by = NULL WHERE shared_by = $1 AND NOT EXISTS (SELECT 1 FROM run WHERE parent = $1 AND read > 0) RETURNING run
       ), own AS (
         DELETE FROM unmatched_record WHERE run = $1 AND EXISTS (SELECT 1 FROM back)
       )
       UPDATE run SET read = 0, unmatched = 0, failed = 0 WHERE id = $1 AND EXISTS (SELECT 1 FROM back)`,
      [run],
    );
  }

  private planOf(run: number, part: number, { fields }: SourcePlan, marks: object): SourcePlan {
    const path = partPath(this.directory, run, part);
    const { size, mtimeMs } = statSync(path);
    return {
      kind: 'files',
      files: [{ path, name: 'the records given out', bytes: size, changed: mtimeMs }],
      format: { kind: 'jsonl', encoding: 'utf-8', landed: true, ...marks },
      fields,
    };
  }

  private async documents({ dataset, by }: CarriedShare): Promise<MappingDocument[]> {
    const documents: MappingDocument[] = [];
    for (const { mapping, revision } of by) {
      const [found] = await this.db.query<{ document: string }>(
        'SELECT document FROM revision WHERE mapping = $1 AND number = $2',
        [mapping, revision],
      );
      const document = parseDocument(JSON.parse(found!.document));
      const problem = shareProblem({ dataset }, document);
      if (problem !== null) throw refused(problem);
      documents.push(document);
    }
    return documents;
  }

  private async source(
    { run, carries, variables, rowLimit, taken }: ShareOutOf,
    documents: readonly MappingDocument[],
    path: string,
    signal: AbortSignal,
  ): Promise<SourcePlan> {
    const { dataset: name, again } = carries;
    if (again !== undefined) return (await land(this.untaken(again), { path, rowLimit, signal })).plan;
    const { system, dataset } = await this.systems.openDataset(name);
    const isTaken = taken !== null && (name === taken.dataset || name.startsWith(`${taken.dataset}/`));
    const { plan } = await openSource({
      system,
      dataset,
      name,
      signal,
      path,
      rowLimit,
      options: {
        withDoc: documents.some((d) => mentionsDoc(d)),
        variables: new Map(Object.entries(variables)),
        ...(isTaken ? { only: taken.only } : {}),
      },
      readings: this.readings.together(
        carries.by.map(({ mapping, revision }, i) => this.readings.of(mapping, revision, documents[i]!)),
      ),
      expected: () => Promise.resolve([...new Set(documents.flatMap((d) => namedSourceFields(d)))]),
      fetches: () => this.log(run, `fetches the records of ${name}`),
    });
    return plan;
  }
  /** Records of a run that none took, and that nobody shared out since. */
  private async *untaken(run: number): AsyncGenerator<SourceBatch> {
    for (let after = 0; ;) {
      const rows = await this.db.query<{ place: string; source: Record<string, string | null> | string }>(
        'SELECT place, source FROM unmatched_record WHERE run = $1 AND shared_by IS NULL AND readable AND place > $2 ORDER BY place LIMIT $3',
        [run, after, AT_A_TIME],
      );
      if (rows.length === 0) return;
      for (const row of rows) {
        const source = fromJson<Record<string, string | null>>(row.source);
        const fields = Object.keys(source);
        yield { fields, rows: [fields.map((f) => source[f] ?? null)], file: null };
      }
      after = Number(rows.at(-1)!.place);
    }
  }

  /** Keeps what none took. What an earlier attempt kept goes first. */
  private async keepRest(run: number, path: string, fence: Statement): Promise<{ unmatched: number; failed: number }> {
    await this.db.transaction([fence, { sql: 'DELETE FROM unmatched_record WHERE run = $1', params: [run] }]);
    const left = { unmatched: 0, failed: 0 };
    let place = 0;
    let rows: (Unmatched & { place: number })[] = [];
    const keep = async (): Promise<void> => {
      await this.db.transaction([
        fence,
        {
          sql: `INSERT INTO unmatched_record (run, place, row_number, file, source, why, readable)
                SELECT $1, place, "row", file, source, why, readable
                  FROM json_to_recordset($2::json) AS r(place bigint, "row" bigint, file text, source json, why text, readable boolean)`,
          params: [run, JSON.stringify(rows)],
        },
      ]);
      rows = [];
    };
    for await (const line of createInterface({ input: createReadStream(path), crlfDelay: Infinity })) {
      if (line === '') continue;
      const row = JSON.parse(line) as Unmatched;
      left[row.failed ? 'failed' : 'unmatched']++;
      rows.push({ ...row, place: ++place });
      if (rows.length === AT_A_TIME) await keep();
    }
    if (rows.length > 0) await keep();
    return left;
  }

  private inWorker(job: ShareOutJob, signal: AbortSignal): Promise<Exclude<FromShareOut, { problem: string }>> {
    return new Promise<Exclude<FromShareOut, { problem: string }>>((resolve, reject) => {
      if (signal.aborted) return reject(new Aborted());
      const worker = new Worker(new URL('./share-out-worker.js', import.meta.url), { workerData: job });
      const stop = (): void => {
        void worker.terminate();
        reject(new Aborted());
      };
      signal.addEventListener('abort', stop, { once: true });
      worker.on('message', (done: FromShareOut) =>
        'problem' in done ? reject(new Error(done.problem)) : resolve(done),
      );
      worker.on('error', reject);
      worker.on('exit', () => {
        signal.removeEventListener('abort', stop);
        reject(new Error('The thread that shares out the records ended before its time.'));
      });
    });
  }
}
