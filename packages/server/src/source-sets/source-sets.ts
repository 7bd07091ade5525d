import { mkdirSync, mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { Worker } from 'node:worker_threads';
import type { MappingSample } from '@versicle/contract';
import {
  Aborted,
  composedNames,
  type DeclaredMarks,
  Fault,
  type FileFormat,
  isComposed,
  isPlaceField,
  type KeyProposal,
  type MappingDocument,
  type Marks,
  marksOf,
  membersOf,
  mentionsDoc,
  placeReader,
  proposeKeys,
  refused,
  type SetMember,
  sourceNamesOf,
  Unreadable,
} from '@versicle/core';
import type { ComposedAnswer as Composed } from './messages.ts';
import type { JoinFigures, MemberRecords, OccurringKeys, SetHome } from '@versicle/source-sets';
import { recordsOf } from '@versicle/files';
import { openSource } from '../sources/open-source.ts';
import type { RevisionReadings } from '../sources/readings.ts';
import type { Structures } from '../structures/structures.ts';
import type { SourcePlan } from '../systems/kinds/kind.ts';
import type { Systems } from '../systems/systems.ts';
import type { FromSourceSet, SourceSetJob, ToSourceSet } from './messages.ts';

export type Variables = Readonly<Record<string, string>>;
export interface ComposeWishes {
  /** Rows of the primary dataset; null for all. */
  readonly rowLimit: number | null;
  /** Where the composed records are kept. */
  readonly path: string;
  readonly startedAt: number;
  /** What the plan gives to rules. */
  readonly variables: Variables;
  readonly tell?: (records: number) => void;
  /** Stops the work, down to the systems that are asked. */
  readonly signal?: AbortSignal;
  /** How files are read for the revision that is run. */
  readonly readings?: RevisionReadings;
}
/** One dataset of a source set, whose records are kept in `home` where they have to be fetched. */
interface MemberWish {
  readonly document: MappingDocument;
  readonly member: SetMember;
  readonly place: number;
  readonly home: string;
  readonly signal: AbortSignal;
  readonly readings: RevisionReadings | undefined;
}
/** Composed records as a run reads them. */
export interface ComposedPlan {
  readonly plan: SourcePlan;
  readonly composed: Composed;
}
/** Rows of the primary dataset that sample records are composed of, and how many are shown. */
const SAMPLE_READ = 400;
const SAMPLE_SHOWN = 200;
const KEY_ROWS = 20_000;

/** Source sets of several datasets: brings their records together in PostgreSQL. */
export class SourceSets {
  constructor(
    private readonly systems: Systems,
    private readonly structures: Structures,
    /** Where records are brought together. */
    private readonly home: SetHome,
  ) {}

  async compose(document: MappingDocument, wishes: ComposeWishes): Promise<ComposedPlan> {
    mkdirSync(dirname(wishes.path), { recursive: true });
    const done = await this.inWorker(document, wishes, wishes.path);
    if (done.kind !== 'composed') throw new Error('The source set was not composed.');
    const { size, mtimeMs } = statSync(wishes.path);
    const { answer } = done;
    const names = sourceNamesOf(answer.fields);
    return {
      composed: answer,
      plan: {
        kind: 'files',
        files: [
          { path: wishes.path, name: 'the records of the source set', bytes: size, changed: mtimeMs, sum: answer.sum },
        ],
        format: { kind: 'jsonl', encoding: 'utf-8' },
        fields: names.map((name) => ({ name, type: 'text' })),
        marks: answer.marks,
        before: Object.fromEntries(answer.before),
      },
    };
  }

  /** What each join finds, over all records. */
  async figures(document: MappingDocument, variables: Variables): Promise<readonly JoinFigures[]> {
    const done = await this.inWorker(document, { rowLimit: null, startedAt: Date.now(), variables }, null);
    if (done.kind !== 'figures') throw new Error('The joins were not counted.');
    return done.figures;
  }

  /** The first records as they are composed, and how that went. */
  async sample(document: MappingDocument, variables: Variables): Promise<Omit<MappingSample, 'keyMaps' | 'variables'>> {
    const home = mkdtempSync(join(tmpdir(), 'versicle-sample-'));
    try {
      const wishes = { rowLimit: SAMPLE_READ, path: join(home, 'records.jsonl'), startedAt: Date.now(), variables };
      const { plan, composed } = await this.compose(document, wishes);
      const names = plan.fields.map((f) => f.name);
      const place = placeReader(names)!;
      const shown = names.map((name, i) => ({ name, i })).filter((f) => !isPlaceField(f.name));
      const rows: MappingSample['rows'] = [];
      reading: for (const file of plan.files)
        for await (const batch of recordsOf(file.path, file.name, plan.format, undefined, names))
          for (const raw of batch.rows) {
            const { row, number, file } = place(raw);
            const problem = row instanceof Unreadable ? row.message : null;
            const cells = row instanceof Unreadable ? [] : (row as readonly (string | null)[]);
            rows.push({
              row: number ?? 0,
              file,
              values: problem === null ? shown.map((f) => cells[f.i] ?? null) : [],
              problem,
            });
            if (rows.length >= SAMPLE_SHOWN) break reading;
          }
      const { counts, remarks, marks } = composed;
      return {
        fields: shown.map((f) => f.name),
        rows,
        declared: null,
        declaredBy: marks,
        composed: { ...counts, remarks: [...remarks] },
      };
    } finally {
      rmSync(home, { recursive: true, force: true });
    }
  }

  /** The names that composed records will have, and the marks that their datasets declare. */
  async names(document: MappingDocument): Promise<{ names: string[]; marks: DeclaredMarks }> {
    const names = new Map<string, string[]>();
    const marks = new Map<string, Marks>();
    for (const member of membersOf(document)) {
      if (member.role === 'union') continue;
      const { id, dataset } = await this.systems.openDataset(member.dataset);
      const { fields, setting, settled } = await this.structures.describe(id, dataset);
      const declared = settled && setting?.kind === 'format' ? marksOf(setting.format as FileFormat) : null;
      if (declared) marks.set(member.alias, declared);
      const doc = mentionsDoc(document, member.alias) ? ['_doc'] : [];
      names.set(member.alias, [...new Set([...fields.map((f) => f.name), ...doc])]);
    }
    return { names: composedNames(document, names), marks };
  }

  /** By which fields a further dataset could be joined, best first. */
  async proposeKeys(document: MappingDocument, dataset: string): Promise<readonly KeyProposal[]> {
    const read = async (name: string): ReturnType<SourceSets['valuesOf']> => this.valuesOf(name);
    const right = await read(dataset);
    const left = [];
    for (const member of membersOf(document))
      if (member.role !== 'union') left.push({ ...(await read(member.dataset)), alias: member.alias });
    return proposeKeys(left, right);
  }
  private async valuesOf(name: string): Promise<Parameters<typeof proposeKeys>[1]> {
    const { id, dataset } = await this.systems.openDataset(name);
    const detail = await this.structures.describe(id, dataset);
    const { fields, rows } = await this.systems.rows(id, dataset, { filter: null, sort: null, limit: KEY_ROWS });
    return {
      dataset: name,
      fields: fields.map((field) => {
        const known = detail.fields.find((f) => f.name === field);
        return { name: field, key: known?.key ?? false, references: known?.references ?? null };
      }),
      rows: rows.filter((r) => r.problem === null).map((r) => r.values),
    };
  }

  private async inWorker(
    document: MappingDocument,
    { rowLimit, startedAt, variables, tell, signal: given, readings }: Omit<ComposeWishes, 'path'>,
    path: string | null,
  ): Promise<FromSourceSet> {
    if (!isComposed(document)) throw refused('This source set reads one dataset; there is nothing to compose.');
    const home = mkdtempSync(join(tmpdir(), 'versicle-members-'));
    const members = membersOf(document);
    // Where one member can't be fetched, nobody needs the others any more.
    const over = new AbortController();
    const signal = given ? AbortSignal.any([given, over.signal]) : over.signal;
    const fetching: Promise<unknown>[] = [];
    const fetched = (
      place: number,
      wish: { wanted: OccurringKeys | null } | null,
    ): ReturnType<SourceSets['records']> => {
      const records = this.records({ document, member: members[place]!, place, home, signal, readings }, wish);
      fetching.push(records);
      return records;
    };
    try {
      const job: SourceSetJob = {
        document,
        members: await Promise.all(members.map((_, i) => fetched(i, null))),
        startedAt: new Date(startedAt).toISOString(),
        variables,
        rowLimit,
        home: this.home,
        path,
      };
      return await new Promise<FromSourceSet>((resolve, reject) => {
        const worker = new Worker(new URL('./source-set-worker.js', import.meta.url), { workerData: job });
        const stop = (): void => {
          reject(new Aborted());
          void worker.terminate();
        };
        signal.addEventListener('abort', stop, { once: true });
        worker.once('exit', () => signal.removeEventListener('abort', stop));
        if (signal.aborted) stop();
        worker.on('message', (message: FromSourceSet) => {
          if (message.kind === 'progress') return tell?.(message.records);
          if (message.kind === 'refused') return reject(refusal(message));
          if (message.kind !== 'fetch') return resolve(message);
          const place = message.member;
          fetched(place, { wanted: message.wanted })
            .then((records) => worker.postMessage({ member: place, records: records! } satisfies ToSourceSet))
            .catch((error: Error) => {
              reject(error);
              void worker.terminate();
            });
        });
        worker.on('error', reject);
        worker.on('exit', () => reject(new Error('The source set was not composed to its end.')));
      });
    } finally {
      over.abort();
      // They write below the directory until they hear of it.
      await Promise.allSettled(fetching);
      rmSync(home, { recursive: true, force: true });
    }
  }

  /** Where a member's records are. A system that can answer by keys is asked last, for those that occur; until then null. */
  private async records(
    { document, member, place, home, signal, readings }: MemberWish,
    asked: { readonly wanted: OccurringKeys | null } | null,
  ): Promise<MemberRecords | null> {
    const { id, system, dataset } = await this.systems.openDataset(member.dataset);
    // Files are read whole, and what can't answer by keys is.
    const finds = member.role === 'join' && !system.sourcePlan ? ((await system.finds?.(dataset)) ?? null) : null;
    const answers = member.role === 'join' && !system.sourcePlan && (system.columns !== undefined || finds !== null);
    if (answers && asked === null) return null;
    const wanted =
      answers &&
      asked?.wanted &&
      (system.columns !== undefined || (finds?.field === asked.wanted.field && finds.takes(asked.wanted.values)))
        ? asked.wanted
        : null;
    const some = wanted === null ? {} : system.columns ? { filter: keyFilter(wanted) } : { keys: wanted.values };
    const { plan } = await openSource({
      system,
      dataset,
      name: member.dataset,
      signal,
      path: join(home, `${place}.jsonl`),
      options: { withDoc: member.role !== 'union' && mentionsDoc(document, member.alias), ...some },
      expected: async () => (await this.structures.describe(id, dataset)).fields.map((f) => f.name),
      readings,
    });
    const { files, format, fields } = plan;
    const names = fields.map((f) => f.name);
    return { files, format, names, ...(wanted ? { asked: wanted.values.length } : {}) };
  }
}

function refusal({ because, message }: Extract<FromSourceSet, { kind: 'refused' }>): Error {
  if (because === 'away')
    return new Fault('store away', `${message} What is under way goes on as soon as the server answers.`);
  return because === 'source set' ? refused(message) : new Error(message);
}
function keyFilter({ field, values }: OccurringKeys): string {
  const name = `"${field.replace(/"/g, '""')}"`;
  return values.length === 0 ? 'FALSE' : `${name} IN (${values.map((v) => `'${v.replace(/'/g, "''")}'`).join(', ')})`;
}
