import { LINE_STATES, mappingSchema } from '@versicle/core';
import * as z from 'zod';

export const mappingSummary = z.object({
  id: z.string(),
  name: z.string(),
  /** The first dataset of its source set, and the others that are looked up or stand below it. */
  source: z.string(),
  further: z.array(z.string()),
  target: z.string(),
  lines: z.number(),
  states: z.record(z.string(), z.number()),
  revision: z.number().nullable(),
  /** Lines that differ from the newest revision. */
  changed: z.number(),
  openFailures: z.number(),
  updatedAt: z.string(),
});
export type MappingSummary = z.infer<typeof mappingSummary>;

export const lineFailures = z.object({ line: z.string(), open: z.number() });
export const mappingDetail = z.object({
  id: z.string(),
  document: mappingSchema,
  /** Counts up with each save; a save names the version it started from. */
  version: z.number(),
  revision: z.number().nullable(),
  publishedAt: z.string().nullable(),
  publishedBy: z.string().nullable(),
  changedLines: z.array(z.string()),
  failures: z.array(lineFailures),
  /** Open failed records, each once, also those that lie under no line. */
  openFailures: z.number(),
  plan: z.string().nullable(),
  updatedAt: z.string(),
});
export type MappingDetail = z.infer<typeof mappingDetail>;

/** Somebody who has the sheet open in a page of their own. */
export const presentPerson = z.object({ page: z.string(), person: z.string(), line: z.string().nullable() });
export type PresentPerson = z.infer<typeof presentPerson>;
/** A sign of life of an open sheet; `left`: it was closed. */
export const amHere = z.strictObject({
  page: z.string().min(1).max(60),
  line: z.string().max(60).nullable(),
  left: z.boolean().default(false),
});

export const newMapping = z.strictObject({ document: mappingSchema });
/** `save`: a name for this save, by which a browser that left before the answer came can ask whether it arrived. */
export const saveDraft = z.strictObject({
  document: mappingSchema,
  version: z.number().int(),
  save: z.uuid().optional(),
});
export type SaveDraft = z.infer<typeof saveDraft>;
export const arrivedSave = z.object({ arrived: z.boolean() });
export const savedDraft = z.object({ version: z.number(), changedLines: z.array(z.string()), updatedAt: z.string() });
export type SavedDraft = z.infer<typeof savedDraft>;

/** What could fill a line that is still to map, with the reason; taken, it is a draft. */
export const suggestion = z.object({
  line: z.string(),
  target: z.string(),
  kind: z.enum(['straight', 'rule', 'lookup', 'constant']),
  source: z.string().optional(),
  rule: z.string().optional(),
  codeTable: z.string().optional(),
  value: z.string().optional(),
  condition: z.string().optional(),
  default: z.string().optional(),
  defaultWhen: z.enum(['condition', 'null']).optional(),
  confidence: z.number(),
  reason: z.string(),
});

/** Groups of words that mean the same in names of fields; each group of two words and more. */
export const synonyms = z.strictObject({
  groups: z
    .array(z.array(z.string().trim().min(1, 'a word can’t be empty').max(60)).min(2, 'a group needs two words').max(40))
    .max(500),
});
export type Synonyms = z.infer<typeof synonyms>;

export const publish = z.strictObject({ note: z.string().max(2000).default('') });
export const revision = z.object({
  number: z.number(),
  note: z.string(),
  publishedAt: z.string(),
  publishedBy: z.string(),
});
export type Revision = z.infer<typeof revision>;

/** A workbook that comes back, as Base64. */
export const workbookBack = z.strictObject({ fileName: z.string().min(1).max(300), content: z.string().min(1) });

const partChange = z.object({ part: z.string(), before: z.string(), after: z.string() });
export const lineChange = z.object({
  line: z.string(),
  target: z.string(),
  change: z.enum(['added', 'removed', 'changed']),
  parts: z.array(partChange),
});
export type LineChange = z.infer<typeof lineChange>;
/** `from` and `to`: a revision's number, or "draft". */
export const differenceQuery = z.object({ from: z.string(), to: z.string() });
export const difference = z.object({
  from: z.string(),
  to: z.string(),
  lines: z.array(lineChange),
  /** Beside the lines. */
  other: z.array(partChange),
});
export type Difference = z.infer<typeof difference>;

