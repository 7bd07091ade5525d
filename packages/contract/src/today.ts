import * as z from 'zod';
import { notification } from './notifications.ts';
import { causeGroup, counts, runSummary } from './runs.ts';

/** The order of the day: what needs a person, what runs, what each plan did last. */
export const today = z.object({
  now: z.string(),
  causes: z.array(causeGroup),
  openFailures: z.number(),
  systems: z.array(z.object({ id: z.string(), name: z.string(), message: z.string(), since: z.string() })),
  questions: z.array(
    z.object({
      mapping: z.string(),
      name: z.string(),
      line: z.string(),
      number: z.number(),
      label: z.string(),
      text: z.string(),
      to: z.string().nullable(),
      by: z.string().nullable(),
      askedAt: z.string().nullable(),
    }),
  ),
  unpublished: z.array(z.object({ id: z.string(), name: z.string(), changed: z.number() })),
  broken: z.array(runSummary),
  /** Plans that were due and could not be started. */
  stuck: z.array(z.object({ id: z.string(), name: z.string(), message: z.string() })),
  /** Fields that the source of a mapping has got, and that no line uses. */
  news: z.array(
    z.object({
      mapping: z.string(),
      name: z.string(),
      dataset: z.string(),
      fields: z.array(z.string()),
      at: z.string(),
    }),
  ),
  /** What people are told here, and what could not be sent. */
  messages: z.array(notification),
  day: z.array(
    z.object({
      run: z.number(),
      plan: z.string(),
      planName: z.string(),
      from: z.string(),
      to: z.string().nullable(),
      state: z.string(),
      failed: z.number(),
    }),
  ),
  /** What is due by itself in the next hours. */
  due: z.array(z.object({ plan: z.string(), planName: z.string(), at: z.string() })),
  plans: z.array(
    z.object({
      id: z.string(),
      name: z.string(),
      run: z.number().nullable(),
      counts: counts.nullable(),
      at: z.string().nullable(),
      millis: z.number().nullable(),
      open: z.number(),
      /** Null where the plan carries out several. */
      mapping: z.string().nullable(),
    }),
  ),
});
export type Today = z.infer<typeof today>;
