import * as z from 'zod';

/** What a key lets a program do: look at things, start and end runs, change whatever people can change. */
export const KEY_RIGHTS = ['read', 'start', 'change'] as const;

export const apiKey = z.object({
  id: z.string(),
  name: z.string(),
  may: z.array(z.enum(KEY_RIGHTS)),
  /** The plans that it may start; null: all. */
  plans: z.array(z.string()).nullable(),
  madeBy: z.string(),
  madeAt: z.string(),
  usedAt: z.string().nullable(),
});
export type ApiKey = z.infer<typeof apiKey>;
export const newApiKey = z.strictObject({
  name: z.string().trim().min(1).max(100),
  may: z.array(z.enum(KEY_RIGHTS)).min(1),
  plans: z.array(z.string()).min(1).nullish(),
});
export type NewApiKey = z.infer<typeof newApiKey>;
/** `key` is shown this once. */
export const madeApiKey = apiKey.extend({ key: z.string() });
export type MadeApiKey = z.infer<typeof madeApiKey>;
