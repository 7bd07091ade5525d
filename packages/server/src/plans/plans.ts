import type { Plan } from '@versicle/contract';
import { notFound, quoted, refused } from '@versicle/core';
import { slug } from '../http/slug.ts';
import type { Database } from '@versicle/postgres';
import { isoTimeOrNull } from '../store/values.ts';

interface PlanRow {
  [key: string]: unknown;
  id: string;
  name: string;
  mapping: string;
  mapping_name: string;
  mode: string;
  target: string;
  removes_at_most: number;
  revision: number | null;
  run: number | null;
  state: string | null;
  at: string | null;
}

/** Plans of one step: a mapping, started by hand. */
export class Plans {
  constructor(private readonly db: Database) {}

  async list(): Promise<Plan[]> {
    const rows = await this.db.query<PlanRow>(
      `SELECT p.id, p.name, p.mapping, p.removes_at_most, m.name AS mapping_name,
              m.draft::jsonb #>> '{write,mode}' AS mode, m.draft::jsonb #>> '{target,dataset}' AS target,
              (SELECT max(number) FROM revision v WHERE v.mapping = p.mapping) AS revision,
              r.id AS run, r.state, COALESCE(r.finished_at, r.started_at, r.created_at) AS at
         FROM plan p JOIN mapping m ON m.id = p.mapping
         LEFT JOIN LATERAL (SELECT * FROM run WHERE run.plan = p.id ORDER BY run.id DESC LIMIT 1) r ON true
        ORDER BY p.created_at, p.id`,
    );
    return rows.map((row) => ({
      id: row.id,
      name: row.name,
      mapping: row.mapping,
      mappingName: row.mapping_name,
      revision: row.revision,
      writes: `${row.mode} into ${row.target}`,
      removesAtMost: Number(row.removes_at_most),
      lastRun: row.run,
      lastState: row.state,
      lastAt: isoTimeOrNull(row.at),
    }));
  }

  async create(name: string, mapping: string, removesAtMost = 0.5): Promise<Plan> {
    const [known] = await this.db.query('SELECT id FROM mapping WHERE id = $1', [mapping]);
    if (!known)
      throw refused(`There is no mapping ${quoted(mapping)} to make a plan of.`, [
        { path: 'mapping', message: 'not found' },
      ]);
    const id = await slug(this.db, 'plan', name);
    await this.db.query('INSERT INTO plan (id, name, mapping, removes_at_most) VALUES ($1, $2, $3, $4)', [
      id,
      name,
      mapping,
      removesAtMost,
    ]);
    return (await this.list()).find((p) => p.id === id)!;
  }

  async change(id: string, removesAtMost: number): Promise<Plan> {
    await this.db.query('UPDATE plan SET removes_at_most = $2 WHERE id = $1', [id, removesAtMost]);
    const plan = (await this.list()).find((p) => p.id === id);
    if (!plan) throw notFound(`There is no plan ${quoted(id)}.`);
    return plan;
  }

  /** Makes a run of the newest published revision; the engine carries it out. */
  async start(id: string, rowLimit: number | null, person: string): Promise<number> {
    const [plan] = await this.db.query<{ mapping: string; name: string }>(
      'SELECT mapping, name FROM plan WHERE id = $1',
      [id],
    );
    if (!plan) throw notFound(`There is no plan ${quoted(id)}.`);
    const [run] = await this.db.query<{ id: number }>(
      `INSERT INTO run (kind, plan, mapping, revision, row_limit, started_by)
       SELECT 'full', $1, v.mapping, v.number, $3, $4 FROM revision v WHERE v.mapping = $2 ORDER BY v.number DESC LIMIT 1
       RETURNING id`,
      [id, plan.mapping, rowLimit, person],
    );
    if (!run)
      throw refused(
        `${plan.name} can't run yet: its mapping has no published revision. Publish it first; a run always carries out a published revision.`,
      );
    return run.id;
  }
}
