import { counted, refused } from '@versicle/core';
import { DatabaseError, type Database, type Statement } from '@versicle/postgres';
import type { RunStatement } from '../kind.ts';

const UNIQUE = '23505';
const NOT_IN_TRANSACTION = '25001';

const NOTES: readonly Statement[] = [
  { sql: 'CREATE SCHEMA IF NOT EXISTS versicle' },
  {
    sql: 'CREATE TABLE IF NOT EXISTS versicle.statement (run text PRIMARY KEY, at timestamptz NOT NULL DEFAULT now())',
  },
];
/**
 * Carries a statement out in one transaction with a note of the run that it belongs to: whatever becomes of the answer, it is
 * done once or not at all.
 */
export async function carryOutOnce(db: Database, { sql, params, uid, signal }: RunStatement): Promise<string> {
  const began = Date.now();
  try {
    // Somebody may have made it for a user who may not.
    const [known] = await db.query<{ made: boolean }>("SELECT to_regclass('versicle.statement') IS NOT NULL AS made");
    const results = await db.transaction(
      [
        ...(known!.made ? [] : NOTES),
        { sql: "DELETE FROM versicle.statement WHERE at < now() - interval '400 days'" },
        { sql: 'INSERT INTO versicle.statement (run) VALUES ($1)', params: [uid] },
        { sql, params },
      ],
      signal,
    );
    const rows = results.at(-1)!.length;
    return `carried out in ${((Date.now() - began) / 1000).toFixed(1)} s${rows > 0 ? `; it gave ${counted(rows, 'row')}` : ''}`;
  } catch (error) {
    if (!(error instanceof DatabaseError)) throw error;
    if (error.code === UNIQUE && /statement_pkey/.test(error.message))
      return 'was carried out already, before this run was cut off';
    if (error.code === NOT_IN_TRANSACTION)
      throw refused(
        `${error.message}. A statement of a plan is carried out within a transaction, so that it is never done twice; this one has to be carried out elsewhere.`,
      );
    throw refused(`The database refuses the statement: ${error.message}${error.detail ? ` (${error.detail})` : ''}.`);
  }
}
