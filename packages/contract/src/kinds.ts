import * as z from 'zod';

/** One entry of the form that a kind of system is connected by. */
export const formEntry = z.object({
  name: z.string(),
  title: z.string(),
  description: z.string().optional(),
  /** Kept encrypted, and never sent back. */
  secret: z.boolean().optional(),
  /** Several lines. */
  long: z.boolean().optional(),
  /** It matters only where another entry has one of these values. */
  when: z.object({ entry: z.string(), is: z.array(z.string()) }).optional(),
  example: z.string().optional(),
  type: z.enum(['text', 'number', 'choice']),
  choices: z.array(z.object({ value: z.string(), words: z.string() })),
  required: z.boolean(),
  initial: z.string(),
});
export type FormEntry = z.infer<typeof formEntry>;

/** What people see of a kind of system, and what can be done with systems of it. */
export const kindFacts = z.object({
  kind: z.string(),
  words: z.string(),
  /** Whether it holds datasets that can be looked at. */
  holds: z.boolean(),
  /** Said where it holds none yet. */
  empty: z.string(),
  /** By what people settle how one of its datasets is read. */
  settledBy: z.enum(['format', 'select', 'endpoint']).nullable(),
  /** Whether it answers single questions, as a translation service does. */
  asks: z.boolean(),
  /** Whether records are sent to it by request, at its own pace: until then they wait. */
  byRequest: z.boolean(),
  /** What comes by itself and can start a plan. */
  arrives: z.enum(['files', 'deliveries']).nullable(),
  /** What records are written to there; null where nothing is. */
  target: z
    .object({
      title: z.string(),
      /** What becomes of one that is there, of a new one, and what stands there while none is named. */
      there: z.string(),
      fresh: z.string(),
      unnamed: z.string(),
      /** How a new one may be called, as a regular expression for which case does not matter, and what is said otherwise; null: there are no new ones. */
      names: z.object({ pattern: z.string(), otherwise: z.string() }).nullable(),
      /** A new one is a table, whose fields we choose. */
      makesTables: z.boolean(),
      /** Versicle keeps it itself: the likely target. */
      isOurs: z.boolean(),
    })
    .nullable(),
});
export type KindFacts = z.infer<typeof kindFacts>;
export const kind = kindFacts.extend({ entries: z.array(formEntry) });
export type Kind = z.infer<typeof kind>;

/** What it takes to reach a system; which entries there are, its kind says. */
export const connection = z.looseObject({ kind: z.string().min(1).max(40) });
export type Connection = z.infer<typeof connection>;
