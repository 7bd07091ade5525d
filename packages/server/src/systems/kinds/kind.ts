import type {
  Connection,
  Counted,
  Dataset,
  DatasetDetail,
  DatasetSetting,
  Diagnosis,
  KindFacts,
  Rows,
  TriedWrite,
} from '@versicle/contract';
import type { Written } from '../../http/written.ts';
import {
  marksOf,
  type Cells,
  type Column,
  type DeclaredMarks,
  type Delivered,
  type Delivery,
  type ChunkEncodingName,
  type FileFormat,
  type Learned,
  type MappingDocument,
  type Pace,
  type TargetField,
  type Marks,
  type RawRow,
  type Rejection,
  type SourceField,
  type Window,
} from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type * as z from 'zod';

/** Files that a run reads in its own thread, as plain data that can be sent there and kept. */
export interface SourcePlan {
  readonly kind: 'files';
  readonly files: readonly {
    readonly path: string;
    readonly name: string;
    readonly bytes: number;
    readonly changed: number;
    /** What its bytes sum up to, where it was fetched and is kept by us. */
    readonly sum?: string;
  }[];
  readonly format: FileFormat;
  readonly fields: readonly SourceField[];
  /** Composed records: what the datasets' formats declare, by alias. */
  readonly marks?: Readonly<Record<string, Marks>>;
  /** Composed records: how many of the primary dataset come before each of its files. */
  readonly before?: Readonly<Record<string, number>>;
  /** Fetched records of which nothing says what fields they have: those that were expected and that no record has, and how many there are. */
  readonly absent?: { readonly fields: readonly string[]; readonly records: number };
  /** The types of the fields, where the system itself says them. */
  readonly types?: Readonly<Record<string, string>>;
  /** What people should know of the files, such as a column that one of them lacks. */
  readonly remarks?: readonly string[];
}
/** How the records of a plan write numbers and dates. */
export function marksOfPlan({ marks, format }: SourcePlan): DeclaredMarks {
  return marks ? new Map(Object.entries(marks)) : marksOf(format);
}

export const beforeOfPlan = ({ before }: SourcePlan): ReadonlyMap<string, number> =>
  new Map(Object.entries(before ?? {}));

/** Consecutive records of a dataset; `firstRow` counts within `file` where there is one. */
export interface SourceBatch {
  readonly fields: readonly string[];
  readonly rows: readonly RawRow[];
  readonly file: string | null;
}
export type Found = Omit<Diagnosis, 'at' | 'millis'>;
export type Described = Omit<DatasetDetail, 'system' | 'systemName'>;

