/** A field as a schema, dictionary or catalogue tells of it. */
export interface StructureField {
  readonly name: string;
  readonly label: string | null;
  /** In the words of mapping documents: `varchar(12)`, `numeric(9,2)`, `date` … */
  readonly type: string;
  readonly nullable: boolean;
  readonly key: boolean;
  /** `dataset.field` that it refers to. */
  readonly references: string | null;
  readonly description: string | null;
}
/** The fields of one dataset, or of one structure that repeats inside another. */
export interface Structure {
  readonly name: string;
  readonly description: string | null;
  readonly fields: readonly StructureField[];
}
export const field = (name: string, rest: Partial<StructureField> = {}): StructureField => ({
  name,
  label: null,
  type: 'text',
  nullable: true,
  key: false,
  references: null,
  description: null,
  ...rest,
});

/** What differs between two states of a structure. */
export interface StructureChange {
  readonly what: 'added' | 'removed' | 'retyped';
  readonly field: string;
  readonly before: string | null;
  readonly after: string | null;
}
type Known = Pick<StructureField, 'name' | 'type' | 'nullable' | 'key'>;
const isAlike = (a: Known, b: Known): boolean => a.type === b.type && a.nullable === b.nullable && a.key === b.key;
const typeWords = (f: Known): string => `${f.type}${f.nullable ? '' : ', not null'}${f.key ? ', key' : ''}`;
export function compareStructures(before: readonly Known[], after: readonly Known[]): StructureChange[] {
  // The usual case, of tens of thousands of fields at times.
  const isSame = (f: Known, i: number): boolean => f.name === before[i]!.name && isAlike(f, before[i]!);
  if (before.length === after.length && after.every(isSame)) return [];
  const old = new Map(before.map((f) => [f.name, f]));
  const now = new Map(after.map((f) => [f.name, f]));
  return [
    ...before
      .filter((f) => !now.has(f.name))
      .map((f): StructureChange => ({ what: 'removed', field: f.name, before: typeWords(f), after: null })),
    ...after.flatMap((f): StructureChange[] => {
      const was = old.get(f.name);
      if (!was) return [{ what: 'added', field: f.name, before: null, after: typeWords(f) }];
      return isAlike(was, f) ? [] : [{ what: 'retyped', field: f.name, before: typeWords(was), after: typeWords(f) }];
    }),
  ];
}
