import * as z from 'zod';

export const FOUND = [
  'mapping',
  'line',
  'system',
  'dataset',
  'field',
  'plan',
  'run',
  'code table',
  'failed record',
] as const;

/** Something that has an address. */
export const found = z.object({
  what: z.enum(FOUND),
  /** Its id, number or name. */
  id: z.string(),
  /** The mapping of a line or failed record, the system of a dataset, the dataset of a field. */
  of: z.string().nullable(),
  /** The system of a field. */
  system: z.string().nullable(),
  name: z.string(),
  /** Where it belongs, in words. */
  note: z.string(),
});
export type Found = z.infer<typeof found>;
export const findQuery = z.object({
  text: z.string().max(200),
  limit: z.coerce.number().int().min(1).max(100).default(40),
});
