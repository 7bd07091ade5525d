import * as z from 'zod';

export const RUN_STATES = [
  'queued',
  'running',
  'finished',
  'cancelled',
  'stopped',
  'broken',
  'asks',
  'paused',
  /** A step whose condition was not true, or that nothing came to any more. */
  'left out',
] as const;
/** What a line of a log is: something that went as it should, something to look at, what ended the run. */
export const LOG_LEVELS = ['info', 'warning', 'error'] as const;
export type LogLevel = (typeof LOG_LEVELS)[number];
/** A whole load, failed records sent again, or a run that holds those of its steps; and steps that move no records. */
export const RUN_KINDS = ['full', 'replay', 'plan', 'each', 'share', 'sql', 'request'] as const;
export const counts = z.object({
  read: z.number(),
  filtered: z.number(),
  skipped: z.number(),
  /** The target has them already as they are, or keeps what it has. */
  unchanged: z.number(),
  /** Of a share: taken by none of those that share. */
  unmatched: z.number(),
  failed: z.number(),
  /** Finished, and not answered for by the target yet. */
  waiting: z.number(),
  delivered: z.number(),
  remarks: z.number(),
});
export type RunCounts = z.infer<typeof counts>;

export const runSummary = z.object({
  id: z.number(),
  kind: z.enum(RUN_KINDS),
  plan: z.string(),
  planName: z.string(),
  /** What it carries out; null where it is not of a single mapping. */
  mapping: z.string().nullable(),
  mappingName: z.string().nullable(),
  revision: z.number().nullable(),
  /** The run that it is a step of, and which. */
  parent: z.number().nullable(),
  step: z.string().nullable(),
  state: z.enum(RUN_STATES),
  rowLimit: z.number().nullable(),
  startedBy: z.string(),
  createdAt: z.string(),
  startedAt: z.string().nullable(),
  finishedAt: z.string().nullable(),
  counts,
  /** Bytes read and to read; null when it is not known. */
  progress: z.object({ done: z.number(), total: z.number() }).nullable(),
  error: z.string().nullable(),
});
export type RunSummary = z.infer<typeof runSummary>;

export const runsQuery = z.object({
  plan: z.string().optional(),
  mapping: z.string().optional(),
  /** The run whose steps are asked for; left out, runs that are a step of another are not listed by themselves. */
  parent: z.coerce.number().int().optional(),
  state: z.enum(RUN_STATES).optional(),
  /** Words of number, plan, mapping, kind or state. */
  search: z.string().max(200).optional(),
  /** A column of the list, `-` before it for the largest first. */
  sort: z.string().max(40).optional(),
  /** The last run of the page before. */
  after: z.coerce.number().int().optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
/** What a list of runs asks for, as it stands in its address. */
export type RunsAsked = Omit<z.infer<typeof runsQuery>, 'limit'>;

export const causeGroup = z.object({
  mapping: z.string(),
  mappingName: z.string(),
  line: z.string().nullable(),
  /** The line's place in its document, counted from 1, and the target field's label. */
  lineNumber: z.number().nullable(),
  label: z.string(),
  cause: z.string(),
  count: z.number(),
  /** Examples of the values involved. */
  examples: z.array(z.string()),
  message: z.string(),
  revision: z.number(),
  firstSeen: z.string(),
  lastSeen: z.string(),
});
export type CauseGroup = z.infer<typeof causeGroup>;

/** A step of a run; `run` is null until something came to it. */
export const runStep = z.object({
  id: z.string(),
  kind: z.string(),
  words: z.string(),
  /** How deep it lies within others. */
  depth: z.number(),
  runs: z.array(runSummary),
});
export type RunStep = z.infer<typeof runStep>;

export const runDetail = runSummary.extend({
  /** An earlier run that is in the way of this one, so that it has not begun, and why. */
  waitsFor: z.object({ id: z.number(), planName: z.string(), because: z.string() }).nullable(),
  /** Why no process can carry it out now, though it might go on; null: one can, or it is not to. */
  stranded: z.string().nullable(),
  /** When the window of its target opens, while records wait for that. */
  opens: z.string().nullable(),
  /** What became of records that the source has no more, and of how many it asks; null where nothing does. */
  gone: z.object({ how: z.enum(['deleted', 'marked']), done: z.number(), asked: z.number() }).nullable(),
  /** Made to read its records and to send them, and the bytes that were sent so. */
  requests: z.number(),
  bytesSent: z.number(),
  target: z.string().nullable(),
  source: z.string().nullable(),
  /** What it reads only, of what its mapping would; null: all of it. */
  only: z.string().nullable(),
  /** Of a run with steps: each step of the plan as it was started, in its order. */
  steps: z.array(runStep),
  variables: z.record(z.string(), z.string()),
  planVersion: z.number().nullable(),
  /** What started it where nobody did: the id of a trigger. */
  trigger: z.string().nullable(),
  /** Records settled (all that does not wait) and delivered up to a moment, with milliseconds since the start. */
  samples: z.array(z.object({ millis: z.number(), settled: z.number(), delivered: z.number() })),
  /** The newest lines, and how many there are. */
  log: z.array(z.object({ at: z.string(), level: z.enum(LOG_LEVELS), message: z.string() })),
  logLines: z.number(),
  causes: z.array(causeGroup),
});
export type RunDetail = z.infer<typeof runDetail>;

/** What none of those that share took: `open` may be shared out once more. */
export const unmatchedRecords = z.object({
  all: z.number(),
  open: z.number(),
  /** The first ones. */
  records: z.array(
    z.object({
      row: z.number(),
      file: z.string().nullable(),
      source: z.record(z.string(), z.string().nullable()),
      why: z.string(),
      /** The run that shared it out once more. */
      sharedBy: z.number().nullable(),
    }),
  ),
});
export type UnmatchedRecords = z.infer<typeof unmatchedRecords>;
