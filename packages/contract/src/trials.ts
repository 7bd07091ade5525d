import { CAUSES, TRIAL_STAGES } from '@versicle/core';
import * as z from 'zod';
import { fieldProfile } from './profiles.ts';

const stageRecord = z.object({
  row: z.number(),
  file: z.string().nullable(),
  values: z.array(z.string().nullable()),
  why: z.string(),
});
const trialFailure = z.object({
  line: z.string().nullable(),
  cause: z.enum(CAUSES),
  count: z.number(),
  message: z.string(),
  row: z.number(),
  file: z.string().nullable(),
  source: z.array(z.string().nullable()),
});
export const trialReport = z.object({
  counts: z.object({
    read: z.number(),
    filtered: z.number(),
    skipped: z.number(),
    failed: z.number(),
    written: z.number(),
    remarks: z.number(),
  }),
  sourceFields: z.array(z.string()),
  targetFields: z.array(z.string()),
  stages: z.array(
    z.object({
      name: z.enum(TRIAL_STAGES),
      on: z.number(),
      off: z.number(),
      onRecords: z.array(stageRecord),
      offRecords: z.array(stageRecord),
    }),
  ),
  failures: z.array(trialFailure),
  remarks: z.array(trialFailure),
  fields: z.array(
    z.object({ target: z.string(), line: z.string(), before: z.array(fieldProfile), after: fieldProfile }),
  ),
  stoppedAt: z.number().nullable(),
  /** What the records have and the structure of their source does not know, so that a run would not read it: a sentence each. */
  unread: z.array(z.string()).optional(),
});

export const startTrial = z.strictObject({
  /** Null: all records. */
  rowLimit: z.number().int().min(1).nullable(),
});
/** The last trial of a mapping's draft. It is kept until the next one, or until the server ends. */
export const trialState = z.object({
  state: z.enum(['none', 'running', 'done', 'failed', 'cancelled']),
  /** The draft's version that was tried. */
  version: z.number().nullable(),
  rowLimit: z.number().nullable(),
  startedAt: z.string().nullable(),
  millis: z.number(),
  /** Records so far, and the share of the source that is read where that can be told. */
  records: z.number(),
  share: z.number().nullable(),
  problem: z.string().nullable(),
  report: trialReport.nullable(),
});
export type TrialState = z.infer<typeof trialState>;
