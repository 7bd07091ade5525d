import type { Database } from '@versicle/postgres';
import { fromJson } from '../store/values.ts';
import type { MappingDocument } from '@versicle/core';
import type { OpenFailure } from './messages.ts';

/**
 * Failed records and remarks of a mapping that are still open: a run closes those that it reads again and that go well. Where
 * it reads but a part of the records, what failed for being there twice is left alone: its twin alone says nothing of it.
 */
export async function openFailures(
  db: Database,
  mapping: string,
  document: MappingDocument,
  isPart: boolean,
): Promise<OpenFailure[]> {
  const rows = await db.query<{
    id: string;
    identity: string;
    label: string;
    file: string | null;
    file_row: string;
    cause: string;
    mapped: Record<string, string | null> | string;
  }>(
    "SELECT id, identity, label, file, COALESCE(file_row, row_number) AS file_row, cause, mapped FROM failed_record WHERE mapping = $1 AND state IN ('open', 'remark') AND NOT ($2 AND (cause = 'duplicate_key' OR identity ~ '#[0-9]+$')) ORDER BY id",
    [mapping, isPart],
  );
  const { key } = document.target;
  return rows.map((r) => {
    const mapped = fromJson(r.mapped);
    const values = key.map((name) => mapped[name] ?? null);
    return {
      id: Number(r.id),
      // The same record once more, and one that the target refused, are known by the record itself.
      identity: r.identity.replace(/^row \d+:/, '').replace(/#\d+$/, ''),
      label: r.label,
      place: r.cause === 'source_unreadable' ? `${r.file ?? ''}:${r.file_row}` : null,
      // A second record of the same key is not mended by the first one's going well once more.
      key: key.length === 0 || values.includes(null) || r.cause === 'duplicate_key' ? null : JSON.stringify(values),
    };
  });
}

/** Closes what went well, unless the same record failed in this run after all: the target may have refused it. */
export async function closeMended(
  db: Database,
  run: number,
  document: MappingDocument,
  ids: readonly number[],
): Promise<void> {
  if (ids.length === 0) return;
  const { key } = document.target;
  const keyOf = (alias: string): string =>
    key.map((name) => `${alias}.mapped ->> '${name.replace(/'/g, "''")}'`).join(', ');
  const refused =
    key.length === 0
      ? ''
      : ` AND NOT EXISTS (SELECT 1 FROM failed_record g WHERE g.run = $1 AND g.mapping = f.mapping AND g.id <> f.id AND g.state = 'open' AND (${keyOf('g')}) = (${keyOf('f')}))`;
  const mended = `SELECT f.id, f.revision FROM failed_record f WHERE f.id = ANY ($2::bigint[]) AND f.state IN ('open', 'remark') AND f.run < $1${refused}`;
  await db.transaction([
    {
      sql: `INSERT INTO failed_event (record, run, revision, what, message) SELECT id, $1, revision, 'closed', 'was read again in this run and went well' FROM (${mended}) m ON CONFLICT DO NOTHING`,
      params: [run, ids],
    },
    {
      sql: `UPDATE failed_record SET state = 'closed', updated_at = now() WHERE id IN (SELECT id FROM (${mended}) m)`,
      params: [run, ids],
    },
  ]);
}
