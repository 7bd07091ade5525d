import { FOREIGN_PARTS, mappingSchema } from '@versicle/core';
import * as z from 'zod';

/** How a sheet of somebody's own making is laid out. */
export const foreignLayout = z.strictObject({
  sheet: z.string(),
  /** 0-based. */
  headerRow: z.number().int().min(0),
  columns: z.array(z.enum(FOREIGN_PARTS).nullable()),
});
export const lookAtForeign = z.strictObject({ fileName: z.string().min(1).max(300), content: z.string().min(1) });
export const foreignSheet = z.object({
  name: z.string(),
  /** The first rows, as they stand. */
  rows: z.array(z.array(z.string().nullable())),
  count: z.number(),
  headerRow: z.number(),
  headings: z.array(z.string()),
  columns: z.array(z.enum(FOREIGN_PARTS).nullable()),
  holds: z.enum(['lines', 'codes', 'something else']),
  /** A file of this shape was matched before; its columns are those of then. */
  remembered: z.boolean(),
  /** Targets that a column names. */
  targets: z.array(z.string()),
});
export type ForeignSheet = z.infer<typeof foreignSheet>;
export const foreignLook = z.object({ sheets: z.array(foreignSheet) });

export const readForeign = lookAtForeign.extend({
  name: z.string().trim().min(1).max(200),
  lines: foreignLayout,
  codes: z.array(foreignLayout).max(50),
  source: z.string().min(3),
  target: z.string().min(3),
  targetTable: z.string().nullable(),
});
export type ReadForeign = z.infer<typeof readForeign>;
export const foreignRead = z.object({
  document: mappingSchema,
  understood: z.number(),
  toMap: z.number(),
  left: z.array(z.string()),
});
export type ForeignRead = z.infer<typeof foreignRead>;
