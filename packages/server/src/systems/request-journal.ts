import { keptRejections } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { RequestJournal } from './kinds/kind.ts';

/** Requests to APIs as the store keeps them: a run that is taken up again knows what it sent, and what came of it. */
export function requestJournal(db: Database): RequestJournal {
  return {
    of: async (run, chunk) => {
      const rows = await db.query<{ first: number; records: number; outcome: unknown }>(
        'SELECT first, records, outcome FROM request_journal WHERE run = $1 AND chunk = $2 ORDER BY first',
        [run, chunk],
      );
      return rows.map((r) => ({ ...r, outcome: r.outcome === null ? null : keptRejections(r.outcome) }));
    },
    begin: async (run, chunk, first, records) => {
      await db.query(
        'INSERT INTO request_journal (run, chunk, first, records) VALUES ($1, $2, $3, $4) ON CONFLICT (run, chunk, first) DO UPDATE SET records = EXCLUDED.records, outcome = NULL, at = clock_timestamp()',
        [run, chunk, first, records],
      );
    },
    settle: async (run, chunk, first, outcome) => {
      await db.query('UPDATE request_journal SET outcome = $4 WHERE run = $1 AND chunk = $2 AND first = $3', [
        run,
        chunk,
        first,
        JSON.stringify(outcome),
      ]);
    },
    undo: async (run, chunk, first) => {
      await db.query('DELETE FROM request_journal WHERE run = $1 AND chunk = $2 AND first = $3', [run, chunk, first]);
    },
    forget: async (run) => {
      await db.query("DELETE FROM request_journal WHERE run = $1 OR at < now() - interval '90 days'", [run]);
    },
  };
}
