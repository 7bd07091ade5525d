import { mappingSchema } from '@versicle/core';
import * as z from 'zod';

export const codes = mappingSchema.shape.codeTables.unwrap().valueType;
export type Codes = z.infer<typeof codes>;

/** An outside service that translates one code at a time: GET path, with {code} where the code goes. */
export const translation = z.strictObject({
  system: z.string().min(1),
  path: z.string().min(1).includes('{code}', { message: 'say with {code} where the code goes' }),
  /** The member of the answer that holds the new code; dots lead into it. */
  to: z.string().min(1),
});
export type Translation = z.infer<typeof translation>;

/** A mapping that uses a code table, and how its own copy differs. */
export const tableUse = z.object({
  mapping: z.string(),
  name: z.string(),
  /** Numbers of the lines that translate by it. */
  lines: z.array(z.number()),
  same: z.boolean(),
  /** Codes that only the table has, only the mapping has, or that differ. */
  lacks: z.number(),
  more: z.number(),
  differs: z.number(),
});
export type TableUse = z.infer<typeof tableUse>;

/** A code that records failed on, or went on without. */
export const missingCode = z.object({
  from: z.string(),
  failed: z.number(),
  remarks: z.number(),
  mappings: z.array(z.object({ mapping: z.string(), name: z.string(), cause: z.string(), line: z.string() })),
});
export type MissingCode = z.infer<typeof missingCode>;

export const codeTableSummary = z.object({
  name: z.string(),
  description: z.string(),
  codes: z.number(),
  /** Whether it is a document of its own; otherwise it stands in mappings only. */
  kept: z.boolean(),
  usedIn: z.array(tableUse),
  missing: z.number(),
  updatedAt: z.string().nullable(),
  updatedBy: z.string().nullable(),
});
export type CodeTableSummary = z.infer<typeof codeTableSummary>;

export const codeTable = z.object({
  name: z.string(),
  description: z.string(),
  codes,
  otherwise: z.string().nullable(),
  translation: translation.nullable(),
  version: z.number(),
  updatedAt: z.string(),
  updatedBy: z.string(),
  usedIn: z.array(tableUse),
  missing: z.array(missingCode),
});
export type CodeTable = z.infer<typeof codeTable>;

export const newCodeTable = z.strictObject({
  name: z.string().trim().min(1).max(100),
  description: z.string().max(2000).default(''),
  codes: codes.default([]),
  /** Instead of codes: the mapping whose own table of this name is taken. */
  fromMapping: z.string().nullable().default(null),
  otherwise: z.string().nullable().default(null),
});
export const saveCodeTable = z.strictObject({
  description: z.string().max(2000),
  codes,
  otherwise: z.string().nullable(),
  translation: translation.nullable(),
  version: z.number().int(),
});

/** A file that holds codes, as Base64; reading it changes nothing. `beside`: the kept table that it is compared with. */
export const readCodes = z.strictObject({
  fileName: z.string().min(1).max(300),
  content: z.string().min(1),
  beside: z.string().nullable(),
});
export const codesRead = z.object({
  codes,
  added: z.number(),
  changed: z.number(),
  /** Codes that only the table has. */
  gone: z.number(),
  /** Codes that stand in the file twice. */
  twice: z.array(z.string()),
});
export type CodesRead = z.infer<typeof codesRead>;

export const translate = z.strictObject({ codes: z.array(z.string()).min(1).max(500) });
export const translated = z.array(
  z.object({ from: z.string(), to: z.string().nullable(), problem: z.string().nullable(), cached: z.boolean() }),
);
export type Translated = z.infer<typeof translated>;

export const tableParams = z.object({ name: z.string().min(1).max(100) });
