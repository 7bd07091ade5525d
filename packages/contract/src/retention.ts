import * as z from 'zod';

/** What is kept of what is over, and may be removed after a while. */
export const KEPT = ['runs', 'logs', 'courses', 'records', 'received', 'messages'] as const;
const limit = {
  days: z.number().int().min(1).max(36_500),
  /** Null: as much as comes. */
  megabytes: z.number().int().min(1).max(10_000_000).nullable(),
};
export const keptFor = z.object({
  name: z.enum(KEPT),
  ...limit,
  rows: z.number(),
  /** Of the rows themselves. */
  bytes: z.number(),
  /** When the oldest came; null where there is none. */
  oldest: z.string().nullable(),
});
export type KeptFor = z.infer<typeof keptFor>;
export const retention = z.object({
  kept: z.array(keptFor),
  /** What waits for targets, which is never removed by its age. */
  waiting: z.object({ rows: z.number(), bytes: z.number(), oldest: z.string().nullable() }),
  /** Of the whole store. */
  bytes: z.number(),
});
export type Retention = z.infer<typeof retention>;
export const savedRetention = z.strictObject({
  kept: z
    .array(z.strictObject({ name: z.enum(KEPT), ...limit }))
    .min(1)
    .max(KEPT.length),
});
export type SavedRetention = z.infer<typeof savedRetention>;
