import { rmSync, statSync } from 'node:fs';
import {
  Aborted,
  counted,
  isComposed,
  membersOf,
  mentionsDoc,
  namedSourceFields,
  refused,
  type DeclaredMarks,
  type MappingDocument,
} from '@versicle/core';
import type { SourceSets } from '../source-sets/source-sets.ts';
import type { OpenSystem, ReadOptions, SourcePlan } from '../systems/kinds/kind.ts';
import { openSource } from '../sources/open-source.ts';
import type { RevisionReadings } from '../sources/readings.ts';
import type { CapturedRun, Taken } from '../runs/runs.ts';
import type { ReplayRow } from './messages.ts';

/** What a run reads, as far as it concerns where its records come from. */
export interface SourceOf {
  /** Its number. */
  readonly run: number;
  readonly kind: 'full' | 'replay';
  readonly document: MappingDocument;
  readonly system: OpenSystem;
  readonly dataset: string;
  readonly rowLimit: number | null;
  /** What an earlier life of the run, or the run whose records are sent again, read. */
  readonly began: SourcePlan | null;
  /** Where its records are kept that had to be fetched. */
  readonly landing: string;
  /** What an earlier life fetched lies with a process that is gone. */
  readonly isGone: boolean;
  /** Where the records are kept that a share gave it; null: it reads the dataset itself. */
  readonly part: string | null;
  readonly signal: AbortSignal;
  readonly log: (message: string) => Promise<void>;
  /** Told how many requests it took to fetch the records. */
  readonly asked: (requests: number) => Promise<void>;
  /** What has arrived of a dataset and is to be read, where the run was started by that. */
  readonly taken: Taken | null;
  /** What the source wrote down itself of its changes, where just that is read. */
  readonly captured: CapturedRun | null;
  readonly readings: RevisionReadings;
  /** The plan's variables, as they are in this run. */
  readonly variables: ReadonlyMap<string, string>;
}

/** A run that is taken up again reads the very files that it began with, or ends with a sentence. */
export async function sourcePlanOf(source: SourceOf, sourceSets: SourceSets): Promise<SourcePlan> {
  const { kind, document, system, dataset, began, landing, signal, log } = source;
  if (kind === 'replay' && began) return began;
  if (source.part !== null) return stillLanded(began!, source.part);
  const name = document.source.primary.dataset;
  const { taken } = source;
  if (isComposed(document)) {
    if (taken !== null && membersOf(document).some((m) => isOf(m.dataset, taken)))
      throw refused(
        `Only what has arrived of ${taken.dataset} is to be read, and this mapping joins or groups it with other records. Let the plan start by a schedule, or let a mapping of its own take what arrives.`,
      );
    return composedPlan(source, sourceSets);
  }
  if (!system.sourcePlan) {
    if (kind === 'replay') {
      const described = await system.describe(dataset);
      return replayPlan({ names: described.fields.map((f) => f.name), marks: null });
    }
    // What a run read from a system that moves on is kept beside the store until it ends, so that it can be taken up again.
    if (began && !source.isGone) return stillLanded(began, landing);
  }
  let requests = 0;
  const { plan, fetched } = await openSource({
    system,
    dataset,
    name,
    signal,
    path: landing,
    rowLimit: source.rowLimit,
    options: {
      withDoc: mentionsDoc(document),
      variables: source.variables,
      heard: () => requests++,
      ...(isOf(name, taken) ? { only: taken.only } : {}),
      ...rowsOf(source.captured),
    },
    expected: () => Promise.resolve(namedSourceFields(document)),
    readings: source.readings,
    fetches: () => log(`fetches the records of ${name}`),
  });
  const by = requests === 0 ? '' : ` in ${counted(requests, 'request')}`;
  if (fetched !== null) await log(`fetched ${counted(fetched, 'record')}${by}`);
  if (requests > 0) await source.asked(requests);
  if (!began) return plan;
  if (source.isGone) return sameAgain(began, plan);
  for (const [i, file] of began.files.entries()) {
    const now = plan.files[i];
    if (now?.name !== file.name || now.bytes !== file.bytes || now.changed !== file.changed)
      throw new Error(
        `${file.name} has changed since the run began, so it can't go on where it was. Start a new run; records that arrived already are not doubled where the document upserts.`,
      );
  }
  return began;
}

