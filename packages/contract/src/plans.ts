import { planSchema } from '@versicle/core';
import * as z from 'zod';
import { RUN_STATES } from './runs.ts';

const problem = z.object({
  severity: z.enum(['error', 'warning']),
  path: z.string(),
  message: z.string(),
  proposal: z.string().optional(),
});

/** A plan document; or, by name and mapping, the shortest of plans: it carries out the mapping whenever somebody starts it. */
export const newPlan = z
  .strictObject({
    document: planSchema.optional(),
    name: z.string().min(1).max(100).optional(),
    mapping: z.string().optional(),
  })
  .refine((p) => (p.document === undefined) === (p.name !== undefined && p.mapping !== undefined), {
    message: 'say the document, or a name and the mapping',
  });
export type NewPlan = z.infer<typeof newPlan>;
/** `version`: the one that the change began from; left out, the newest is replaced whatever it is. */
export const changedPlan = z.strictObject({ document: planSchema, version: z.number().int().optional() });
export const heldPlan = z.strictObject({ held: z.boolean() });

/** A plan in a list. */
export const plan = z.object({
  id: z.string(),
  name: z.string(),
  /** How it reads. */
  sentence: z.string(),
  sort: z.enum(['sync', 'migration']),
  version: z.number(),
  /** It is started by hand only, whatever its triggers say. */
  held: z.boolean(),
  /** The mappings of its steps, each once, in order; `revision`: the newest that is published. */
  mappings: z.array(
    z.object({ id: z.string(), name: z.string(), revision: z.number().nullable(), writes: z.string() }),
  ),
  /** What its runs may be given at the start; null: whoever starts it must say it. */
  variables: z.array(z.object({ name: z.string(), value: z.string().nullable() })),
  variants: z.array(z.string()),
  /** Some of its steps leave out what was delivered before. */
  onlyChanges: z.boolean(),
  /** Whether something starts it besides people. */
  startsItself: z.boolean(),
  /** When it is next due by itself; null where no clock knows. */
  next: z.string().nullable(),
  lastRun: z.number().nullable(),
  lastState: z.enum(RUN_STATES).nullable(),
  lastAt: z.string().nullable(),
});
export type Plan = z.infer<typeof plan>;

export const planDetail = plan.extend({
  document: planSchema,
  problems: z.array(problem),
  /** What each trigger does next. `odd`: a day on which the clock changes makes of the time something else. */
  triggers: z.array(
    z.object({
      id: z.string(),
      next: z.array(z.object({ at: z.string(), odd: z.enum(['skipped hour', 'doubled hour']).nullable() })),
      /** Why it starts nothing. */
      problem: z.string().nullable(),
    }),
  ),
  /** What the last run made of each step that it came to. */
  lastSteps: z.array(
    z.object({
      step: z.string(),
      run: z.number(),
      state: z.enum(RUN_STATES),
      read: z.number(),
      unchanged: z.number(),
      unmatched: z.number(),
      failed: z.number(),
      delivered: z.number(),
    }),
  ),
});
export type PlanDetail = z.infer<typeof planDetail>;

export const planVersion = z.object({ number: z.number(), at: z.string(), person: z.string(), document: planSchema });
export type PlanVersion = z.infer<typeof planVersion>;

/** `rowLimit`: of each mapping only so many records, for a first try. */
export const startPlan = z.strictObject({
  rowLimit: z.number().int().min(1).max(1_000_000_000).nullish(),
  variables: z.record(z.string(), z.string().max(10_000)).optional(),
  variant: z.string().max(200).optional(),
  /** All records are read and sent, also what was delivered before. */
  all: z.boolean().optional(),
});
export const startedRun = z.object({ run: z.number() });
export const checkPlan = z.strictObject({ document: planSchema, id: z.string().optional() });
export const checkedPlan = z.object({
  problems: z.array(problem),
  triggers: planDetail.shape.triggers,
});
