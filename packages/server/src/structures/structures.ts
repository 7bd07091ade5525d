import {
  endpoint,
  type DatasetDetail,
  type DatasetField,
  type FoundField,
  type Imported,
  type StructureVersion,
} from '@versicle/contract';
import {
  compareStructures,
  type DescribedEndpoint,
  Fault,
  field,
  isFault,
  quoted,
  refused,
  type Structure,
  type StructureField,
} from '@versicle/core';
import { breath } from '../breath.ts';
import { withUpload } from '../http/upload.ts';
import type { Database } from '@versicle/postgres';
import { fromJson, isoTime } from '../store/values.ts';
import { learnDescribed } from '../systems/learning.ts';
import type { Systems } from '../systems/systems.ts';
import type { Told } from './told-by.ts';

interface VersionRow {
  [key: string]: unknown;
  number: number;
  source: string;
  fields: Bare[] | string;
  at: string;
}
/** As it is kept: without what is usual, since there may be tens of thousands. */
type Bare = Partial<StructureField> & Pick<StructureField, 'name'>;
function bare({ name, label, type, nullable, key, references, description }: StructureField): Bare {
  return {
    name,
    ...(label === null ? {} : { label }),
    ...(type === 'text' ? {} : { type }),
    ...(nullable ? {} : { nullable }),
    ...(key ? { key } : {}),
    ...(references === null ? {} : { references }),
    ...(description === null ? {} : { description }),
  };
}
/** As JSON, bit by bit: of tens of thousands it takes long enough for others to wait. */
async function written(fields: readonly StructureField[]): Promise<string> {
  const pieces: string[] = [];
  for (let at = 0; at < fields.length; at += 2000) {
    pieces.push(JSON.stringify(fields.slice(at, at + 2000).map(bare)).slice(1, -1));
    await breath();
  }
  return `[${pieces.join(',')}]`;
}
const wholeFields = (kept: VersionRow['fields']): StructureField[] => fromJson(kept).map((f) => field(f.name, f));
const READ = 'read from the system';

