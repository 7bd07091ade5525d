import * as z from 'zod';

/** RFC 9457: what went wrong, in a sentence for the person. */
export const problemDetails = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number(),
  detail: z.string(),
  /** Every fault of the request or document, when there are several. */
  faults: z.array(z.object({ path: z.string(), message: z.string() })).optional(),
});
export type ProblemDetails = z.infer<typeof problemDetails>;

export const session = z.object({ person: z.string(), workspace: z.string(), environment: z.string() });
export type Session = z.infer<typeof session>;

/** How many things wait for a person, by chapter of the contents page. */
export const waiting = z.object({
  systems: z.number(),
  mappings: z.number(),
  runs: z.number(),
  failures: z.number(),
  /** Codes that tables lack. */
  codes: z.number(),
});
export type Waiting = z.infer<typeof waiting>;

export const idParams = z.object({ id: z.string().min(1).max(100) });
export const numberParams = z.object({ id: z.coerce.number().int().positive() });
export const done = z.object({ done: z.literal(true) });
