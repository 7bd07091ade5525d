import * as z from 'zod';

/** How a file is read, as people settle it; the same shapes as core's FileFormat. */
const encoding = z.enum(['utf-8', 'windows-1252', 'utf-16le', 'utf-16be', 'iso-8859-15']);
const skipLines = z.number().int().min(0).max(10_000);
const fieldName = z.string().min(1).max(200);

/** How numbers and dates are written, where not as PostgreSQL does; dates in its pattern letters, null: ISO 8601. */
export const writtenMarks = z.strictObject({
  decimal: z.enum(['.', ',']),
  dates: z.string().min(2).max(40).nullable(),
});
const marks = writtenMarks.optional();

/** What becomes of values that no field is for. */
const unknown = z.enum(['told', 'taken', 'ignored', 'refused']).optional();

/** Rows of a report that are no records. */
const leavesOut = {
  withoutShort: z.boolean().optional(),
  withoutBeginning: z.string().max(400).optional(),
};

const delimited = z.strictObject({
  kind: z.literal('delimited'),
  encoding,
  delimiter: z.string().length(1),
  quote: z.string().max(1),
  newline: z.enum(['\n', '\r']),
  skipLines,
  header: z.boolean(),
  emptyIsNull: z.boolean(),
  marks,
  unknown,
  ...leavesOut,
});
const jsonl = z.strictObject({
  kind: z.literal('jsonl'),
  encoding,
  fields: z.array(z.string()).max(20_000).optional(),
  unknown,
});
const fixed = z.strictObject({
  kind: z.literal('fixed'),
  encoding,
  skipLines,
  columns: z
    .array(
      z.strictObject({
        name: fieldName,
        from: z.number().int().min(1).max(100_000),
        width: z.number().int().min(1).max(100_000),
      }),
    )
    .min(1)
    .max(2000),
  newline: z.enum(['\n', '\r']).optional(),
  counts: z.enum(['characters', 'bytes']).optional(),
  emptyIsNull: z.boolean(),
  marks,
  unknown,
  ...leavesOut,
});
const nested = {
  encoding,
  records: z.string().max(1000),
  structures: z.array(z.strictObject({ path: z.string(), fields: z.array(z.string()) })).max(2000),
  part: z.string(),
  beside: z.array(z.string().max(400)).max(100).optional(),
  withDoc: z.boolean(),
  unknown,
};
const json = z.strictObject({ kind: z.literal('json'), ...nested });
const xml = z.strictObject({ kind: z.literal('xml'), ...nested });
const xlsx = z.strictObject({
  kind: z.literal('xlsx'),
  sheet: z.string().min(1),
  range: z.string().max(40).nullable(),
  skipLines,
  header: z.boolean(),
  mergedRepeat: z.boolean().optional(),
  width: z.number().int().min(1).max(20_000).optional(),
  unknown,
});
export const fileFormat = z.discriminatedUnion('kind', [delimited, jsonl, fixed, json, xml, xlsx]);
