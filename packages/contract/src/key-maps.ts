import * as z from 'zod';

/** What is known of the keys that a mapping delivered. */
export const keyMap = z.object({
  /** Whether deliveries fill it: it is kept on purpose, or another mapping asks for it. */
  kept: z.boolean(),
  askedBy: z.array(z.object({ mapping: z.string(), name: z.string() })),
  keys: z.number(),
  found: z.array(z.object({ source: z.string(), target: z.string(), run: z.number().nullable(), at: z.string() })),
});
export type KeyMap = z.infer<typeof keyMap>;
export const keyMapQuery = z.object({
  search: z.string().max(200).default(''),
  limit: z.coerce.number().int().min(1).max(1000).default(50),
});
export const keepKeyMap = z.strictObject({ kept: z.boolean() });
/** A file with source key and target key in its first two columns, as Base64. */
export const importKeys = z.strictObject({ fileName: z.string().min(1).max(300), content: z.string().min(1) });
export const keysImported = z.object({ added: z.number(), changed: z.number() });
