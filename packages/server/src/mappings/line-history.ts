import type { LineHistory } from '@versicle/contract';
import { lineEvents, type LineEvent, type MappingDocument } from '@versicle/core';
import type { Database, Statement } from '../store/database.ts';
import { fromJson, isoTime } from '../store/values.ts';

type Parts = LineEvent['parts'];
interface EventRow {
  [key: string]: unknown;
  id: string;
  line: string;
  what: LineHistory[number]['what'];
  message: string;
  parts: Parts | string | null;
  by: string;
  at: string;
}
/** Edits of one person within this time are one event: drafts save themselves with every pause. */
const TOGETHER = "interval '10 minutes'";
const SHOWN = 200;

/** Who did and said what, line by line. */
export class LineHistoryStore {
  constructor(private readonly db: Database) {}

  async of(mapping: string, line: string): Promise<LineHistory> {
    const rows = await this.db.query<EventRow>(
      'SELECT id, line, what, message, parts, by, at FROM line_event WHERE mapping = $1 AND line = $2 ORDER BY id DESC LIMIT $3',
      [mapping, line, SHOWN],
    );
    return rows.map(({ id, what, message, parts, by, at }) => ({
      id: Number(id),
      what,
      message,
      parts: parts === null ? [] : [...fromJson(parts)],
      by,
      at: isoTime(at),
    }));
  }

  async comment(mapping: string, line: string, text: string, person: string): Promise<void> {
    await this.db.query(
      "INSERT INTO line_event (mapping, line, what, message, by) VALUES ($1, $2, 'comment', $3, $4)",
      [mapping, line, text, person],
    );
  }

  /** Keeps what a save did to the lines. */
  async keep(mapping: string, before: MappingDocument, after: MappingDocument, person: string): Promise<void> {
    const events = lineEvents(before, after);
    if (events.length === 0) return;
    const recent = await this.db.query<EventRow>(
      `SELECT DISTINCT ON (line, what) id, line, what, parts, by, at FROM line_event
        WHERE mapping = $1 AND by = $2 AND what IN ('edited', 'state') AND line = ANY($3) AND at > now() - ${TOGETHER} ORDER BY line, what, id DESC`,
      [mapping, person, events.map((e) => e.line)],
    );
    const statements = events.map((event): Statement => {
      const last = recent.find((r) => r.line === event.line && r.what === event.what);
      const parts = last ? together(fromJson(last.parts ?? []), event.parts) : event.parts;
      if (!last)
        return {
          sql: 'INSERT INTO line_event (mapping, line, what, parts, by) VALUES ($1, $2, $3, $4, $5)',
          params: [mapping, event.line, event.what, JSON.stringify(parts), person],
        };
      // Back where it was: nothing happened.
      return parts.length === 0
        ? { sql: 'DELETE FROM line_event WHERE id = $1', params: [last.id] }
        : {
            sql: 'UPDATE line_event SET parts = $2, at = now() WHERE id = $1',
            params: [last.id, JSON.stringify(parts)],
          };
    });
    await this.db.transaction(statements);
  }
}

function together(earlier: Parts, later: Parts): Parts {
  const merged = new Map(earlier.map((p) => [p.part, p]));
  for (const p of later) merged.set(p.part, { ...p, before: merged.get(p.part)?.before ?? p.before });
  return [...merged.values()].filter((p) => p.before !== p.after);
}
