import * as z from 'zod';

export const structureField = z.object({
  name: z.string(),
  label: z.string().nullable(),
  type: z.string(),
  nullable: z.boolean(),
  key: z.boolean(),
  references: z.string().nullable(),
  description: z.string().nullable(),
});
export const structureChange = z.object({
  what: z.enum(['added', 'removed', 'retyped']),
  field: z.string(),
  before: z.string().nullable(),
  after: z.string().nullable(),
  /** Lines of mappings that use the field. */
  touches: z.array(z.object({ mapping: z.string(), name: z.string(), line: z.string(), number: z.number() })),
});
export type StructureChangeDto = z.infer<typeof structureChange>;
/** One state of a structure, with what differs from the one before; newest first. */
export const structureVersion = z.object({
  number: z.number(),
  source: z.string(),
  at: z.string(),
  fields: z.number(),
  changes: z.array(structureChange),
});
export type StructureVersion = z.infer<typeof structureVersion>;

export const importStructure = z.strictObject({
  /** The dataset that it describes; null: it names its own (an API's description, a dictionary of many tables). */
  dataset: z.string().nullable(),
  fileName: z.string().min(1).max(300),
  /** Base64. */
  content: z.string().max(20_000_000),
});
export const imported = z.object({
  what: z.string(),
  /** `added`: fields that its records can have besides, as the description says; they are read from now on. */
  datasets: z.array(z.object({ name: z.string(), fields: z.number(), added: z.array(z.string()) })),
});
export type Imported = z.infer<typeof imported>;

export const foundField = z.object({
  system: z.string(),
  systemName: z.string(),
  dataset: z.string(),
  field: structureField,
});
export type FoundField = z.infer<typeof foundField>;
/** What a look at all datasets of a system found. */
export const catalogued = z.object({
  datasets: z.number(),
  fields: z.number(),
  problems: z.array(z.object({ dataset: z.string(), message: z.string() })),
});
