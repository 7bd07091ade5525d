import * as z from 'zod';

const count = z.object({ value: z.string(), count: z.number() });
export const fieldProfile = z.object({
  name: z.string(),
  filled: z.number(),
  distinct: z.number(),
  distinctExact: z.boolean(),
  min: z.string().nullable(),
  max: z.string().nullable(),
  shortest: z.number().nullable(),
  longest: z.number().nullable(),
  patterns: z.array(count),
  top: z.array(count),
  topExact: z.boolean(),
  meaning: z.object({ name: z.string(), words: z.string(), share: z.number() }).nullable(),
  damages: z.array(z.object({ what: z.string(), count: z.number(), example: z.string() })),
});
export const datasetProfile = z.object({
  records: z.number(),
  unreadable: z.number(),
  fields: z.array(fieldProfile),
  keys: z.array(z.array(z.string())),
  keysTriedOn: z.number(),
});
export type FieldProfileDto = z.infer<typeof fieldProfile>;
const dimension = z.enum(['completeness', 'uniqueness', 'validity', 'consistency']);
export const finding = z.object({
  dimension,
  field: z.string().nullable(),
  what: z.string(),
  count: z.number(),
  of: z.number(),
  filter: z.string().nullable(),
  rows: z.array(z.object({ row: z.number(), file: z.string().nullable(), value: z.string().nullable() })),
});
export type FindingDto = z.infer<typeof finding>;
export const quality = z.object({
  records: z.number(),
  clean: z.number(),
  findings: z.array(finding),
  dimensions: z.record(dimension, z.number().nullable()),
});
/** A field that holds only values that occur in the key of another dataset. */
export const containment = z.object({ field: z.string(), in: z.string(), share: z.number() });

export const dataCheck = z.object({ id: z.number(), rule: z.string(), message: z.string() });
export const newCheck = z.strictObject({
  dataset: z.string().min(1),
  rule: z.string().min(1).max(20_000),
  message: z.string().min(1).max(300),
});
export const lookedOver = z.object({ person: z.string(), note: z.string(), at: z.string(), stillTrue: z.boolean() });
export const markLookedOver = z.strictObject({ dataset: z.string().min(1), note: z.string().max(2000) });
export const askProfile = z.strictObject({
  dataset: z.string().min(1),
  /** Null: all rows. */
  rowLimit: z.number().int().min(1).nullable().default(null),
});
/** What is known about a dataset's records; `result` is null while nothing was found out yet. */
export const knowledge = z.object({
  state: z.enum(['none', 'running', 'done', 'failed']),
  problem: z.string().nullable(),
  at: z.string().nullable(),
  /** Whether all records were looked at. */
  rowLimit: z.number().nullable(),
  result: z
    .object({ profile: datasetProfile, quality, references: z.array(containment), millis: z.number() })
    .nullable(),
  /** Earlier ones, oldest first: records, and those with nothing against them. */
  history: z.array(z.object({ at: z.string(), records: z.number(), clean: z.number() })),
  checks: z.array(dataCheck),
  lookedOver: lookedOver.nullable(),
});
export type Knowledge = z.infer<typeof knowledge>;
