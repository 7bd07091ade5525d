import * as z from 'zod';

/** Why a record that waits is not sent at once. */
export const WAITING_STATES = [
  /** It is sent when its turn has come. */
  'waits',
  /** A person holds it. */
  'held',
  /** An earlier record of its key is held, or its run is paused. */
  'behind',
  /** It was sent, and what became of it is not known yet. */
  'sent',
  /** Its run is paused, or broke off. */
  'run',
] as const;
const text = z.string().nullable();

/** What waits for a system that takes records by request. */
export const waitingForSystem = z.object({
  waiting: z.number(),
  held: z.number(),
  /** When its window opens; null: it is open. */
  opens: text,
  /** Since when it takes nothing, and what it says. */
  outage: z.object({ since: z.string(), message: z.string() }).nullable(),
  /** In words: how fast it is sent to, and when. */
  pace: z.string(),
  /** About when all is sent at this pace; null where that can't be told. */
  until: text,
  groups: z.array(
    z.object({
      run: z.number(),
      plan: z.string(),
      planName: z.string(),
      mapping: z.string(),
      mappingName: z.string(),
      dataset: z.string(),
      runState: z.string(),
      waiting: z.number(),
      held: z.number(),
      /** Those that go before others. */
      first: z.number(),
    }),
  ),
  answers: z.array(
    z.object({
      at: z.string(),
      dataset: z.string(),
      run: z.number().nullable(),
      asked: z.string(),
      status: z.number().nullable(),
      millis: z.number(),
      message: text,
    }),
  ),
});
export type WaitingForSystem = z.infer<typeof waitingForSystem>;

export const waitingQuery = z.object({
  dataset: z.string().optional(),
  run: z.coerce.number().int().optional(),
  state: z.enum(WAITING_STATES).optional(),
  /** A condition over the mapped fields; for the records of one dataset. */
  rule: z.string().max(10_000).optional(),
  /** Words of its values. */
  search: z.string().max(200).optional(),
  /** The place of the last record of the page before. */
  after: z
    .string()
    .regex(/^[0-2]:\d{1,15}$/, 'no place')
    .optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
});
export type WaitingQuery = z.infer<typeof waitingQuery>;
export const waitingRecord = z.object({
  id: z.number(),
  place: z.string(),
  run: z.number(),
  plan: z.string(),
  planName: z.string(),
  mapping: z.string(),
  mappingName: z.string(),
  dataset: z.string(),
  label: z.string(),
  row: z.number(),
  state: z.enum(WAITING_STATES),
  /** It goes before others. */
  first: z.boolean(),
  /** As it is sent. */
  values: z.array(z.object({ name: z.string(), value: text })),
});
export type WaitingRecord = z.infer<typeof waitingRecord>;
export const waitingRecords = z.object({ records: z.array(waitingRecord), more: z.boolean() });
export type WaitingRecords = z.infer<typeof waitingRecords>;

/** Some, by their ids, or all that meet what is asked. */
const which = z.union([
  z.strictObject({ ids: z.array(z.number().int()).min(1).max(100_000) }),
  z.strictObject({
    all: z.strictObject({
      dataset: z.string().optional(),
      run: z.number().int().optional(),
      state: z.enum(WAITING_STATES).optional(),
      rule: z.string().max(10_000).optional(),
      search: z.string().max(200).optional(),
    }),
  }),
]);
export type WhichWaiting = z.infer<typeof which>;
export const changeWaiting = z.union([
  z.strictObject({ act: z.enum(['hold', 'let go', 'first']), which }),
  z.strictObject({ act: z.literal('skip'), which, reason: z.string().trim().min(1).max(500) }),
]);
export type ChangeWaiting = z.infer<typeof changeWaiting>;
/** `gone`: sent, or settled, before it could be done. */
export const changedWaiting = z.object({ done: z.number(), gone: z.number() });
export type ChangedWaiting = z.infer<typeof changedWaiting>;