/** The run that a target works for. */
export interface TargetRun {
  /** Its own id, which no other run anywhere has. */
  readonly uid: string;
  /** It began before runs had ids: journals know it by its number. */
  readonly legacy: boolean;
  /** How often it was taken on, this time counted. */
  readonly claim: number;
  readonly kind: 'full' | 'replay';
  /** Share of the target's rows (0 to 1) that may go without a person's word; null: a person has spoken. */
  readonly mayRemove: number | null;
  /** Aborted when the run is cancelled or the server stops. */
  readonly signal: AbortSignal;
}
/** How a run ended at its target; `asks`: what a person must say yes to first. */
export interface Finished {
  readonly log: readonly string[];
  readonly asks?: string;
}
/** Where finished records go: its lane says how they get there (engine/lanes). */
export type Target = BulkTarget | QueueTarget;
interface AnyTarget {
  /** In which form it takes finished records. */
  readonly encoding: ChunkEncodingName;
  /** What stands against the document before anything is made, asked at publishing. Throws a fault. */
  check?(document: MappingDocument, dataset: string): Promise<void>;
  /** What a person should know before records are written. */
  outlook?(document: MappingDocument, dataset: string): Promise<TargetOutlook>;
  /** Gives the dataset the fields that it lacks, and names them. Throws a fault. */
  addFields?(document: MappingDocument, dataset: string): Promise<string[]>;
  /** Makes or checks what the document describes. Gives lines for the log. Throws a fault. */
  prepare(document: MappingDocument, dataset: string, run: TargetRun): Promise<string[]>;
}
export interface TargetOutlook {
  /** Fields that the document loads, and the dataset has not. */
  readonly lacking: readonly TargetField[];
  /** Whether records are there already. */
  readonly holds: boolean;
}
/** Takes whole chunks. A chunk that was delivered already is not delivered twice. */
export interface BulkTarget extends AnyTarget {
  readonly lane: 'bulk';
  /** When its next window opens; null: it takes records now. */
  opens?(now: Date): Date | null;
  /** Where it takes records at a pace only: how many in a chunk, and the milliseconds until so many may be sent. */
  readonly pace?: { readonly most: number; turn(records: number): Promise<number> };
  /** Throws an Outage when it can't be known now what became of the chunk: the same call later tells. */
  deliver(delivery: Delivery, run: TargetRun): Promise<Delivered>;
  /** What makes the delivered chunks whole when a run has ended well; done again, it gives the same. */
  finish?(document: MappingDocument, dataset: string, run: TargetRun): Promise<Finished>;
  /**
   * Deletes records by their keys, or sets fields of them; done again, it changes nothing more. Gives why some stay, by their
   * places. Throws an Outage when it can't be known what became of them.
   */
  tellGone?(dataset: string, gone: GoneRecords, run: TargetRun): Promise<ReadonlyMap<number, string>>;
  /**
   * A run was taken on: whoever had it before writes nothing more. `before`: that process, whose sessions there are ended, as
   * they would hold up this one; null: there was none, or it gave the run back. Gives what of it could not be done.
   */
  takeOn?(run: TargetRun, before: string | null): Promise<string | null>;
  /** Removes what a run needed only while it went on; `isDelivered`: what it loaded counts. */
  discard?(run: TargetRun, dataset: string, isDelivered: boolean): Promise<void>;
  /** What does the store good after a run. */
  care?(dataset: string, delivered: number): Promise<void>;
}
/** Records that the source has no more: the fields of the key, their values, and what is set in them; null: they are deleted. */
export interface GoneRecords {
  readonly key: readonly string[];
  readonly rows: readonly (readonly (string | null)[])[];
  readonly mark: Readonly<Record<string, string | null>> | null;
}
/** Is sent records by request, at its own pace, and says of each whether it took it. */
export interface QueueTarget extends AnyTarget {
  readonly lane: 'queue';
  readonly encoding: 'records';
  /** Seconds for which it may be away before a run breaks off; null: as long as is usual. */
  readonly outageSeconds: number | null;
  /** How records are sent into a dataset, as its settings are now. Throws a fault. */
  sending(dataset: string): Promise<Sending>;
}
export interface Sending {
  /** Records in a request. */
  readonly batch: number;
  /** Requests at a time. */
  readonly parallel: number;
  /** When the target's next window opens; null: it may be sent to now. */
  opens(now: Date): Date | null;
  /** As it is set. */
  readonly pace: { readonly most: Pace | null; readonly windows: readonly Window[] };
  /** Milliseconds between tries while it takes nothing, at the most. */
  readonly longestPause: number;
  /** The same request may be sent again, whatever became of it. */
  readonly repeats: boolean;
  /**
   * Gives the refusals; all other records were taken. Throws NothingDone, AbortedBefore or a fault where none of them was, an
   * Outage or Aborted where that is not known: the same records are sent `again` then. With the signal's reason CANCELLED,
   * nobody sends them again, and what is not known is refused as unclear.
   */
  send(batch: Batch, signal: AbortSignal): Promise<readonly Rejection[]>;
}
/** Records for one request. Its refusals name them by index, in part 0. */
export interface Batch {
  readonly columns: readonly Column[];
  readonly key: readonly string[];
  /** `id`: what the target may know the record by; it stays the same whenever the record is sent. */
  readonly items: readonly { readonly cells: Cells; readonly id: string }[];
  /** They were sent before, and what became of them is not known. */
  readonly again: boolean;
  /** Told of each request that went to the target for them. */
  readonly heard: (answer: Answer) => void;
}
/** A request to a target, and what came back. */
export interface Answer {
  readonly at: Date;
  /** Method and path, without what may be secret. */
  readonly asked: string;
  /** Null: no answer came. */
  readonly status: number | null;
  readonly millis: number;
  /** Of what was sent. */
  readonly bytes: number;
  /** The target's words where it did not simply say yes, or why no answer came. */
  readonly message: string | null;
}

