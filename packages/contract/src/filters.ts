import * as z from 'zod';

/** A condition on a dataset's records that somebody kept under a name. */
export const keptFilter = z.object({
  id: z.number(),
  name: z.string(),
  condition: z.string(),
  person: z.string(),
});
export type KeptFilter = z.infer<typeof keptFilter>;

export const keepFilter = z.strictObject({
  dataset: z.string().min(1),
  name: z.string().trim().min(1).max(100),
  condition: z.string().trim().min(1).max(20_000),
});

export const countQuery = z.object({ dataset: z.string().min(1), filter: z.string().max(20_000) });
/** How many of all records meet a condition. */
export const counted = z.object({ met: z.number(), all: z.number() });
export type Counted = z.infer<typeof counted>;
