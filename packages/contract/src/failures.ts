import { CAUSES } from '@versicle/core';
import * as z from 'zod';

export const FAILURE_STATES = ['open', 'replaying', 'delivered', 'closed', 'waived', 'remark'] as const;

export const failureQuery = z.object({
  /** `any`: whatever became of them, remarks left out. */
  state: z.enum([...FAILURE_STATES, 'any']).optional(),
  mapping: z.string().optional(),
  run: z.coerce.number().int().optional(),
  cause: z.string().optional(),
  line: z.string().optional(),
  /** Only records that are filed under just this line; without a line, those of the record as a whole. */
  filed: z.literal('exactly').optional(),
  search: z.string().max(200).optional(),
  /** The last record of the page before. */
  after: z.coerce.number().int().optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
export type FailureQuery = z.infer<typeof failureQuery>;

const text = z.string().nullable();
export const failure = z.object({
  line: text,
  target: text,
  cause: z.enum(CAUSES),
  message: z.string(),
  values: z.record(z.string(), text),
  at: z.number().optional(),
  end: z.number().optional(),
});
export const failedRecord = z.object({
  id: z.number(),
  mapping: z.string(),
  /** Among all records of the dataset. */
  row: z.number(),
  /** Within its file: where a person finds it. */
  fileRow: z.number(),
  file: text,
  cause: z.string(),
  line: text,
  message: z.string(),
  state: z.enum(FAILURE_STATES),
  label: z.string(),
  example: z.string(),
  updatedAt: z.string(),
});
export type FailedRecord = z.infer<typeof failedRecord>;
export const failedRecordDetail = failedRecord.extend({
  mappingName: z.string(),
  revision: z.number(),
  run: z.number(),
  lineNumber: z.number().nullable(),
  lineLabel: z.string(),
  rule: text,
  failures: z.array(failure),
  source: z.array(z.object({ name: z.string(), value: text })),
  mapped: z.array(z.object({ name: z.string(), label: z.string(), value: text })),
  answer: text,
  history: z.array(
    z.object({ at: z.string(), what: z.string(), run: z.number(), revision: z.number(), message: z.string() }),
  ),
});
export type FailedRecordDetail = z.infer<typeof failedRecordDetail>;

const which = {
  ids: z.strictObject({ ids: z.array(z.number().int()).min(1).max(100_000) }),
  group: z.strictObject({ mapping: z.string(), cause: z.string(), line: text }),
};
/** Which failed records to send again: by id, or all open ones of a group. */
export const replay = z.union([which.ids, which.group]);
export type Replay = z.infer<typeof replay>;

/** Which are closed without being delivered, and why. */
const reason = { reason: z.string().trim().min(1).max(500) };
export const waive = z.union([which.ids.extend(reason), which.group.extend(reason)]);
export type Waive = z.infer<typeof waive>;
export const waived = z.object({ records: z.number() });
