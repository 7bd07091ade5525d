import { refused } from '@versicle/core';
import * as z from 'zod';
import { entry } from '../settings.ts';

/** What becomes of tables that a document names and the database has not. */
export const newTables = {
  newTables: entry(z.enum(['made', 'refused']).default('made'), {
    title: 'Tables that are missing',
    words: { made: 'are made by the first run, as the document says', refused: 'are not made; the mapping is refused' },
  }),
  tablePrefix: entry(
    z
      .string()
      .regex(/^([A-Za-z_][A-Za-z0-9_]{0,30})?$/, 'letters, digits and _, at most 31, beginning with a letter')
      .optional(),
    {
      title: 'New tables begin with',
      description: 'Proposed for the name of each new table.',
      example: 'stg_',
      when: { entry: 'newTables', is: ['made'] },
    },
  ),
};
export type NewTables = 'made' | 'refused';

/** Throws a fault where a table may not be made. */
export function requireMayMake(table: string, database: string, may: NewTables): void {
  if (may === 'refused')
    throw refused(
      `There is no table ${table} in ${database}, and its settings say that none is made. Make it there, choose another one, or change the settings.`,
    );
}
