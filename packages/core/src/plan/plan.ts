import * as z from 'zod';
import { canonicalForm, jsonOf, parseForm } from '../json-form.ts';

/** The plan document, version 1 (docs/plans.md): the Zod schemas are the only definition of the form. */

const name = z.string().min(1).max(200);
const rule = z.string().min(1);
const id = z
  .string()
  .regex(/^[A-Za-z_][A-Za-z0-9_-]{0,59}$/, 'use letters, digits, _ and -, first a letter (at most 60)');
const variables = z.record(
  z.string().regex(/^[a-z_][a-z0-9_]*$/, 'variables are called by small letters, digits and _'),
  z.string(),
);
/** `30 s`, `5 min`, `2 h`, `1 day`. */
const duration = z
  .string()
  .regex(/^\d{1,6} ?(s|min|h|days?|weeks?)$/, 'a length of time such as 30 s, 5 min, 2 h or 1 day');
const dataset = name.regex(/^[^/]+\/.+$/, 'a dataset is named system/dataset');

export const PLAN_SORTS = ['sync', 'migration'] as const;
export const MISSED = ['once', 'skip', 'each'] as const;
export const OVERLAPS = ['wait', 'skip', 'replace'] as const;
export const CHANGES = ['all', 'compare', 'watermark', 'captured'] as const;
export const TELL_ON = ['failed', 'stopped', 'late', 'warnings', 'recovered', 'finished'] as const;

const schedule = z.strictObject({
  id,
  kind: z.literal('schedule'),
  cron: name,
  zone: name.default('UTC'),
  except: z.array(name).default([]),
  only: z.array(name).default([]),
  missed: z.enum(MISSED).default('once'),
});
const arrival = z.strictObject({ id, kind: z.literal('arrival'), dataset });
const file = z.strictObject({
  id,
  kind: z.literal('file'),
  dataset,
  settled: duration.default('30 s'),
  then: z
    .string()
    .regex(/^(keep|mark|move:.+)$/, 'keep, mark, or move:folder')
    .default('keep'),
});
const afterPlan = z.strictObject({
  id,
  kind: z.literal('after'),
  plan: name,
  on: z.enum(['success', 'failure', 'either']).default('success'),
});
const every = z.strictObject({
  id,
  kind: z.literal('every'),
  seconds: z
    .number()
    .int()
    .min(1)
    .max(366 * 86_400),
});
const call = z.strictObject({ id, kind: z.literal('call') });
const trigger = z.discriminatedUnion('kind', [schedule, arrival, file, afterPlan, every, call]);

