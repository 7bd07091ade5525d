import * as z from 'zod';
import { entry } from '../settings.ts';
import { newTables } from '../sql/new-tables.ts';

/** Which of our own databases it is. */
export const settings = z.strictObject({
  kind: z.literal('embedded'),
  name: entry(z.string().regex(/^[a-z][a-z0-9_]{0,40}$/, 'use small letters, digits and _'), {
    title: 'Database',
    description: 'The name of the database that Versicle keeps beside its own.',
    example: 'warehouse',
  }),
  ...newTables,
});
export type EmbeddedConnection = z.infer<typeof settings>;
