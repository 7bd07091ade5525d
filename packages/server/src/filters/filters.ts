import type { KeptFilter } from '@versicle/contract';
import { notFound, parseRule, refused, RuleError } from '@versicle/core';
import type { Database } from '@versicle/postgres';
import type { Systems } from '../systems/systems.ts';

/** Conditions on the records of datasets that people keep under names. */
export class Filters {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
  ) {}

  list(system: string, dataset: string): Promise<KeptFilter[]> {
    return this.db.query<KeptFilter & Record<string, unknown>>(
      'SELECT id::integer AS id, name, condition, person FROM kept_filter WHERE system = $1 AND dataset = $2 ORDER BY lower(name), id',
      [system, dataset],
    );
  }

  /** The same name is given its new condition. Throws a fault. */
  async keep(
    system: string,
    { dataset, name, condition }: { dataset: string; name: string; condition: string },
    person: string,
  ): Promise<KeptFilter[]> {
    await this.systems.get(system);
    try {
      parseRule(condition);
    } catch (error) {
      throw error instanceof RuleError
        ? refused(`The filter can't be kept: ${error.message}`, [{ path: 'condition', message: error.message }])
        : error;
    }
    await this.db.query(
      `INSERT INTO kept_filter (system, dataset, name, condition, person) VALUES ($1, $2, $3, $4, $5)
       ON CONFLICT (system, dataset, name) DO UPDATE SET condition = EXCLUDED.condition, person = EXCLUDED.person`,
      [system, dataset, name, condition, person],
    );
    return this.list(system, dataset);
  }

  async forget(id: number): Promise<void> {
    const gone = await this.db.query('DELETE FROM kept_filter WHERE id = $1 RETURNING id', [id]);
    if (gone.length === 0) throw notFound('This filter is forgotten already.');
  }
}