/** Knows the structures of datasets over time: as they were read, and as schemas and dictionaries tell of them. */
export class Structures {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
  ) {}

  private versions(system: string, dataset: string): Promise<VersionRow[]> {
    return this.db.query<VersionRow>(
      'SELECT number, source, fields, at FROM structure WHERE system = $1 AND dataset = $2 ORDER BY number DESC',
      [system, dataset],
    );
  }
  private async add(system: string, dataset: string, source: string, fields: readonly StructureField[]): Promise<void> {
    await this.db.transaction([
      // Two that look at the same time number one after the other.
      { sql: 'SELECT pg_advisory_xact_lock(hashtextextended($1, 0))', params: [`structure of ${system}/${dataset}`] },
      {
        sql: `INSERT INTO structure (system, dataset, number, source, fields)
              SELECT $1, $2, COALESCE(max(number), 0) + 1, $3, $4::jsonb FROM structure WHERE system = $1 AND dataset = $2
              HAVING $3 <> '${READ}' OR NOT EXISTS (
                SELECT 1 FROM (SELECT source, fields FROM structure WHERE system = $1 AND dataset = $2 ORDER BY number DESC LIMIT 1) AS n
                 WHERE n.source = $3 AND n.fields = $4::jsonb)`,
        params: [system, dataset, source, await written(fields)],
      },
    ]);
  }

  /** A dataset as the system tells of it, with what schemas and dictionaries add; a change is kept as a new version. */
  async describe(system: string, dataset: string): Promise<DatasetDetail> {
    const detail = await this.systems.describe(system, dataset);
    const versions = await this.versions(system, dataset);
    const told = versions.find((v) => v.source !== READ);
    const fields = told ? withTold(detail.fields, wholeFields(told.fields)) : detail.fields;
    const [newest] = versions;
    // Of many fields each of these takes its time, in which others wait.
    await breath();
    const before = newest && wholeFields(newest.fields);
    await breath();
    if (!before || compareStructures(before, fields).length > 0)
      await this.add(system, dataset, READ, fields.map(asStructureField));
    return { ...detail, fields };
  }

  async list(system: string, dataset: string): Promise<StructureVersion[]> {
    const versions = await this.versions(system, dataset);
    const lines = await this.linesUsing(`${system}/${dataset}`);
    return versions.map((version, i) => {
      const before = versions[i + 1];
      const fields = wholeFields(version.fields);
      const changes = before ? compareStructures(wholeFields(before.fields), fields) : [];
      return {
        number: version.number,
        source: version.source,
        at: isoTime(version.at),
        fields: fields.length,
        changes: changes.map((c) => ({ ...c, touches: lines.get(c.field) ?? [] })),
      };
    });
  }
  /** Per field: the lines of drafts that read it from this dataset, or write it there. */
  private async linesUsing(dataset: string): Promise<Map<string, StructureVersion['changes'][number]['touches']>> {
    const rows = await this.db.query<{ field: string; mapping: string; name: string; line: string; number: number }>(
      `SELECT DISTINCT u.field, u.mapping, m.name, u.line, u.number FROM mapping_use u JOIN mapping m ON m.id = u.mapping
        WHERE u.thing = 'dataset' AND u.name = $1 AND u.field IS NOT NULL AND u.line IS NOT NULL ORDER BY u.mapping, u.number`,
      [dataset],
    );
    const found = new Map<string, StructureVersion['changes'][number]['touches']>();
    for (const { field, ...line } of rows) found.set(field, [...(found.get(field) ?? []), line]);
    return found;
  }

  /** Brings in what a file tells: an API's description makes datasets, all others describe datasets that there are. */
  async import(system: string, dataset: string | null, fileName: string, content: Buffer): Promise<Imported> {
    const { connection } = await this.systems.get(system);
    try {
      const told = await this.told(fileName, content, dataset ?? fileName.replace(/\.[^.]+$/, ''));
      if (told.kind === 'endpoints') {
        if (connection.kind !== 'http')
          throw refused('An OpenAPI document describes an HTTP API; this system is of another kind.');
        for (const e of told.endpoints) await this.keepEndpoint(system, fileName, e);
        return {
          what: `the description of an API, ${fileName}`,
          datasets: told.endpoints.map((e) => ({ name: e.name, fields: e.fields.length, added: [] })),
        };
      }
      const matched =
        dataset === null
          ? await this.byName(system, told.structures)
          : await this.byPath(system, dataset, told.structures);
      const what = `${told.what} ${fileName}`;
      const datasets: Imported['datasets'] = [];
      for (const [name, { fields, name: own }] of matched) {
        const added = await learnDescribed(this.systems, system, name, told.structures, own);
        await this.add(system, name, what, fields);
        datasets.push({ name, fields: fields.length, added: [...added] });
      }
      return { what, datasets };
    } catch (error) {
      throw isFault(error, 'structure', 'unreadable') ? refused(`${fileName} can't be used: ${error.message}`) : error;
    }
  }
  private told(fileName: string, content: Buffer, name: string): Promise<Told> {
    return withUpload(fileName, content, (path) => this.systems.looks.ask(fileName, 'told', [path, fileName, name]));
  }
  private async keepEndpoint(system: string, fileName: string, told: DescribedEndpoint): Promise<void> {
    const paging = told.cursor
      ? { kind: 'cursor', parameter: told.cursor.parameter, next: told.cursor.next }
      : told.page
        ? { kind: 'page', parameter: told.page.parameter, sizeParameter: told.page.size }
        : { kind: 'none' };
    const made = endpoint.parse({
      description: told.description,
      path: told.path,
      records: told.records,
      paging,
      fields: told.fields.map(({ name, type, nullable, key, label, description }) => ({
        name,
        type,
        nullable,
        key,
        label,
        description,
      })),
      write: told.write
        ? {
            method: told.write.method,
            path: told.write.path,
            member: told.write.member,
            batch: told.write.many ? 50 : 1,
          }
        : null,
    });
    await this.systems.keepSetting(system, told.name, { kind: 'endpoint', endpoint: made });
    await this.add(system, told.name, `the description of an API, ${fileName}`, told.fields);
  }

  /** A dictionary of many tables: those that the system has, by name without case. */
  private async byName(system: string, structures: readonly Structure[]): Promise<Map<string, Structure>> {
    const { system: open } = await this.systems.openById(system);
    const names = (await open.datasets()).map((d) => d.name);
    const found = new Map<string, Structure>();
    for (const s of structures) {
      const name = names.find(
        (n) =>
          n.toLowerCase() === s.name.toLowerCase() || n.toLowerCase().replace(/\.[a-z]+$/, '') === s.name.toLowerCase(),
      );
      if (name !== undefined) found.set(name, s);
    }
    if (found.size === 0)
      throw new Fault(
        'structure',
        `it tells of ${listed(structures.map((s) => s.name))}, but the system has ${listed(names)}. Choose a dataset and import it there.`,
      );
    return found;
  }
  /** The structure of one dataset: for nested files by the path of its elements, otherwise the one that shares most fields. */
  private async byPath(
    system: string,
    dataset: string,
    structures: readonly Structure[],
  ): Promise<Map<string, Structure>> {
    const detail = await this.systems.describe(system, dataset);
    const known = new Set(detail.fields.map((f) => f.name));
    const shared = (s: Structure): number => s.fields.filter((f) => known.has(f.name)).length;
    const best = [...structures].sort((a, b) => shared(b) - shared(a))[0];
    if (!best || shared(best) === 0)
      throw new Fault(
        'structure',
        `it tells of ${listed(structures.map((s) => s.name))}, none of which has a field of ${quoted(dataset)} (${listed([...known])}).`,
      );
    return new Map([[dataset, best]]);
  }

  /** Looks at every dataset once, so that its fields can be found. */
  async catalogue(
    system: string,
  ): Promise<{ datasets: string[]; fields: number; problems: { dataset: string; message: string }[] }> {
    const { system: open } = await this.systems.openById(system);
    const datasets: string[] = [];
    const problems: { dataset: string; message: string }[] = [];
    let fields = 0;
    for (const { name, problem } of await open.datasets()) {
      if (problem !== null) continue;
      try {
        const detail = await this.describe(system, name);
        datasets.push(name);
        fields += detail.fields.length;
        for (const part of detail.parts) {
          if (datasets.includes(part.name)) continue;
          fields += (await this.describe(system, part.name)).fields.length;
          datasets.push(part.name);
        }
      } catch (error) {
        problems.push({ dataset: name, message: (error as Error).message });
      }
    }
    return { datasets, fields, problems };
  }

  /** Fields by words of their name, label or description; those with the word in their name come first. */
  async find(text: string, limit: number): Promise<FoundField[]> {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    const rows = await this.db.query<{ system: string; name: string; dataset: string; field: Bare | string }>(
      `SELECT s.system, y.name, s.dataset, f AS field
         FROM (SELECT DISTINCT ON (system, dataset) system, dataset, fields FROM structure ORDER BY system, dataset, number DESC) s
         JOIN system y ON y.id = s.system, jsonb_array_elements(s.fields) f
        WHERE NOT EXISTS (SELECT 1 FROM unnest($1::text[]) w
                           WHERE position(w in lower(concat_ws(' ', s.dataset, f->>'name', f->>'label', f->>'description'))) = 0)
        ORDER BY position($2 in lower(f->>'name')) = 0, s.system, s.dataset, f->>'name' LIMIT $3`,
      [words, words[0] ?? '', limit],
    );
    return rows.map((r) => {
      const found = fromJson(r.field);
      return { system: r.system, systemName: r.name, dataset: r.dataset, field: field(found.name, found) };
    });
  }
}

const listed = (names: readonly string[]): string =>
  names.length === 0
    ? 'nothing'
    : `${names.slice(0, 8).join(', ')}${names.length > 8 ? ` and ${names.length - 8} more` : ''}`;
const asStructureField = ({
  name,
  label,
  type,
  nullable,
  key,
  references,
  description,
}: DatasetField): StructureField => ({
  name,
  label: label ?? null,
  type,
  nullable,
  key,
  references: references ?? null,
  description: description ?? null,
});
/** What is told of a field completes what the system itself says; a file knows no types, so the told one counts there. */
function withTold(fields: readonly DatasetField[], told: readonly StructureField[]): DatasetField[] {
  const byName = new Map(told.map((f) => [f.name, f]));
  return fields.map((f) => {
    const t = byName.get(f.name);
    if (!t) return f;
    return {
      ...f,
      type: f.type === 'text' ? t.type : f.type,
      nullable: f.nullable && t.nullable,
      key: f.key || t.key,
      label: f.label ?? t.label,
      references: f.references ?? t.references,
      description: f.description ?? t.description,
    };
  });
}
