import * as z from 'zod';
import { writtenMarks } from './formats.ts';
import { sampleRow } from './systems.ts';

/** Sample records of a mapping's source, as its lines get them. */
export const mappingSample = z.object({
  fields: z.array(z.string()),
  rows: z.array(sampleRow),
  /** How a source of one dataset declares its numbers and dates to be written; by alias where it is a set of several. */
  declared: writtenMarks.nullable(),
  declaredBy: z.record(z.string(), writtenMarks),
  /** What mapped_key() finds, by mapping; the first keys of very large maps. */
  keyMaps: z.record(z.string(), z.array(z.tuple([z.string(), z.string()]))),
  /** What plans give to rules now. */
  variables: z.record(z.string(), z.string()),
  /** How the first rows of the primary dataset became records; null where one dataset is read as it is. */
  composed: z
    .object({
      read: z.number(),
      multiplied: z.number(),
      unmatched: z.number(),
      filtered: z.number(),
      folded: z.number(),
      records: z.number(),
      remarks: z.array(z.string()),
    })
    .nullable(),
});
export type MappingSample = z.infer<typeof mappingSample>;

const met = z.array(z.object({ values: z.record(z.string(), z.string().nullable()), count: z.number() }));
/** What one join of a source set finds, over all records. */
export const joinFigures = z.object({
  alias: z.string(),
  dataset: z.string(),
  left: z.number(),
  right: z.number(),
  /** How many keys the dataset was asked for; null: all its records were read. */
  asked: z.number().nullable(),
  matched: z.number(),
  doubled: z.number(),
  most: z.number(),
  unused: z.number(),
  withoutPartner: met,
  unusedExamples: met,
  severalPartners: met,
  tooMany: z.boolean(),
});
export type JoinFigures = z.infer<typeof joinFigures>;

/** A condition that a further dataset could be joined by; `:alias` stands for its alias. */
export const keyProposal = z.object({ on: z.string(), confidence: z.number(), reason: z.string() });
export type KeyProposal = z.infer<typeof keyProposal>;
