import { existsSync, readdirSync } from 'node:fs';
import { Fault, quoted, refused } from '@versicle/core';
import type { Database } from '@versicle/postgres';

/** Who can work with a system: this process alone, another one alone, or any. */
export type Standing = 'here' | 'elsewhere' | 'anywhere';

/** Embedded databases `e`, with the systems `s` that are in them. */
export const EMBEDDED =
  "system s JOIN embedded_database e ON s.connection ->> 'kind' = 'embedded' AND e.name = s.connection ->> 'name'";

/**
 * An embedded database is a directory that one process has open. Where several work on a store, the one whose directory it
 * lies in has it; the others say so.
 */
export class EmbeddedHome {
  /** Throws a fault where those of the store lie on its server: here they would begin empty, and runs would not say so. */
  static async requireHere(db: Database): Promise<void> {
    const [row] = await db.query<{ value: string }>("SELECT value FROM house WHERE name = 'embedded beside'");
    if (row !== undefined)
      throw new Fault(
        'start',
        `The embedded databases of this store lie beside the database ${quoted(row.value)} on its server, and would be empty here. Start every process with VERSICLE_EMBEDDED=server.`,
      );
  }

  constructor(
    private readonly db: Database,
    /** What the data directory of this process is known by. */
    private readonly place: string,
    private readonly directory: string,
  ) {}

  /** Databases that lie here already are this process's. */
  async begin(): Promise<void> {
    const names = existsSync(this.directory) ? readdirSync(this.directory) : [];
    await this.db.query(
      'INSERT INTO embedded_database (name, place) SELECT name, $2 FROM unnest($1::text[]) AS n (name) ON CONFLICT (name) DO NOTHING',
      [names, this.place],
    );
  }
  async standing(system: string): Promise<Standing> {
    const [row] = await this.db.query<{ place: string }>(`SELECT e.place FROM ${EMBEDDED} WHERE s.id = $1`, [system]);
    return row === undefined ? 'anywhere' : row.place === this.place ? 'here' : 'elsewhere';
  }
  /** Throws a fault where another process has it. One that nobody has is made here. */
  async require(name: string): Promise<void> {
    const [row] = await this.db.query<{ place: string }>(
      'INSERT INTO embedded_database AS e (name, place) VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET place = e.place RETURNING place',
      [name, this.place],
    );
    await EmbeddedHome.requireHere(this.db);
    if (row!.place === this.place) return;
    const [worker] = await this.db.query<{ address: string | null }>(
      'SELECT address FROM worker w JOIN embedded_database e ON e.name = $1 WHERE w.home = e.place ORDER BY seen_at DESC LIMIT 1',
      [name],
    );
    const where = worker?.address ?? null;
    throw refused(
      `The embedded database ${quoted(name)} lies with another process of this Versicle${where === null ? ', which does not run now' : ` (${where})`}. Its runs are carried out there; to work with it from everywhere, put it on a PostgreSQL server (VERSICLE_EMBEDDED).`,
    );
  }
}
