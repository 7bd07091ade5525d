import type { MappingDetail, Starter } from '@versicle/contract';
import { asStarter, type MappingDocument, notFound, parseDocument, quoted, refused, useStarter } from '@versicle/core';
import { slug } from '../http/slug.ts';
import type { Mappings } from '../mappings/mappings.ts';
import type { Database } from '@versicle/postgres';
import type { Structures } from '../structures/structures.ts';
import type { Systems } from '../systems/systems.ts';
import codes from './shipped/code-list.json';
import people from './shipped/people.json';
import places from './shipped/places.json';

/** Those that come with Versicle, by their ids. */
const SHIPPED: ReadonlyMap<string, MappingDocument> = new Map(
  Object.entries({ 'shipped-people': people, 'shipped-places': places, 'shipped-codes': codes }).map(([id, json]) => [
    id,
    parseDocument(json),
  ]),
);

/** Documents to begin others with: source and target stand open in them. */
export class Starters {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly structures: Structures,
    private readonly mappings: Mappings,
  ) {}

  async list(): Promise<Starter[]> {
    const own = await this.db.query<{ id: string; document: string; kept_by: string }>(
      'SELECT id, document, kept_by FROM starter ORDER BY at DESC',
    );
    return [
      ...own.map((r) => summary(r.id, parseDocument(JSON.parse(r.document)), r.kept_by, false)),
      ...[...SHIPPED].map(([id, document]) => summary(id, document, 'Versicle', true)),
    ];
  }

  async keep(mapping: string, name: string, person: string): Promise<Starter> {
    const { document } = await this.mappings.draft(mapping);
    const starter = asStarter(document, name);
    const id = await slug(this.db, 'starter', name);
    await this.db.query('INSERT INTO starter (id, name, document, kept_by) VALUES ($1, $2, $3, $4)', [
      id,
      name,
      JSON.stringify(starter),
      person,
    ]);
    return summary(id, starter, person, false);
  }
  async remove(id: string): Promise<void> {
    if (SHIPPED.has(id)) throw refused('This starter comes with Versicle; only your own can be removed.');
    const gone = await this.db.query('DELETE FROM starter WHERE id = $1 RETURNING id', [id]);
    if (gone.length === 0) throw notFound(`There is no starter ${quoted(id)}.`);
  }

  async use(id: string, asked: { name: string; source: string; target: string }): Promise<MappingDetail> {
    const starter = await this.document(id);
    const source = await this.systems.openDataset(asked.source);
    const { fields } = await this.structures.describe(source.id, source.dataset);
    const document = useStarter(starter, {
      name: asked.name,
      source: { dataset: asked.source, fields: fields.map((f) => f.name) },
      target: { dataset: asked.target, fields: await this.targetFields(asked.target) },
      synonyms: (await this.mappings.synonyms()).groups,
    });
    return this.mappings.create(document);
  }
  /** Null where the target is to be made by the first run. */
  private async targetFields(name: string): Promise<Parameters<typeof useStarter>[1]['target']['fields']> {
    const { id, system, dataset } = await this.systems.openDataset(name);
    const there = await system.datasets();
    if (!there.some((d) => d.name === dataset)) return null;
    const { fields } = await this.structures.describe(id, dataset);
    return fields.filter((f) => !f.name.startsWith('_'));
  }
  private async document(id: string): Promise<MappingDocument> {
    const shipped = SHIPPED.get(id);
    if (shipped) return shipped;
    const [row] = await this.db.query<{ document: string }>('SELECT document FROM starter WHERE id = $1', [id]);
    if (!row) throw notFound(`There is no starter ${quoted(id)}.`);
    return parseDocument(JSON.parse(row.document));
  }
}

function summary(id: string, document: MappingDocument, keptBy: string, shipped: boolean): Starter {
  return { id, name: document.name, purpose: document.purpose ?? '', lines: document.lines.length, shipped, keptBy };
}