/** What each step has, whatever it does. */
const when = {
  after: z.array(id).default([]),
  afterAny: z.array(id).default([]),
  when: rule.optional(),
  onFail: z.enum(['stop', 'go on']).default('stop'),
};
const mapping = z.strictObject({
  id,
  kind: z.literal('mapping'),
  mapping: name,
  revision: z.union([z.literal('newest'), z.number().int().min(1)]).default('newest'),
  ...when,
  changes: z.enum(CHANGES).default('all'),
  watermark: z.strictObject({ field: name, overlap: duration.optional() }).optional(),
  vanished: z
    .union([z.enum(['leave', 'delete']), z.strictObject({ mark: z.record(z.string(), z.string().nullable()) })])
    .default('leave'),
  /** Share of a table's rows (0 to 1) that may go without a person's word. */
  removesAtMost: z.number().min(0).max(1).default(0.5),
  keep: z.strictObject({ read: name.optional(), failed: name.optional() }).optional(),
});
const sql = z.strictObject({ id, kind: z.literal('sql'), system: name, sql: z.string().min(1), ...when });
const request = z.strictObject({
  id,
  kind: z.literal('request'),
  system: name,
  method: z.enum(['GET', 'POST', 'PUT', 'PATCH', 'DELETE']).default('POST'),
  path: z.string().regex(/^\//, 'a path below the address of the system, such as /imports/done'),
  body: z.string().optional(),
  ...when,
});
const share = z.strictObject({
  id,
  kind: z.literal('share'),
  dataset,
  by: z.array(z.strictObject({ when: rule, mapping: name })).min(1),
  all: z.boolean().default(false),
  rest: z.enum(['keep', 'fail']).default('keep'),
  ...when,
});
const plan = z.strictObject({ id, kind: z.literal('plan'), plan: name, variables: variables.optional(), ...when });
const over = z.union([
  z.strictObject({ dataset, fields: variables }),
  z.strictObject({ list: z.array(z.string()).min(1), as: name }),
]);

type Plain =
  | z.infer<typeof mapping>
  | z.infer<typeof sql>
  | z.infer<typeof request>
  | z.infer<typeof share>
  | z.infer<typeof plan>;
export interface EachStep {
  id: string;
  kind: 'each';
  over: z.infer<typeof over>;
  parallel: number;
  steps: Step[];
  after: string[];
  afterAny: string[];
  when?: string | undefined;
  onFail: 'stop' | 'go on';
}
export type Step = Plain | EachStep;

const each = z.strictObject({
  id,
  kind: z.literal('each'),
  over,
  parallel: z.number().int().min(1).max(64).default(1),
  get steps(): z.ZodArray<z.ZodType<Step>> {
    return z.array(step).min(1);
  },
  ...when,
});
const step: z.ZodType<Step> = z.discriminatedUnion('kind', [mapping, sql, request, share, plan, each]);

export const planSchema = z.strictObject({
  versicle: z.literal(1),
  kind: z.literal('plan'),
  name,
  purpose: z.string().optional(),
  sort: z.enum(PLAN_SORTS).default('sync'),
  variables: variables.default({}),
  triggers: z.array(trigger).default([]),
  variants: z
    .array(z.strictObject({ name, variables: variables.default({}), filters: z.record(z.string(), rule).default({}) }))
    .default([]),
  overlap: z.enum(OVERLAPS).default('wait'),
  steps: z.array(step).min(1),
  stop: z
    .strictObject({
      failedShare: z.number().gt(0).max(1).optional(),
      failed: z.number().int().min(1).optional(),
    })
    .optional(),
  /** By when it has to have ended well: a time of day, or how long it may take. */
  expected: z.union([z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'a time such as 07:30'), duration]).optional(),
  tell: z
    .array(
      z.strictObject({
        on: z.array(z.enum(TELL_ON)).min(1),
        by: z.enum(['mail', 'webhook', 'application']),
        to: z.array(name).default([]),
      }),
    )
    .default([]),
});

export type PlanDocument = z.infer<typeof planSchema>;
export type Trigger = PlanDocument['triggers'][number];
export type MappingStep = z.infer<typeof mapping>;

/** Reads the JSON form. Throws a fault that names every path at fault. */
export function readPlan(text: string): PlanDocument {
  return parsePlan(jsonOf(text));
}
export function parsePlan(data: unknown): PlanDocument {
  return parseForm(data, planSchema, 'a plan');
}
/** Equal plans give equal text. */
export const canonicalPlan = (document: PlanDocument): string => canonicalForm(document, planSchema);

/** JSON Schema of the plan (draft 2020-12), generated. */
export function planJsonSchema(): unknown {
  return z.toJSONSchema(planSchema, { io: 'input' });
}

const SECONDS: Readonly<Record<string, number>> = { s: 1, min: 60, h: 3600, day: 86_400, week: 604_800 };
/** Seconds of a length of time as plans write it. */
export function durationSeconds(text: string): number {
  const [, n, unit] = /^(\d+) ?(s|min|h|day|week)s?$/.exec(text)!;
  return Number(n) * SECONDS[unit!]!;
}

/** Steps, and those within them. */
export function allSteps(steps: readonly Step[]): Step[] {
  return steps.flatMap((s) => [s, ...(s.kind === 'each' ? allSteps(s.steps) : [])]);
}
