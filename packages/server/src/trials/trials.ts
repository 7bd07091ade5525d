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
  type TrialReport,
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
import type { FromTrial, TrialJob } from './trial-worker.ts';

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
  report: TrialReport | null;
  worker: Worker | null;
  /** Ends whatever it is at. */
  readonly abort: AbortController;
}

/** Trials of drafts on real records, without writing to any system; one at a time for each mapping, the last one kept. */
export class Trials {
  private readonly trials = new Map<string, Trial>();

  constructor(
    private readonly mappings: Mappings,
    private readonly systems: Systems,
    private readonly sourceSets: SourceSets,
    private readonly keyMaps: KeyMaps,
    private readonly events: Events,
    private readonly directory: string,
  ) {
    // What an earlier process tried is not known any more.
    rmSync(directory, { recursive: true, force: true });
  }

  state(mapping: string): TrialState {
    const trial = this.trials.get(mapping);
    if (!trial)
      return {
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
    const { state, version, rowLimit, startedAt, endedAt, records, share, problem, report } = trial;
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

  /** The path of what the last trial would have written, or of what failed in it. */
  file(mapping: string, kind: keyof typeof TRIAL_FILES): string {
    const path = join(this.directory, mapping, TRIAL_FILES[kind]);
    if (this.trials.get(mapping)?.state !== 'done' || !existsSync(path))
      throw notFound(`There is no finished trial of ${quoted(mapping)}; try it first.`);
    return path;
  }

  async start(mapping: string, rowLimit: number | null): Promise<TrialState> {
    if (this.trials.get(mapping)?.state === 'running')
      throw changedMeanwhile('A trial of this mapping is going on already; wait for it, or cancel it.');
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
      abort: new AbortController(),
    };
    this.trials.set(mapping, trial);
    void this.carryOut(mapping, document, trial);
    return this.state(mapping);
  }

  async cancel(mapping: string): Promise<TrialState> {
    const trial = this.trials.get(mapping);
    if (trial?.state === 'running') {
      this.end(mapping, trial, 'cancelled');
      trial.abort.abort();
      await trial.worker?.terminate();
    }
    return this.state(mapping);
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
      this.end(mapping, trial, 'done');
    } catch (error) {
      if (trial.state !== 'running') return;
      trial.problem = (error as Error).message;
      this.end(mapping, trial, 'failed');
    } finally {
      rmSync(join(home, 'landed.jsonl'), { force: true });
    }
  }
  private end(mapping: string, trial: Trial, state: TrialState['state']): void {
    trial.state = state;
    trial.endedAt = Date.now();
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

  private inWorker(mapping: string, trial: Trial, job: TrialJob): Promise<TrialReport> {
    const total = job.plan.files.reduce((sum, f) => sum + f.bytes, 0);
    let told = 0;
    return new Promise<TrialReport>((resolve, reject) => {
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
          this.events.send({ type: 'trial', mapping });
        }
      });
      worker.on('error', reject);
      worker.on('exit', () => reject(new Error('The trial was stopped.')));
    }).finally(() => void trial.worker?.terminate());
  }

  async close(): Promise<void> {
    for (const mapping of this.trials.keys()) await this.cancel(mapping);
  }
}