/** One kind of system, opened on one connection. What a kind can't do it leaves out. */
export interface OpenSystem {
  test(): Promise<Found>;
  datasets(): Promise<Dataset[]>;
  describe(dataset: string): Promise<Described>;
  /** All records as text, in a steady order where the system has one; ends early when nobody asks for more. */
  read?(dataset: string, options: ReadOptions): AsyncIterable<SourceBatch>;
  /** The first records that meet a filter, where the system itself looks for them. */
  rows?(dataset: string, options: PreviewOptions): Promise<Written<Rows>>;
  /** A database says which fields a dataset has without reading a record; it carries out filter and sort itself. */
  columns?(dataset: string): Promise<readonly { readonly name: string; readonly type: string }[]>;
  /** How many of all records meet a filter, where the system itself can count. */
  count?(dataset: string, filter: string, signal?: AbortSignal): Promise<Counted>;
  /** Gives some records of the dataset by the values of a field (`keys` of `read`); null: all or nothing. */
  finds?(dataset: string): Promise<Finder | null>;
  /** What the records of a dataset are like, learned from all of them. Throws a fault. */
  learn?(dataset: string, signal?: AbortSignal): Promise<LearnedDataset>;
  /** Files that a run may read by itself; without it, a run lands the records first. */
  sourcePlan?(dataset: string, options: ReadOptions): Promise<SourcePlan>;
  /** Sends records as they are, of which the one at `bad` (from 1) must be refused, to learn how answers say so. */
  tryWrite?(dataset: string, records: string, bad: number): Promise<TriedWrite>;
  /** One question to an API, below its base address: the answer as JSON. Throws a fault. */
  ask?(path: string): Promise<unknown>;
  /** Carries out one statement, at most once for a run whatever becomes of the answer. Gives what is to be told of it. */
  carryOut?(statement: RunStatement): Promise<string>;
  /** One request below the base address, as it stands. Throws NothingDone where none arrived. */
  request?(asked: AskedRequest, signal: AbortSignal): Promise<AnsweredRequest>;
  arrivals?: Arrivals;
  /**
   * Takes what keeps coming, after the record that a checkpoint names, until the other side ends it, the system is closed or the
   * signal says so. Gives the milliseconds that the other side wants us to wait before we ask again. Throws what went wrong.
   */
  listen?(from: string | null, hears: Hears, signal: AbortSignal): Promise<number | null>;
  /** Writes down itself which records of a dataset change. */
  captures?: Captures;
  target?: Target;
  /** A folder of a name within it, made where it is not there: files are put there besides. Throws a fault for one that leads out. */
  folderWithin?(name: string): Promise<string>;
  /** Whatever goes on with it when its settings change ends as it began: it is not closed then. */
  readonly goesOn?: true;
  close?(): Promise<void>;
}
export interface RunStatement {
  readonly sql: string;
  readonly params: readonly string[];
  /** The run that it belongs to, which no other run anywhere has. */
  readonly uid: string;
  readonly signal: AbortSignal;
}
export interface AskedRequest {
  readonly method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  readonly path: string;
  readonly body: string | null;
  /** By which the other side may tell that it has done it already. */
  readonly id: string;
}
export interface AnsweredRequest {
  readonly status: number;
  readonly text: string;
}
export interface Finder {
  readonly field: string;
  /** Whether these are few enough to be asked for; with more, all records are read. */
  takes(keys: readonly string[]): boolean;
}
/** Files as they were when they were complete, or deliveries after one and up to another. */
export type Arrived = { readonly files: readonly ArrivedFile[] } | { readonly after: number; readonly to: number };
export interface ArrivedFile {
  readonly name: string;
  readonly bytes: number;
  /** When it was last written, in milliseconds. */
  readonly changed: number;
}
/** What can start a plan by arriving. */
export type Arrivals =
  | {
      readonly of: 'files';
      /** The files of a dataset that are there now. */
      list(dataset: string): Promise<readonly ArrivedFile[]>;
      /** Files that were worked off: moved into a folder beside them, or marked by an empty file. Gives what could not be. */
      settle(files: readonly ArrivedFile[], then: `move:${string}` | 'mark'): Promise<readonly string[]>;
    }
  | {
      readonly of: 'deliveries';
      /** The newest one; 0 where none came yet. */
      newest(): Promise<number>;
    };
