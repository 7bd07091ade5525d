import type { FormEntry } from '@versicle/contract';
import { readPace, readWindows } from '@versicle/core';
import * as z from 'zod';

/**
 * The vocabulary of what it takes to reach a system. Forms are made from the kinds' schemas: `title` is the label, `description` the help
 * beside it; `secret` entries are kept encrypted and never sent back; `when` names the choice that makes an entry matter.
 */
interface EntryMeta {
  readonly title: string;
  readonly description?: string;
  readonly secret?: boolean;
  /** Several lines. */
  readonly long?: boolean;
  readonly when?: { readonly entry: string; readonly is: string[] };
  /** Words for the choices of an enumeration. */
  readonly words?: Readonly<Record<string, string>>;
  readonly example?: string;
}
export const entry = <T extends z.ZodType>(schema: T, meta: EntryMeta): T => schema.meta({ ...meta });
export const secret = (title: string, rest: Omit<EntryMeta, 'title' | 'secret'> = {}) =>
  entry(z.string().max(20_000).optional(), { title, secret: true, ...rest });
export const text = (title: string, description: string, rest: Omit<EntryMeta, 'title' | 'description'> = {}) =>
  entry(z.string().max(2000).optional(), { title, description, ...rest });

export const host = z
  .string()
  .min(1)
  .max(253)
  .regex(/^[A-Za-z0-9._:-]+$/, 'a host name or address, without http:// or a path');
export const port = z.coerce.number().int().min(1).max(65535);

/** A text that is read by a function which throws what is wrong with it. */
const readBy = (read: (text: string) => unknown, meta: EntryMeta) =>
  entry(
    z
      .string()
      .max(2000)
      .superRefine((text, ctx) => {
        try {
          read(text);
        } catch (error) {
          ctx.addIssue({ code: 'custom', message: (error as Error).message });
        }
      })
      .optional(),
    meta,
  );
/** When a target takes records. */
export const windows = readBy(readWindows, {
  title: 'Records are sent only',
  description: 'Windows, one a line, with days if you like; empty: at any time. Until one opens, records wait.',
  long: true,
  example: 'Mon–Fri 22:00–05:00 Europe/London',
});
/** How fast records or requests may go, whichever plans they belong to. */
export const pace = (title: string, description: string) =>
  readBy(readPace, { title, description, example: '80 a minute' });

/** The entries of a kind's form, in order. */
export function formEntries(settings: z.ZodObject): FormEntry[] {
  return Object.entries(settings.shape as Record<string, z.ZodType>)
    .filter(([name]) => name !== 'kind')
    .map(([name, schema]) => {
      const meta = schema.meta() as unknown as EntryMeta;
      const json = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) as {
        type?: string;
        enum?: string[];
        default?: unknown;
      };
      const required = !schema.safeParse(undefined).success;
      const { words: _, ...shown } = meta;
      return {
        ...shown,
        name,
        type: json.enum ? 'choice' : schema instanceof z.ZodString || json.type === 'string' ? 'text' : 'number',
        choices: (json.enum ?? []).map((value) => ({ value, words: meta.words?.[value] ?? value })),
        required,
        initial: json.default === undefined ? (json.enum?.[0] ?? '') : String(json.default),
      };
    });
}