/** What a workbook says together with what changed in the draft meanwhile, and how that differs from the draft; nothing is changed by reading it. */
export const workbookRead = z.object({
  document: mappingSchema,
  difference,
  /** What was changed in the draft, too, since the workbook went out; the workbook's change is taken. */
  clashes: z.array(z.object({ what: z.string(), line: z.string().nullable() })),
  /** Words in columns that take only a few others; there the document stays as it went out. */
  mistaken: z.array(
    z.object({
      sheet: z.string(),
      row: z.number(),
      column: z.string(),
      value: z.string(),
      choices: z.array(z.string()),
      /** The sentence for the person. */
      says: z.string(),
    }),
  ),
  /** The mapping that the workbook was made of, when it is another one. */
  ofOther: z.string().nullable(),
});
export type WorkbookRead = z.infer<typeof workbookRead>;

/** A line of any mapping, as the view over all of them shows it. */
export const lineOfAll = z.object({
  mapping: z.string(),
  name: z.string(),
  target: z.string(),
  field: z.string(),
  label: z.string(),
  type: z.string(),
  required: z.boolean(),
  key: z.boolean(),
  line: z.string(),
  number: z.number(),
  source: z.string(),
  how: z.string(),
  state: z.enum(LINE_STATES),
  /** Who set the state here, and when; null where the document came with it. */
  stateBy: z.string().nullable(),
  stateAt: z.string().nullable(),
  /** Open questions, and whom they wait for. */
  questions: z.number(),
  waitsFor: z.array(z.string()),
  failures: z.number(),
});
export type LineOfAll = z.infer<typeof lineOfAll>;

/** What happened to a line, newest first, with what people said about it. */
export const lineHistory = z.array(
  z.object({
    id: z.number(),
    what: z.enum(['added', 'removed', 'edited', 'state', 'comment', 'published']),
    /** What was said; of a revision, its note. */
    message: z.string(),
    /** Why it was done, as whoever did it says; empty while nothing is said. */
    why: z.string(),
    /** Whether whoever asks may say why: they did it. */
    yours: z.boolean(),
    /** The revision that the line went out with. */
    revision: z.number().nullable(),
    parts: z.array(z.object({ part: z.string(), before: z.string(), after: z.string() })),
    by: z.string(),
    at: z.string(),
  }),
);
export type LineHistory = z.infer<typeof lineHistory>;
export const reason = z.strictObject({ why: z.string().trim().max(1000) });
export const newComment = z.strictObject({ text: z.string().trim().min(1, 'say something').max(4000) });

/** A starter: a document to begin others with. */
export const starter = z.object({
  id: z.string(),
  name: z.string(),
  purpose: z.string(),
  lines: z.number(),
  /** Those that come with Versicle can't be removed. */
  shipped: z.boolean(),
  keptBy: z.string(),
});
export type Starter = z.infer<typeof starter>;
export const keepStarter = z.strictObject({ mapping: z.string(), name: z.string().trim().min(1).max(200) });
export const useStarter = z.strictObject({
  name: z.string().trim().min(1).max(200),
  source: z.string().min(3),
  target: z.string().min(3),
});

export const outlookQuery = z.object({
  /** What is looked at: the draft, before it is published, or what a run would carry out. */
  of: z.enum(['draft', 'revision']).default('draft'),
});
/** What the target has, against what a document would write into it. */
export const targetFit = z.object({
  /** Fields that are loaded, and the target lacks. */
  lacking: z.array(z.object({ name: z.string(), type: z.string() })),
  /** Why records would be there twice after a run; null where they would not. */
  twice: z.string().nullable(),
  /** What lines will have against records of the source, as its profile tells; `of`: how many it knows. */
  ahead: z.array(
    z.object({
      line: z.string(),
      number: z.number(),
      label: z.string(),
      message: z.string(),
      /** Records that are known to have such a value. */
      count: z.number(),
    }),
  ),
  of: z.number().nullable(),
});
export type TargetFit = z.infer<typeof targetFit>;
export const addedFields = z.object({ added: z.array(z.string()) });
