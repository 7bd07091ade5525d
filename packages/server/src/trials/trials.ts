import { LEASE } from '@versicle/store/claims';
import { existsSync, mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import type { TrialState } from '@versicle/contract';
import {
  changedMeanwhile,
  isComposed,
  type MappingDocument,
  mentionsDoc,
  namedSourceFields,
  notFound,
  quoted,
  withComposedStages,
  requireVariables,
} from '@versicle/core';
import { openSource } from '../sources/open-source.ts';
import type { Events } from '../http/events.ts';
import type { Mappings } from '../mappings/mappings.ts';
import type { SourcePlan } from '../systems/kinds/kind.ts';
import type { KeyMaps } from '../key-maps/key-maps.ts';
import type { ComposedPlan, SourceSets } from '../source-sets/source-sets.ts';
import type { Systems } from '../systems/systems.ts';
import type { Database } from '@versicle/postgres';
import { fromJson } from '../store/values.ts';
import type { Peers } from '../workers/peers.ts';
import type { Workers } from '../workers/workers.ts';
import type { FromTrial, ToldReport, TrialJob } from './trial-worker.ts';

const TELL_EVERY_MILLIS = 400;
export const TRIAL_FILES = { written: 'mapped.csv', failed: 'failed.jsonl' } as const;

interface Trial {
  state: TrialState['state'];
  readonly version: number;
  readonly rowLimit: number | null;
  readonly startedAt: number;
  readonly variables: Readonly<Record<string, string>>;
  endedAt: number | null;
  records: number;
  share: number | null;
  problem: string | null;
  report: ToldReport | null;
  worker: Worker | null;
  /** What was last said of it is kept. */
  kept: Promise<void>;
  /** Ends whatever it is at. */
  readonly abort: AbortController;
}

/** The process that carries the trial `t` out was not heard of for a while. */
const SILENT = `NOT EXISTS (SELECT 1 FROM worker w WHERE w.id = t.worker AND w.seen_at > clock_timestamp() - make_interval(secs => ${LEASE}))`;
const NONE: TrialState = {
  state: 'none',
  version: null,
  rowLimit: null,
  startedAt: null,
  millis: 0,
  records: 0,
  share: null,
  problem: null,
  report: null,
};

/** Trials of drafts on real records, without writing to any system; one at a time for each mapping, the last one kept. */
export class Trials {
  /** Those that this process carries out. */
  private readonly trials = new Map<string, Trial>();

  constructor(
    private readonly db: Database,
    private readonly workers: Workers,
    private readonly peers: Peers,
    private readonly mappings: Mappings,
    private readonly systems: Systems,
    private readonly sourceSets: SourceSets,
    private readonly keyMaps: KeyMaps,
    private readonly events: Events,
    private readonly directory: string,
  ) {
    peers.on('cancel trial', ({ mapping }) => void this.cancelHere(mapping));
  }
  /** What an earlier process tried is not known any more, where there is no other one. */
  begin(alone: boolean): void {
    if (alone) rmSync(this.directory, { recursive: true, force: true });
  }

  /** Of whichever process carries it out. */
  async state(mapping: string): Promise<TrialState> {
    const [row] = await this.db.query<{ state: TrialState | string; here: boolean; silent: boolean }>(
      `SELECT state, worker = $2 AS here, ${SILENT} AS silent FROM trial t WHERE mapping = $1`,
      [mapping, this.workers.me.id],
    );
    if (!row) return NONE;
    const own = this.trials.get(mapping);
    if (row.here && own) return stateOf(own);
    const state = fromJson(row.state);
    if (state.state !== 'running') return state;
    if (row.silent)
      return { ...state, state: 'failed', problem: 'The process that carried it out went away; try again.' };
    return { ...state, millis: Date.now() - Date.parse(state.startedAt!) };
  }
  /** Other processes see it, too. */
  private keep(mapping: string, trial: Trial): Promise<void> {
    const kept = trial.kept.then(async () => {
      await this.db.query('UPDATE trial SET state = $3 WHERE mapping = $1 AND worker = $2', [
        mapping,
        this.workers.me.id,
        JSON.stringify(stateOf(trial)),
      ]);
    });
    // One after the other: what is said last is what stays.
    trial.kept = kept.catch(() => undefined);
    return kept;
  }
  /** One trial of a mapping at a time, whichever process carries it out. */
  private async claim(mapping: string, trial: Trial): Promise<boolean> {
    const { id, place } = this.workers.me;
    const rows = await this.db.query(
      `INSERT INTO trial AS t (mapping, worker, place, state) VALUES ($1, $2, $3, $4)
       ON CONFLICT (mapping) DO UPDATE SET worker = EXCLUDED.worker, place = EXCLUDED.place, state = EXCLUDED.state
         WHERE t.state ->> 'state' <> 'running' OR t.worker = $2 AND $5 OR ${SILENT} RETURNING mapping`,
      [mapping, id, place, JSON.stringify(stateOf(trial)), this.trials.get(mapping)?.state !== 'running'],
    );
    return rows.length > 0;
  }

  /** The path of what the last trial would have written, or of what failed in it. */
  async file(mapping: string, kind: keyof typeof TRIAL_FILES): Promise<string> {
    const path = join(this.directory, mapping, TRIAL_FILES[kind]);
    const { state } = await this.state(mapping);
    const [row] = await this.db.query<{ place: string }>('SELECT place FROM trial WHERE mapping = $1', [mapping]);
    if (state === 'done' && row !== undefined && row.place !== this.workers.me.place)
      throw notFound(
        `What the trial of ${quoted(mapping)} would have written lies with the process that carried it out. Try it again here, or give all processes one folder (VERSICLE_SHARED).`,
      );
    if (state !== 'done' || !existsSync(path))
      throw notFound(`There is no finished trial of ${quoted(mapping)}; try it first.`);
    return path;
  }

  async start(mapping: string, rowLimit: number | null): Promise<TrialState> {
    const { document, version } = await this.mappings.draft(mapping);
    await this.mappings.requireNoErrors(document, null);
    const variables = await this.mappings.variables(mapping);
    requireVariables(document, variables);
    const trial: Trial = {
      state: 'running',
      version,
      rowLimit,
      startedAt: Date.now(),
      endedAt: null,
      records: 0,
      share: null,
      problem: null,
      report: null,
      variables,
      worker: null,
      kept: Promise.resolve(),
      abort: new AbortController(),
    };
    if (!(await this.claim(mapping, trial)))
      throw changedMeanwhile('A trial of this mapping is going on already; wait for it, or cancel it.');
    this.trials.set(mapping, trial);
    void this.carryOut(mapping, document, trial);
    return stateOf(trial);
  }

  async cancel(mapping: string): Promise<TrialState> {
    if (!(await this.cancelHere(mapping))) this.peers.tell({ kind: 'cancel trial', mapping });
    return this.state(mapping);
  }
  /** Gives whether this process carries it out. */
  private async cancelHere(mapping: string): Promise<boolean> {
    const trial = this.trials.get(mapping);
    if (trial?.state !== 'running') return false;
    await this.end(mapping, trial, 'cancelled');
    trial.abort.abort();
    await trial.worker?.terminate();
    return true;
  }

  private async carryOut(mapping: string, document: MappingDocument, trial: Trial): Promise<void> {
    const home = join(this.directory, mapping);
    try {
      rmSync(home, { recursive: true, force: true });
      mkdirSync(home, { recursive: true });
      const landed = join(home, 'landed.jsonl');
      const composed = isComposed(document) ? await this.composed(document, trial, landed) : null;
      if (trial.state !== 'running') return;
      const plan = composed?.plan ?? (await this.sourcePlan(document, trial, landed));
      if (trial.state !== 'running') return;
      const report = await this.inWorker(mapping, trial, {
        document,
        plan,
        // A limit is of the primary dataset's rows; composed records keep to it already.
        rowLimit: composed ? null : trial.rowLimit,
        written: join(home, TRIAL_FILES.written),
        failed: join(home, TRIAL_FILES.failed),
        keyMaps: await this.keyMaps.of(document),
        variables: trial.variables,
      });
      trial.report = composed ? withComposedStages(report, composed.composed.counts, composed.composed.peek) : report;
      trial.records = trial.report.counts.read;
      await this.end(mapping, trial, 'done');
    } catch (error) {
      if (trial.state !== 'running') return;
      trial.problem = (error as Error).message;
      await this.end(mapping, trial, 'failed');
    } finally {
      rmSync(join(home, 'landed.jsonl'), { force: true });
    }
  }
  private async end(mapping: string, trial: Trial, state: TrialState['state']): Promise<void> {
    trial.state = state;
    trial.endedAt = Date.now();
    // Where it can't be kept, this process still knows it.
    await this.keep(mapping, trial).catch((error: Error) =>
      process.stderr.write(`The trial of ${mapping} could not be kept: ${error.message}\n`),
    );
    this.events.send({ type: 'trial', mapping });
  }

  private composed(document: MappingDocument, trial: Trial, path: string): Promise<ComposedPlan> {
    return this.sourceSets.compose(document, {
      rowLimit: trial.rowLimit,
      path,
      startedAt: trial.startedAt,
      variables: trial.variables,
      tell: (records) => (trial.records = records),
      signal: trial.abort.signal,
    });
  }
  private async sourcePlan(document: MappingDocument, trial: Trial, landed: string): Promise<SourcePlan> {
    const name = document.source.primary.dataset;
    const { system, dataset } = await this.systems.openDataset(name);
    const { plan } = await openSource({
      system,
      dataset,
      name,
      signal: trial.abort.signal,
      path: landed,
      rowLimit: trial.rowLimit,
      options: { withDoc: mentionsDoc(document) },
      expected: () => Promise.resolve(namedSourceFields(document)),
    });
    return plan;
  }

  private inWorker(mapping: string, trial: Trial, job: TrialJob): Promise<ToldReport> {
    const total = job.plan.files.reduce((sum, f) => sum + f.bytes, 0);
    let told = 0;
    return new Promise<ToldReport>((resolve, reject) => {
      const worker = new Worker(new URL('./trial-worker.js', import.meta.url), { workerData: job });
      trial.worker = worker;
      worker.on('message', (message: FromTrial) => {
        if ('report' in message) resolve(message.report);
        else if ('problem' in message) reject(new Error(message.problem));
        else {
          const { records, bytes } = message.progress;
          trial.records = records;
          const byBytes = total > 0 ? bytes / total : 0;
          trial.share = Math.min(1, trial.rowLimit === null ? byBytes : Math.max(records / trial.rowLimit, byBytes));
          if (Date.now() - told < TELL_EVERY_MILLIS) return;
          told = Date.now();
          this.keep(mapping, trial).then(
            () => this.events.send({ type: 'trial', mapping }),
            () => undefined,
          );
        }
      });
      worker.on('error', reject);
      worker.on('exit', () => reject(new Error('The trial was stopped.')));
    }).finally(() => void trial.worker?.terminate());
  }

  async close(): Promise<void> {
    for (const mapping of this.trials.keys()) await this.cancelHere(mapping);
  }
}

function stateOf({ state, version, rowLimit, startedAt, endedAt, records, share, problem, report }: Trial): TrialState {
  return {
    state,
    version,
    rowLimit,
    startedAt: new Date(startedAt).toISOString(),
    millis: (endedAt ?? Date.now()) - startedAt,
    records,
    share,
    problem,
    report: report as TrialState['report'],
  };
}
