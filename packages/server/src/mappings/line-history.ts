import type { LineHistory } from '@versicle/contract';
import { type LineEvent, lineEvents, type MappingDocument, notFound, refused } from '@versicle/core';
import type { Database, Statement } from '@versicle/postgres';
import { fromJson, isoTime } from '../store/values.ts';

type Parts = LineEvent['parts'];
interface EventRow {
  [key: string]: unknown;
  id: string;
  line: string;
  what: LineHistory[number]['what'];
  message: string;
  why: string;
  parts: Parts | string | null;
  by: string;
  at: string;
}
/** Edits of one person within this time are one event: drafts save themselves with every pause. Who signs does so each time. */
const TOGETHER = "interval '10 minutes'";
const SHOWN = 200;
/** The newest revisions that are looked through for changes to a line, and how many characters of them. */
const REVISIONS = 50;
const MOST_TEXT = 20_000_000;

/** Who did and said what and why, line by line. */
export class LineHistoryStore {
  constructor(private readonly db: Database) {}

  /** Newest first; `person` is whoever asks. */
  async of(mapping: string, line: string, person: string): Promise<LineHistory> {
    const rows = await this.db.query<EventRow>(
      'SELECT id, line, what, message, why, parts, by, at FROM line_event WHERE mapping = $1 AND line = $2 ORDER BY id DESC LIMIT $3',
      [mapping, line, SHOWN],
    );
    const events = rows.map(({ id, what, message, why, parts, by, at }) => ({
      id: Number(id),
      what,
      message,
      why,
      yours: what !== 'comment' && by === person,
      revision: null,
      parts: parts === null ? [] : [...fromJson(parts)],
      by,
      at: isoTime(at),
    }));
    return [...events, ...(await this.published(mapping, line))].sort((a, b) =>
      a.at < b.at ? 1 : a.at > b.at ? -1 : 0,
    );
  }

  /** The revisions that a change to the line went out with; their notes say why. */
  private async published(mapping: string, line: string): Promise<LineHistory> {
    const rows = await this.db.query<{ number: number; document: string; note: string; by: string; at: string }>(
      `SELECT number, document, note, published_by AS by, published_at AS at
         FROM (SELECT *, sum(length(document)) OVER (ORDER BY number DESC) AS length FROM revision WHERE mapping = $1) r
        WHERE length <= ${MOST_TEXT} ORDER BY number DESC LIMIT ${REVISIONS + 1}`,
      [mapping],
    );
    // What is stored is in canonical form: the same text is the same line.
    const texts = rows.map((r) => {
      const { lines = [] } = JSON.parse(r.document) as { lines?: { id: string }[] };
      return JSON.stringify(lines.find((l) => l.id === line)) as string | undefined;
    });
    return rows.flatMap(({ number, note, by, at }, i) => {
      const known = i + 1 < rows.length || number === 1;
      if (!known || i >= REVISIONS || texts[i] === texts[i + 1]) return [];
      return {
        id: -number,
        what: 'published' as const,
        message: note,
        why: '',
        yours: false,
        revision: number,
        parts: [],
        by,
        at: isoTime(at),
      };
    });
  }

  async sayWhy(mapping: string, line: string, event: number, why: string, person: string): Promise<void> {
    const [found] = await this.db.query<EventRow>(
      'SELECT what, by FROM line_event WHERE id = $1 AND mapping = $2 AND line = $3',
      [event, mapping, line],
    );
    if (!found) throw notFound('There is no such change to this line; it may have been taken back meanwhile.');
    if (found.what === 'comment') throw refused('A comment needs no reason.');
    if (found.by !== person) throw refused(`${found.by} did this, and only ${found.by} can say why. Write a comment.`);
    await this.db.query('UPDATE line_event SET why = $2 WHERE id = $1', [event, why]);
  }

  /** Who set the state of each line last, by mapping and line; of one mapping, or of all. */
  async states(
    mapping: string | null = null,
  ): Promise<ReadonlyMap<string, { readonly by: string; readonly at: string }>> {
    const rows = await this.db.query<{ mapping: string; line: string; by: string; at: string }>(
      "SELECT DISTINCT ON (mapping, line) mapping, line, by, at FROM line_event WHERE what = 'state' AND ($1::text IS NULL OR mapping = $1) ORDER BY mapping, line, id DESC",
      [mapping],
    );
    return new Map(rows.map((r) => [`${r.mapping} ${r.line}`, { by: r.by, at: isoTime(r.at) }]));
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
      `SELECT DISTINCT ON (line) id, line, what, parts, by, at FROM line_event
        WHERE mapping = $1 AND by = $2 AND what = 'edited' AND line = ANY($3) AND at > now() - ${TOGETHER} ORDER BY line, id DESC`,
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
