import * as z from 'zod';

export const volumeQuery = z.object({
  by: z.enum(['day', 'month']).default('month'),
  plan: z.string().optional(),
  system: z.string().optional(),
});
export type VolumeQuery = z.input<typeof volumeQuery>;

/** What was moved in a day or month (of UTC) by a plan, from one system into another. */
export const volumeRow = z.object({
  /** `2026-11` or `2026-11-30`. */
  time: z.string(),
  plan: z.string(),
  planName: z.string(),
  /** Empty: a statement, a request, or failed records sent again read from no system. */
  source: z.string(),
  sourceName: z.string(),
  target: z.string(),
  targetName: z.string(),
  runs: z.number(),
  read: z.number(),
  delivered: z.number(),
  failed: z.number(),
  bytesRead: z.number(),
  /** By requests only: what goes into databases and files is not counted in bytes. */
  bytesSent: z.number(),
  requests: z.number(),
});
export type VolumeRow = z.infer<typeof volumeRow>;
/** The newest time first; `from`: the first time that is looked at. */
export const volume = z.object({ from: z.string(), rows: z.array(volumeRow) });
export type Volume = z.infer<typeof volume>;
