import * as z from 'zod';

/** A process that works on the store. */
export const workerInfo = z.object({
  id: z.string(),
  host: z.string(),
  pid: z.number(),
  work: z.enum(['pages', 'runs', 'all']),
  version: z.string(),
  /** Where it answers; null: nowhere. */
  address: z.string().nullable(),
  /** The one that answers this. */
  isThis: z.boolean(),
  startedAt: z.string(),
  /** Its last sign of life. */
  seenAt: z.string(),
  /** It was not heard of for longer than its claims last: others take over what it did. */
  silent: z.boolean(),
  /** What it is at: runs, targets it sends to, systems whose records come by themselves, datasets it profiles. */
  runs: z.array(z.number()),
  sends: z.array(z.string()),
  listens: z.array(z.string()),
  profiles: z.array(z.string()),
  /** What it sees to for all: due plans, connections and looks, what is old. */
  duties: z.array(z.enum(['plans', 'systems', 'house'])),
});
export type WorkerInfo = z.infer<typeof workerInfo>;