/** Who is told of what comes. */
export interface Hears {
  /** The connection stands. */
  opened(): void;
  /** Keeps what came, each id once, and up to where. Gives how many came before with another body; those are kept, too. */
  take(came: readonly Came[], checkpoint: string | null): Promise<number>;
}
export interface Came {
  /** By which it is known when it comes again; null: it counts anew each time. */
  readonly id: string | null;
  readonly body: string;
  /** What sort of event the other side calls it. */
  readonly event: string | null;
}
/** What changed of a dataset, as the system itself wrote it down for a consumer that has a name there. */
export interface Captures {
  /** What stands against it, for a person; null where nothing does. */
  problem(dataset: string): Promise<string | null>;
  /** Sees to it that changes are written down from now on. Gives whether they were already, without a gap. */
  ensure(dataset: string, consumer: string): Promise<boolean>;
  /** What was written down and not confirmed yet; it stays until it is confirmed. */
  take(dataset: string, consumer: string): Promise<Captured>;
  /** What was taken is not needed any more; told twice, it is the same. */
  confirm(consumer: string, upTo: string): Promise<void>;
  /** What lies there for a consumer, in bytes; 0 where nothing is written down for it. */
  size(consumer: string): Promise<number>;
  /** Nothing is written down for it any more. */
  forget(consumer: string): Promise<void>;
}
export interface Captured {
  /** The fields by which records are known, and the keys of those that came, changed or went, each once; null: any may have. */
  readonly fields: readonly string[];
  readonly keys: readonly (readonly string[])[] | null;
  /** Up to where it goes. */
  readonly upTo: string;
}
/** What was learned of a dataset from all of its records, and which fields nobody knew of before. */
export interface LearnedDataset extends Learned {
  readonly added: readonly string[];
}
/** How the files of a dataset are read: what they were found to be, and the fields that they had. */
export interface Reading {
  readonly format: FileFormat;
  readonly fields: readonly string[];
}
export interface ReadOptions {
  /** Aborted when nobody waits for the records any more. */
  readonly signal?: AbortSignal | undefined;
  /** All of them are wanted, as they are at one instant; left out, whoever reads may leave off after the first ones. */
  readonly whole?: boolean;
  /** Told of each request that it takes, where the records come by requests. */
  readonly heard?: (() => void) | undefined;
  /** Whether nested records come with the whole record as `_doc`. */
  readonly withDoc?: boolean;
  /** A rule that rows must meet, and one to sort by (`-` before it turns the order round); only where the system has `columns`. */
  readonly filter?: string;
  readonly sort?: string;
  /** How its files are read, where that was settled when the mapping was published; what a person settled goes before it. */
  readonly as?: Reading | null;
  /** Variables of a plan, for places such as `{{region}}`; they stand before those of the connection. */
  readonly variables?: ReadonlyMap<string, string>;
  /** Only these files of the dataset, or only what arrived between two deliveries; where the kind has `arrivals`. */
  readonly only?: Arrived;
  /** Only the records of these keys, by the fields that `captures` knows them by. */
  readonly rows?: Pick<Captured, 'fields'> & { readonly keys: readonly (readonly string[])[] };
  /** Only records with one of these values are wanted, and perhaps others; only where `finds` takes them. */
  readonly keys?: readonly string[];
}

