import {
  membersOf,
  namedSourceFields,
  structureFields,
  type FileFormat,
  type MappingDocument,
  type NestedStructure,
} from '@versicle/core';
import type { Database } from '@versicle/postgres';
import { fromJson } from '../store/values.ts';
import type { Reading, SourcePlan } from '../systems/kinds/kind.ts';
import type { Systems } from '../systems/systems.ts';

/** Those of one revision, by dataset. */
export interface RevisionReadings {
  of(dataset: string): Promise<Reading | null>;
  /** What was found now, where nothing is kept yet and it has all that the revision reads. */
  keep(dataset: string, plan: SourcePlan): Promise<void>;
}

/**
 * How files are read for each revision of a mapping: as they were when it was published. A day with one record, none, or
 * without an optional member is no different from others then, and nothing is guessed anew from what happens to be there.
 */
export class Readings {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
  ) {}

  of(mapping: string, revision: number, document: MappingDocument): RevisionReadings {
    return {
      of: async (dataset) => {
        const [row] = await this.db.query<{ read_as: FileFormat | string; fields: string[] | string }>(
          'SELECT read_as, fields FROM reading WHERE mapping = $1 AND revision = $2 AND dataset = $3',
          [mapping, revision, dataset],
        );
        return row ? { format: fromJson(row.read_as), fields: fromJson(row.fields) } : null;
      },
      keep: async (dataset, { format, fields }) => {
        const nested = format.kind === 'json' || format.kind === 'xml';
        const names = fields.map((f) => f.name).filter((name) => !(nested && format.withDoc && name === '_doc'));
        if (!hasAll(document, dataset, names)) return;
        await this.db.query(
          'INSERT INTO reading (mapping, revision, dataset, read_as, fields) VALUES ($1, $2, $3, $4, $5) ON CONFLICT DO NOTHING',
          [
            mapping,
            revision,
            dataset,
            JSON.stringify(nested ? { ...format, withDoc: false } : format),
            JSON.stringify(names),
          ],
        );
      },
    };
  }

  /** Of revisions that read a dataset together, once for all of them. What was found now belongs to none of them alone. */
  together(all: readonly RevisionReadings[]): RevisionReadings {
    return {
      of: async (dataset) => {
        const known = await Promise.all(all.map((readings) => readings.of(dataset)));
        return known.reduce<Reading | null>(
          (sum, one) => (one === null ? sum : sum && joined(sum, one)),
          known.find((r) => r !== null) ?? null,
        );
      },
      keep: async (dataset, plan) => {
        for (const readings of all) await readings.keep(dataset, plan);
      },
    };
  }

  /** Of a revision that was just published. What can't be looked at now is kept by the first run that reads it. */
  async keepAll(mapping: string, revision: number, document: MappingDocument): Promise<void> {
    const readings = this.of(mapping, revision, document);
    for (const name of new Set(membersOf(document).map((m) => m.dataset))) {
      const plan = await this.planOf(name).catch(() => null);
      if (plan !== null) await readings.keep(name, plan);
    }
  }
  private async planOf(name: string): Promise<SourcePlan | null> {
    const { system, dataset } = await this.systems.openDataset(name);
    return (await system.sourcePlan?.(dataset, {})) ?? null;
  }
}

/** What both know, of files that they read alike otherwise; null where they don't, so that they are looked at anew. */
export function joined(one: Reading, other: Reading): Reading | null {
  if (apart(one.format) !== apart(other.format)) return null;
  const fields = [...new Set([...one.fields, ...other.fields])];
  const { format } = one;
  if (!('structures' in format) || !('structures' in other.format)) return { format, fields };
  const known = new Map<string, readonly string[]>();
  for (const { path, fields: own } of [...format.structures, ...other.format.structures])
    known.set(path, [...new Set([...(known.get(path) ?? []), ...own])]);
  const structures: NestedStructure[] = [...known].map(([path, own]) => ({ path, fields: own }));
  const { part } = format;
  const beside = [...new Set([...(format.beside ?? []), ...(other.format.beside ?? [])])];
  return {
    format: { ...format, structures, beside },
    fields: structureFields(
      structures.find((s) => s.path === part)!,
      false,
    ),
  };
}
/** What two readings must have alike to be one; the encoding is that of the file. */
const apart = (format: FileFormat): string =>
  JSON.stringify({ ...format, structures: [], fields: [], beside: [], marks: null, encoding: '', unknown: null });

/** Whether a dataset has whatever the document reads of it. */
function hasAll(document: MappingDocument, dataset: string, names: readonly string[]): boolean {
  const own = new Set([...names, '_doc']);
  return membersOf(document)
    .filter((m) => m.dataset === dataset)
    .every((m) => namedSourceFields(document, m.alias).every((name) => own.has(name)));
}
