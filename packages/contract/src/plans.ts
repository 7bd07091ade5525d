import * as z from 'zod';

/** Share of a table's rows (0 to 1) that a run may remove without asking a person. */
const removesAtMost = z.number().min(0).max(1);
export const newPlan = z.strictObject({
  name: z.string().min(1).max(100),
  mapping: z.string(),
  removesAtMost: removesAtMost.optional(),
});
export const changedPlan = z.strictObject({ removesAtMost });
export const plan = z.object({
  id: z.string(),
  name: z.string(),
  mapping: z.string(),
  mappingName: z.string(),
  revision: z.number().nullable(),
  writes: z.string(),
  removesAtMost,
  lastRun: z.number().nullable(),
  lastState: z.string().nullable(),
  lastAt: z.string().nullable(),
});
export type Plan = z.infer<typeof plan>;
/** `rowLimit`: read only so many records, for a first try. */
export const startPlan = z.strictObject({ rowLimit: z.number().int().min(1).max(1_000_000_000).nullish() });
export const startedRun = z.object({ run: z.number() });