/** Which records a person wants to see. */
export interface PreviewOptions {
  readonly filter: string | null;
  /** A rule; `-` before it turns the order round. */
  readonly sort: string | null;
  readonly limit: number;
  /** Aborted when nobody waits any more. */
  readonly signal?: AbortSignal;
}
/** A folder and what people settled about its datasets, as plain data. */
export interface FolderPlace {
  readonly root: string;
  readonly settings: ReadonlyMap<string, DatasetSetting>;
}
export type FolderReadOptions = Pick<ReadOptions, 'withDoc' | 'only' | 'as'>;
/** Looks into the files of folders, within bounds and away from the thread that answers requests. */
export interface FolderLooks {
  describe(place: FolderPlace, dataset: string): Promise<Described>;
  plan(place: FolderPlace, dataset: string, options: FolderReadOptions, signal?: AbortSignal): Promise<SourcePlan>;
  /** Written where they are read: a hundred thousand values take long. */
  rows(place: FolderPlace, dataset: string, options: PreviewOptions): Promise<Written<Rows>>;
  count(place: FolderPlace, dataset: string, filter: string, signal?: AbortSignal): Promise<Counted>;
  learn(place: FolderPlace, dataset: string, signal?: AbortSignal): Promise<LearnedDataset>;
  read(
    place: FolderPlace,
    dataset: string,
    options: FolderReadOptions,
    signal?: AbortSignal,
  ): AsyncGenerator<SourceBatch>;
}

/** What a kind may ask of the house. */
export interface KindContext {
  readonly system: string;
  readonly folders: FolderLooks;
  embedded(name: string): Promise<Database>;
  /** What people settled about the system's datasets. */
  settings(): Promise<ReadonlyMap<string, DatasetSetting>>;
  /** Tokens that must outlive a request, such as a refresh token; kept encrypted. */
  keepSecret(name: string, value: string): Promise<void>;
  keptSecret(name: string): Promise<string | null>;
  /** Does what only one at a time may do with the system, in all processes on the store. */
  alone<T>(work: () => Promise<T>): Promise<T>;
  /** Records that were sent to us (webhooks). */
  received(
    afterId: number,
    limit: number,
  ): Promise<{ id: number; receivedAt: string; headers: string; body: string }[]>;
  receivedCount(): Promise<number>;
  /** The newest of them; 0 where none came yet. */
  newestReceived(): Promise<number>;
  /** Takes the next place among the requests to the system, so many milliseconds apart. Gives how long it is until then. */
  turn(apart: number): Promise<number>;
}

/** A kind of system: `C` is what it takes to reach one of them. It is made known in index.ts, and nowhere else. */
export interface Kind<C extends Connection> {
  /** What people see of it; `kind` is its name in the API. */
  readonly facts: KindFacts;
  /** What a connection must be, and the form for it. */
  readonly settings: z.ZodObject;
  /** In a few words, where a system is reached; `id` is its name in documents. */
  where(connection: C, id: string): string;
  /** Entries that say where a connection goes: what was kept for one place is not sent to another. */
  readonly place: readonly (keyof C & string)[];
  /** A secret entry that is made for whoever gives none, and shown once. */
  readonly makes?: keyof C & string;
  /** Its systems are listened to: their records come by themselves over a connection that we hold open. */
  readonly listens?: true;
  /** Whether a person signs in at the other side. */
  signsIn?(connection: C): boolean;
  open(connection: C, context: KindContext): OpenSystem | Promise<OpenSystem>;
  /** What to refuse before anything is saved; throws a fault. */
  check?(connection: C): void;
}
