import { fieldText, parseDocument, type MappingDocument } from '@versicle/core';

interface KnownField {
  readonly name: string;
  readonly type: string;
  readonly nullable: boolean;
  readonly key: boolean;
}

export interface Beginning {
  readonly name: string;
  readonly source: string;
  readonly sourceFields: readonly KnownField[];
  readonly target: string;
  /** The target's fields when it is there; null when the run is to make it. */
  readonly targetFields: readonly KnownField[] | null;
}

/** A first document: fields of the same name are mapped straight as drafts, the rest is to map. Never agreed by itself. */
export function beginDocument({ name, source, sourceFields, target, targetFields }: Beginning): MappingDocument {
  const alias = /[a-z]/.exec(source.split('/').at(-1)!.toLowerCase())?.[0] ?? 's';
  const fields =
    targetFields ??
    sourceFields.map((f): KnownField => ({ name: fieldName(f.name), type: f.type, nullable: true, key: false }));
  const sources = new Map(sourceFields.map((f) => [fieldName(f.name), f.name]));
  return parseDocument({
    versicle: 1,
    name,
    source: { primary: { alias, dataset: source } },
    target: {
      dataset: target,
      key: fields.filter((f) => f.key).map((f) => f.name),
      fields: fields.map((f) => ({ name: f.name, type: f.type, nullable: f.nullable, required: !f.nullable })),
    },
    lines: fields.map((f, i) => {
      const from = sources.get(fieldName(f.name));
      const id = `l${String(i + 1).padStart(2, '0')}`;
      return from === undefined
        ? { id, target: f.name, state: 'to map' }
        : { id, target: f.name, kind: 'straight', source: fieldText(alias, from), state: 'drafted' };
    }),
    write: { mode: isFile(target) ? 'replace' : fields.some((f) => f.key) ? 'upsert' : 'insert' },
  });
}

/** A file is written anew by each run. */
const isFile = (target: string): boolean => /\.(csv|jsonl|ndjson|json|xml|xlsx|txt)$/i.test(target);

function fieldName(name: string): string {
  return (
    name
      .trim()
      .toLowerCase()
      .replace(/[^a-z0-9_]+/g, '_')
      .replace(/^(\d)/, '_$1') || 'field'
  );
}
