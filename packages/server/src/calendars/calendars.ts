import type { Calendar, SavedCalendar } from '@versicle/contract';
import { notFound, quoted, refused, type Calendars as Days } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { isoTime } from '../store/values.ts';

interface Row {
  [key: string]: unknown;
  name: string;
  days: string[];
  listed: boolean;
  updated_by: string;
  updated_at: string;
}

/** Calendars of the workspace: days that plans leave out, or keep to. */
export class Calendars {
  constructor(private readonly db: Database) {}

  async list(): Promise<Calendar[]> {
    const rows = await this.db.query<Row>(
      'SELECT name, days, icalendar IS NULL AS listed, updated_by, updated_at FROM calendar ORDER BY name',
    );
    const uses = await this.uses();
    return rows.map((r) => ({
      name: r.name,
      days: r.days,
      from: r.listed ? 'list' : 'icalendar',
      usedBy: uses.filter((u) => u.calendar === r.name).map(({ id, name }) => ({ id, name })),
      updatedBy: r.updated_by,
      updatedAt: isoTime(r.updated_at),
    }));
  }
  /** What schedules ask. */
  async days(): Promise<Days> {
    const rows = await this.db.query<Pick<Row, 'name' | 'days'>>('SELECT name, days FROM calendar');
    return new Map(rows.map((r) => [r.name, new Set(r.days)]));
  }
  private uses(): Promise<{ calendar: string; id: string; name: string }[]> {
    return this.db.query(
      `SELECT DISTINCT c.name AS calendar, p.id, p.name FROM plan p, json_array_elements(p.document -> 'triggers') t, calendar c
        WHERE (t -> 'except')::jsonb ? c.name OR (t -> 'only')::jsonb ? c.name ORDER BY 1, 2`,
    );
  }

  async save(name: string, { days, icalendar }: SavedCalendar, person: string): Promise<Calendar> {
    const all = icalendar === undefined ? checked(days!) : (await import('./icalendar.ts')).daysOfICalendar(icalendar);
    await this.db.query(
      `INSERT INTO calendar (name, days, icalendar, updated_by) VALUES ($1, $2, $3, $4)
       ON CONFLICT (name) DO UPDATE SET days = $2, icalendar = $3, updated_by = $4, updated_at = now()`,
      [name, all, icalendar ?? null, person],
    );
    return (await this.list()).find((c) => c.name === name)!;
  }
  async remove(name: string): Promise<void> {
    const uses = (await this.uses()).filter((u) => u.calendar === name);
    if (uses.length > 0)
      throw refused(`${quoted(name)} is used by ${uses.map((u) => u.name).join(', ')}; take it out of there first.`);
    const gone = await this.db.query('DELETE FROM calendar WHERE name = $1 RETURNING name', [name]);
    if (gone.length === 0) throw notFound(`There is no calendar ${quoted(name)}.`);
  }
}

function checked(days: readonly string[]): string[] {
  for (const [i, day] of days.entries()) {
    const date = new Date(`${day}T00:00:00Z`);
    if (Number.isNaN(date.getTime()) || date.toISOString().slice(0, 10) !== day)
      throw refused(`${quoted(day)} is no day; write days as 2026-12-25.`, [{ path: `days.${i}`, message: 'no day' }]);
  }
  return [...new Set(days)].sort();
}
