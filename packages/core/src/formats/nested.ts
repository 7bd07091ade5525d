import { MAX_DEPTH, Unreadable, type NestedStructure, type RawRow } from './format.ts';

/** A nested record: texts (numbers with their very digits), nulls, repetitions, members by name. */
export type Tree = string | null | readonly Tree[] | Members;
export type Members = ReadonlyMap<string, Tree>;

/** What holds the rows of one record's structures together. */
export const KEY = '_key';
export const PARENT_KEY = '_parent_key';
export const POSITION = '_position';
export const DOC = '_doc';
/** The field of a repeating structure that has no members of its own. */
const VALUE = 'value';

const isArray = (tree: Tree): tree is readonly Tree[] => Array.isArray(tree);
/** The empty name is an element's own text beside its members: it stands at the element's path. */
const below = (path: string, name: string): string => (path === '' ? name : name === '' ? path : `${path}.${name}`);

/**
 * The structures of a sample of records: the record itself, and each path that repeats in any of them. What does not
 * repeat is flattened by path. The record itself comes first, parents before children.
 */
export function learnStructures(records: readonly Tree[]): NestedStructure[] {
  const repeating = new Set<string>();
  for (const record of records) findRepeating(record, '', repeating);
  const structures = new Map<string, Map<string, boolean>>([['', new Map()]]);
  const visit = (tree: Tree, structure: string, field: string): void => {
    const fields = structures.get(structure)!;
    if (tree instanceof Map) {
      for (const [name, member] of tree as Members) {
        const path = below(below(structure, field), name);
        if (!repeating.has(path)) visit(member, structure, below(field, name));
        else {
          if (!structures.has(path)) structures.set(path, new Map());
          for (const element of isArray(member) ? member : [member]) visit(element, path, '');
        }
      }
    } else {
      const name = field || VALUE;
      fields.set(name, (fields.get(name) ?? false) || tree !== null);
    }
  };
  for (const record of records) visit(record, '', '');
  return [...structures].map(([path, fields]) => ({
    path,
    // What was null in one record and has members in another is no field.
    fields: [...fields]
      .filter(([name, filled]) => filled || ![...fields.keys()].some((other) => other.startsWith(`${name}.`)))
      .map(([name]) => name),
  }));
}
/** What is known of records, and what further ones add to it. */
export function mergeStructures(
  known: readonly NestedStructure[],
  more: readonly NestedStructure[],
): NestedStructure[] {
  const result = new Map(known.map((s) => [s.path, s]));
  for (const s of more) {
    const before = result.get(s.path);
    result.set(s.path, before ? { path: s.path, fields: [...new Set([...before.fields, ...s.fields])] } : s);
  }
  return [...result.values()];
}
function findRepeating(tree: Tree, path: string, into: Set<string>): void {
  if (isArray(tree)) {
    if (path !== '') into.add(path);
    for (const element of tree) if (element instanceof Map) findRepeating(element as Members, path, into);
  } else if (tree instanceof Map)
    for (const [name, member] of tree as Members) findRepeating(member, below(path, name), into);
}

/** The names of the fields of one structure's rows. */
export function structureFields(structure: NestedStructure, withDoc: boolean): string[] {
  return [
    ...(structure.path === '' ? [KEY] : [KEY, PARENT_KEY, POSITION]),
    ...structure.fields,
    ...(withDoc ? [DOC] : []),
  ];
}

/** Makes the rows of one structure of nested records. */
export class Flattener {
  readonly names: readonly string[];
  private readonly slots: ReadonlyMap<string, number>;
  private readonly repeating: ReadonlySet<string>;

  constructor(
    structures: readonly NestedStructure[],
    private readonly part: string,
    private readonly withDoc: boolean,
  ) {
    const structure = structures.find((s) => s.path === part);
    if (!structure) throw new Error(`There is no structure ${part}.`);
    this.names = structureFields(structure, withDoc);
    this.slots = new Map(this.names.map((name, i) => [name, i]));
    this.repeating = new Set(structures.map((s) => s.path).filter((p) => p !== ''));
  }

  /** Rows of the `number`th record (1-based). */
  rows(record: Tree, number: number, doc: () => string): RawRow[] {
    const rows: RawRow[] = [];
    this.descend(record, '', String(number), null, number, rows, this.withDoc ? doc() : null);
    return rows;
  }

  private descend(
    tree: Tree,
    path: string,
    key: string,
    parent: string | null,
    position: number,
    rows: RawRow[],
    doc: string | null,
  ): void {
    if (path === this.part && (path === '' || this.repeating.has(path)))
      return void rows.push(this.row(tree, path, key, parent, position, doc));
    if (!(tree instanceof Map)) return;
    for (const [name, member] of tree as Members) {
      const at = below(path, name);
      if (at !== this.part && !this.part.startsWith(`${at}.`)) continue;
      if (!this.repeating.has(at)) this.descend(member, at, key, parent, position, rows, doc);
      else {
        const elements = isArray(member) ? member : [member];
        for (const [i, element] of elements.entries())
          this.descend(element, at, `${key}.${i + 1}`, key, i + 1, rows, doc);
      }
    }
  }

  private row(
    tree: Tree,
    path: string,
    key: string,
    parent: string | null,
    position: number,
    doc: string | null,
  ): RawRow {
    const cells = new Array<string | null>(this.names.length).fill(null);
    cells[0] = key;
    if (path !== '') {
      cells[1] = parent;
      cells[2] = String(position);
    }
    if (this.withDoc) cells[cells.length - 1] = doc;
    let twice: string | null = null;
    const fill = (value: Tree, field: string): void => {
      if (value instanceof Map) {
        for (const [name, member] of value as Members) {
          const next = below(field, name);
          if (!this.repeating.has(below(path, next))) fill(member, next);
        }
      } else if (isArray(value)) twice ??= field || VALUE;
      else {
        const slot = this.slots.get(field || VALUE);
        if (slot !== undefined) cells[slot] = value as string | null;
      }
    };
    fill(tree, '');
    if (twice !== null)
      return new Unreadable(
        `“${String(twice)}” occurs more than once in this record, but not in the sample that the structure was learned from; learn it again.`,
        '',
      );
    return cells;
  }
}

/** A tree as JSON; all scalars are texts. */
export function treeJson(tree: Tree): string {
  if (tree === null || typeof tree === 'string') return JSON.stringify(tree);
  if (isArray(tree)) return `[${tree.map(treeJson).join(',')}]`;
  return `{${[...(tree as Members)].map(([name, member]) => `${JSON.stringify(name)}:${treeJson(member)}`).join(',')}}`;
}

/** Too deep for anything that is meant. */
export const tooDeep = `It is nested deeper than ${MAX_DEPTH} levels; no record needs that.`;
