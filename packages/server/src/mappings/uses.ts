import { isFault, parseDocument, usesOf, type MappingDocument } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';

const COLUMNS = 'thing text, name text, role text, field text, line text, number integer';

/** For a statement with a part `saved (id)`: its uses become those in parameter `$n` (`usesJson`). */
export const usesOfSaved = (n: number): string => `
  gone AS (DELETE FROM mapping_use USING saved WHERE mapping_use.mapping = saved.id),
  used AS (INSERT INTO mapping_use (mapping, thing, name, role, field, line, number)
           SELECT saved.id, u.* FROM saved, jsonb_to_recordset($${n}::jsonb) AS u (${COLUMNS}))`;
export function usesJson(document: MappingDocument): string {
  return JSON.stringify(usesOf(document));
}

/** The uses of a draft as it is now stored. */
export function keepUses(id: string, document: MappingDocument): Statement {
  return {
    sql: `WITH saved AS (UPDATE mapping SET uses_of = version, name = $3 WHERE id = $1 RETURNING id), ${usesOfSaved(2)}
          SELECT id FROM saved`,
    params: [id, usesJson(document), document.name],
  };
}

/** Drafts of a store that kept no uses yet. Of one that is no document any more nothing can be told. */
export async function findUses(db: Database): Promise<void> {
  const rows = await db.query<{ id: string; draft: string }>(
    'SELECT id, draft FROM mapping WHERE uses_of IS DISTINCT FROM version',
  );
  for (const { id, draft } of rows)
    try {
      await db.transaction([keepUses(id, parseDocument(JSON.parse(draft)))]);
    } catch (error) {
      if (!isFault(error, 'document')) throw error;
    }
}
