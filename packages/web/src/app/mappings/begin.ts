import { fieldText, parseDocument, parseFieldType, type MappingDocument } from '@versicle/core';

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
  /** Each record gets the number and the time of the run that wrote it, where the target is new. */
  readonly stamped?: boolean;
}
/** The fields that a run stamps its records with, and their rules. */
const STAMPS = [
  { name: 'load_id', type: 'bigint', rule: ':run_number' },
  { name: 'loaded_at', type: 'timestamptz', rule: ':run_started_at' },
];

/** A first document: fields of the same name are mapped straight as drafts, the rest is to map. Never agreed by itself. */
export function beginDocument({
  name,
  source,
  sourceFields,
  target,
  targetFields,
  stamped = false,
}: Beginning): MappingDocument {
  const alias = /[a-z]/.exec(source.split('/').at(-1)!.toLowerCase())?.[0] ?? 's';
  const fields =
    targetFields ??
    sourceFields.map((f): KnownField => ({
      name: fieldName(f.name),
      type: newType(f.type),
      nullable: !f.key,
      key: f.key,
    }));
  const stamps = stamped && targetFields === null ? STAMPS.filter((s) => !fields.some((f) => f.name === s.name)) : [];
  const sources = new Map(sourceFields.map((f) => [fieldName(f.name), f.name]));
  return parseDocument({
    versicle: 1,
    name,
    source: { primary: { alias, dataset: source } },
    target: {
      dataset: target,
      key: fields.filter((f) => f.key).map((f) => f.name),
      fields: [
        ...fields.map((f) => ({ name: f.name, type: f.type, nullable: f.nullable, required: !f.nullable })),
        ...stamps.map(({ name: of, type }) => ({ name: of, type })),
      ],
    },
    lines: [...fields, ...stamps].map((f, i) => {
      const from = sources.get(fieldName(f.name));
      const id = `l${String(i + 1).padStart(2, '0')}`;
      if ('rule' in f) return { id, target: f.name, kind: 'rule', rule: f.rule, state: 'drafted' };
      return from === undefined
        ? { id, target: f.name, state: 'to map' }
        : { id, target: f.name, kind: 'straight', source: fieldText(alias, from), state: 'drafted' };
    }),
    write: { mode: isFile(target) ? 'replace' : fields.some((f) => f.key) ? 'upsert' : 'insert' },
  });
}

/** Types that only the source knows are texts in a new table. */
function newType(type: string): string {
  try {
    parseFieldType(type);
    return type;
  } catch {
    return 'text';
  }
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
