import * as z from 'zod';
import { connection, kindFacts } from './kinds.ts';
import { endpoint } from './endpoints.ts';
import { fileFormat, writtenMarks } from './formats.ts';

/** What a test of a connection found. */
export const diagnosis = z.object({
  ok: z.boolean(),
  code: z.string(),
  message: z.string(),
  millis: z.number(),
  at: z.string(),
  sees: z.array(z.string()),
});
export type Diagnosis = z.infer<typeof diagnosis>;

export const systemId = z.string().regex(/^[a-z][a-z0-9-]{0,40}$/, 'use small letters, digits and hyphens');
export const newSystem = z.strictObject({ id: systemId, name: z.string().min(1).max(100), connection });
export type NewSystem = z.infer<typeof newSystem>;
/** When all datasets of a system are looked at and profiled by themselves: minute, hour, day, month, weekday, in a time zone. */
export const lookSchedule = z.strictObject({ cron: z.string().min(9).max(100), zone: z.string().min(1).max(60) });
export type LookSchedule = z.infer<typeof lookSchedule>;

/** The connection comes back without its secrets; `secretsSet` names those that are kept. */
export const system = newSystem.extend({
  facts: kindFacts,
  /** In a few words, where it is reached. */
  where: z.string(),
  /** Whether a person signs in at the other side. */
  signsIn: z.boolean(),
  secretsSet: z.array(z.string()),
  /** Its kept secrets can't be opened with the present key: they have to be given again. */
  secretsLost: z.boolean(),
  /** Since when the connection is in the state that the diagnosis says. */
  stateSince: z.string().nullable(),
  diagnosis: diagnosis.nullable(),
  /** Records that wait to be sent to it. */
  waiting: z.number(),
  usedBy: z.array(z.object({ id: z.string(), name: z.string(), as: z.enum(['source', 'target']) })),
  /** `next`: when it will be looked at the next time. */
  look: lookSchedule.extend({ next: z.string().nullable() }).nullable(),
});
export type System = z.infer<typeof system>;

/** Secrets that are left out stay as they are; an empty text takes one away. */
export const changedSystem = z.strictObject({ name: z.string().min(1).max(100), connection });
export type ChangedSystem = z.infer<typeof changedSystem>;

/** What people have settled about a dataset: how its file is read, how its records are asked for, or what it selects. */
export const datasetSetting = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('format'), format: fileFormat }),
  z.strictObject({ kind: z.literal('select'), sql: z.string().min(1).max(100_000) }),
  z.strictObject({ kind: z.literal('endpoint'), endpoint }),
]);
export type DatasetSetting = z.infer<typeof datasetSetting>;
export const saveSetting = z.strictObject({ dataset: z.string().min(1).max(300), setting: datasetSetting });

export const dataset = z.object({
  name: z.string(),
  description: z.string(),
  records: z.number().nullable(),
  bytes: z.number().nullable(),
  changedAt: z.string().nullable(),
  problem: z.string().nullable(),
});
export type Dataset = z.infer<typeof dataset>;

export const datasetField = z.object({
  name: z.string(),
  type: z.string(),
  nullable: z.boolean(),
  key: z.boolean(),
  /** For people: a label or comment, and what it refers to (`table.field`). */
  label: z.string().nullable().optional(),
  description: z.string().nullable().optional(),
  references: z.string().nullable().optional(),
  example: z.string().nullable(),
});
export type DatasetField = z.infer<typeof datasetField>;

/** A dataset as it is known: structure, and for files how they are read and why. */
export const datasetDetail = z.object({
  system: z.string(),
  systemName: z.string(),
  name: z.string(),
  fields: z.array(datasetField),
  format: z.array(z.object({ label: z.string(), value: z.string() })),
  guessedFrom: z.array(z.string()),
  /** As it is read now; null where there is nothing to settle. */
  setting: datasetSetting.nullable(),
  /** Whether a person settled it, and did not leave it to the guess. */
  settled: z.boolean(),
  /** The first lines of the text as they are, for drawing columns. */
  lines: z.array(z.string()),
  /** Other datasets in the same file, with what they are. */
  parts: z.array(z.object({ name: z.string(), description: z.string() })),
  files: z.array(z.string()),
  bytes: z.number().nullable(),
  changedAt: z.string().nullable(),
});
export type DatasetDetail = z.infer<typeof datasetDetail>;

/** What was learned from all records of a dataset: how many there are, how many of them can't be read, which fields are new. */
export const learnedStructure = z.object({
  detail: datasetDetail,
  records: z.number(),
  unread: z.number(),
  added: z.array(z.string()),
});
export type LearnedStructure = z.infer<typeof learnedStructure>;

export const rowsQuery = z.object({
  dataset: z.string().min(1),
  limit: z.coerce.number().int().min(1).max(2000).default(100),
  filter: z.string().max(20_000).optional(),
  /** A rule to sort by; `-` before it turns the order round. */
  sort: z.string().max(20_000).optional(),
});
export const sampleRow = z.object({
  row: z.number(),
  file: z.string().nullable(),
  values: z.array(z.string().nullable()),
  problem: z.string().nullable(),
});
export type SampleRow = z.infer<typeof sampleRow>;
/** What the values shown seem to be: the typed value where it differs from the text, and what looks damaged. */
export const reading = z.object({
  /** `sort`: the rule that sorts by the field as what it reads as. */
  fields: z.array(z.object({ name: z.string(), readsAs: z.string(), sort: z.string() })),
  cells: z.array(z.array(z.object({ at: z.number(), typed: z.string().nullable(), damage: z.string().nullable() }))),
  /** How the dataset's format declares its numbers and dates to be written; null where nobody did. */
  declared: writtenMarks.nullable(),
});
/** Rows as text. `looked` counts the rows that were read to find them. `reading` is null where the system itself has types. */
export const rows = z.object({
  fields: z.array(z.string()),
  rows: z.array(sampleRow),
  reading: reading.nullable(),
  looked: z.number(),
  more: z.boolean(),
  /** How many records the dataset has, where all of them were looked at. */
  all: z.number().nullable(),
});
export type Rows = z.infer<typeof rows>;

/** Records as JSON, one or a list; `bad` is the place (from 1) of the one that must be refused. */
export const tryWrite = z.strictObject({
  dataset: z.string().min(1),
  records: z.string().min(2).max(100_000),
  bad: z.number().int().min(1).max(1000).default(1),
});
export type TryWrite = z.infer<typeof tryWrite>;
export const triedWrite = z.object({
  status: z.number(),
  answer: z.string(),
  /** What the answer means by the settings as they are. */
  means: z.string(),
  /** Settings by which it would be understood, with what they were seen from. */
  proposal: z.object({ patch: z.record(z.string(), z.unknown()), because: z.string() }).nullable(),
});
export type TriedWrite = z.infer<typeof triedWrite>;