const rowsOf = (captured: CapturedRun | null): Pick<ReadOptions, 'rows'> =>
  captured === null || captured.keys === null ? {} : { rows: { fields: captured.fields, keys: captured.keys } };
/** Whether a dataset, or a part of one, is what arrives. */
const isOf = (name: string, taken: Taken | null): taken is Taken =>
  taken !== null && (name === taken.dataset || name.startsWith(`${taken.dataset}/`));

/** What is fetched anew is not what the run began with: it would go on at the wrong record. */
function stillLanded(began: SourcePlan, landing: string): SourcePlan {
  const now = statSync(landing, { throwIfNoEntry: false });
  const [file] = began.files;
  if (now !== undefined && file !== undefined && now.size === file.bytes && now.mtimeMs === file.changed) return began;
  throw new Error(
    'The records that this run had fetched are not kept any more, or were changed, so it can’t go on. Start a new run.',
  );
}

/**
 * What was fetched again, where it is what the run began with: its chunks are the same then, and those that arrived are told by
 * the journal. With anything else the run would go on at the wrong record.
 */
function sameAgain(began: SourcePlan, now: SourcePlan): SourcePlan {
  const [before, again] = [began.files[0]!, now.files[0]!];
  const names = (plan: SourcePlan): string => JSON.stringify(plan.fields.map((f) => f.name));
  if (before.sum !== undefined && before.sum === again.sum && names(began) === names(now))
    return { ...began, files: [{ ...before, path: again.path, changed: again.changed }] };
  rmSync(again.path, { force: true });
  throw new Error(
    'The records that this run had fetched lie with a process that is gone, and its source has others now, so it can’t go on here. Start that process again with its data directory and take the run up again, or start a new run; records that arrived already are not doubled where the document upserts.',
  );
}

/** Composed records are kept beside the store until the run ends, so that it can be taken up again. */
async function composedPlan(
  { run, kind, document, began, landing, isGone, rowLimit, signal, log, variables, readings }: SourceOf,
  sourceSets: SourceSets,
): Promise<SourcePlan> {
  if (kind === 'replay') return replayPlan(await sourceSets.names(document));
  if (began && !isGone) return stillLanded(began, landing);
  await log(`composes the records of ${counted(membersOf(document).length, 'dataset')} in PostgreSQL`);
  const { plan, composed } = await sourceSets
    .compose(document, {
      rowLimit,
      path: landing,
      startedAt: Date.now(),
      variables: { ...Object.fromEntries(variables), run_number: String(run) },
      signal,
      readings,
    })
    .catch((error: Error) => {
      throw signal.aborted ? new Aborted() : error;
    });
  const { read, multiplied, unmatched, filtered, folded, records } = composed.counts;
  const n = (count: number): string => count.toLocaleString('en-GB');
  await log(
    `${n(read)} read + ${n(multiplied)} multiplied = ${n(unmatched)} unmatched + ${n(filtered)} filtered + ${n(folded)} folded + ${n(records)} records`,
  );
  for (const remark of composed.remarks) await log(remark);
  return began ? sameAgain(began, plan) : plan;
}

/** Failed records that are sent again come as they were kept; only the names of the fields are needed. */
function replayPlan({ names, marks }: { names: readonly string[]; marks: DeclaredMarks }): SourcePlan {
  return {
    kind: 'files',
    files: [],
    format: { kind: 'jsonl', encoding: 'utf-8' },
    fields: names.map((name) => ({ name, type: 'text' })),
    ...(marks instanceof Map ? { marks: Object.fromEntries(marks) } : {}),
  };
}

/** Records that were read before the source set was changed have other fields than the lines ask for now. */
export function requireKnownFields(rows: readonly ReplayRow[], plan: SourcePlan, document: MappingDocument): void {
  // Only composed records say by alias how numbers and dates are written.
  const composed = plan.marks !== undefined;
  const known = new Set(plan.fields.map((f) => f.name));
  const strangers = rows.filter(({ source }) => {
    const names = Object.keys(source);
    const others = composed !== isComposed(document) || !names.some((name) => known.has(name));
    return names.join() !== 'row' && names.length > 0 && others;
  });
  if (strangers.length > 0)
    throw new Error(
      `${counted(strangers.length, 'of these records was', 'of these records were')} read before the source set was changed, and can't be sent again as they are; run the plan instead.`,
    );
}
