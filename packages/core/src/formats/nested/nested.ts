import { MAX_DEPTH, Unreadable, type RawRow, type RowBatch } from '../format.ts';
import type { NestedStructure } from './settings.ts';
import { UnknownCounter, type UnknownWay } from '../unknown.ts';

/** A nested record: texts (numbers with their very digits), nulls, repetitions, members by name. */
export type Tree = string | null | readonly Tree[] | Members;
export type Members = ReadonlyMap<string, Tree>;

/** What holds the rows of one record's structures together. */
export const KEY = '_key';
export const PARENT_KEY = '_parent_key';
export const POSITION = '_position';
export const DOC = '_doc';
/** The field of a repeating structure that has no members of its own, or of an element's text beside them. */
const VALUE = 'value';
/** What a member is called in the rows that has the name of one of our own fields: with one more _ behind it. */
export const ownName = (field: string): string =>
  /^_(key|parent_key|position|doc)_*$/.test(field) ? `${field}_` : field;

const isArray = (tree: Tree): tree is readonly Tree[] => Array.isArray(tree);
/** Says of an element that it is null, as it is then: no value of its own, but where a structure has had it as one. */
const NIL = '@xsi:nil';
/** The empty name is an element's own text beside its members: it stands at the element's path. */
const below = (path: string, name: string): string => (path === '' ? name : name === '' ? path : `${path}.${name}`);

/**
 * The structures of a sample of records: the record itself, and each path that repeats in any of them. What does not
 * repeat is flattened by path. The record itself comes first, parents before children.
 */
export function learnStructures(records: readonly Tree[]): NestedStructure[] {
  return new StructureLearner().add(records).structures;
}

/**
 * Learns structures from records that come bit by bit. A path that repeated once stays one that repeats. What was read
 * before under a name is not read under another one from here on: a path that was flattened stays flattened, beside its
 * repetitions; a value gets no members, and members become no value.
 */
export class StructureLearner {
  private readonly repeating: Set<string>;
  /** Fields by structure, and whether any record had a value there. */
  private readonly found = new Map<string, Map<string, boolean>>([['', new Map()]]);

  /** `part`: a path that somebody reads as one that repeats, also where it occurs once only. `unread`: nothing was read by it yet. */
  constructor(
    part = '',
    private readonly unread = false,
  ) {
    this.repeating = new Set(part === '' ? [] : [part]);
  }
  /** Goes on from what is known, to be read by only when all was seen: what is a value here and has members there gets both. */
  static ofAll(structures: readonly NestedStructure[]): StructureLearner {
    const learner = new StructureLearner('', true);
    for (const { path, fields } of structures) {
      if (path !== '') learner.repeating.add(path);
      learner.found.set(path, new Map(fields.map((name) => [name, true])));
    }
    return learner;
  }

  add(records: readonly Tree[]): this {
    const before = this.unread
      ? new Map<string, FieldsFilled>()
      : new Map([...this.found].map(([path, fields]) => [path, new Map(fields)]));
    for (const record of records) findRepeating(record, '', this.repeating);
    for (const record of records) this.visit(record, '', '', before);
    return this;
  }
  private visit(tree: Tree, structure: string, field: string, before: ReadonlyMap<string, FieldsFilled>): void {
    const known = before.get(structure);
    if (tree instanceof Map) {
      if (field !== '' && known?.get(field) && !hasBelow(known.keys(), field) && isMembers(tree)) return;
      for (const [name, member] of tree as Members) {
        if (name === NIL && field !== '' && !this.found.get(structure)!.has(below(field, name))) {
          this.visit(null, structure, field, before);
          continue;
        }
        const path = below(below(structure, field), name);
        if (name === '' || !this.repeating.has(path)) this.visit(member, structure, below(field, name), before);
        else {
          if (!this.found.has(path)) this.found.set(path, new Map());
          // Null in the place of all of them says nothing of what they are like.
          for (const element of isArray(member) ? member : member === null ? [] : [member])
            this.visit(element, path, '', before);
        }
      }
    } else {
      const name = ownName(field) || VALUE;
      if (known && !known.has(name) && hasBelow(known.keys(), name)) return;
      const fields = this.found.get(structure)!;
      fields.set(name, (fields.get(name) ?? false) || tree !== null);
    }
  }

  /** Fields of the structure that has most of them. */
  get widest(): number {
    return Math.max(...[...this.found.values()].map((fields) => fields.size));
  }
  get structures(): NestedStructure[] {
    return [...this.found].map(([path, fields]) => ({
      path,
      // What was null in one record and has members in another, or repeats there, is no field.
      fields: [...fields]
        .filter(([name, filled]) => filled || !(hasBelow(fields.keys(), name) || this.repeating.has(below(path, name))))
        .map(([name]) => name),
    }));
  }
}
type FieldsFilled = ReadonlyMap<string, boolean>;
const hasBelow = (names: Iterable<string>, name: string): boolean => {
  for (const other of names) if (other.startsWith(`${name}.`)) return true;
  return false;
};
/** It has members where a value would stand; attributes beside an element's text, or without any, are none. */
const isMembers = (tree: Members): boolean => !tree.has('') && [...tree.keys()].some((name) => !name.startsWith('@'));

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
  /** What has members in the rows. */
  private readonly withMembers: ReadonlySet<string>;
  /** Repeating paths of which fields stand in the rows themselves: they did not repeat in the records that those were learned from. */
  private readonly flattened: ReadonlySet<string>;
  private readonly counter: UnknownCounter;
  private readonly root: Place;
  /** In which row each field was filled last. */
  private readonly filledIn: Float64Array;
  private rowsMade = 0;
  private firstRow = 1;

  constructor(
    structures: readonly NestedStructure[],
    private readonly part: string,
    private readonly withDoc: boolean,
    unknown: UnknownWay = 'told',
    /** Whether an empty value where elements repeat is one of them, as in XML; in JSON a null is none. */
    private readonly emptyIsOne = false,
  ) {
    this.counter = new UnknownCounter(unknown);
    const structure = structures.find((s) => s.path === part);
    if (!structure) throw new Error(`There is no structure ${part}.`);
    this.names = structureFields(structure, withDoc);
    this.slots = new Map(this.names.map((name, i) => [name, i]));
    this.repeating = new Set(structures.map((s) => s.path).filter((p) => p !== ''));
    // What repeats within it has rows of its own, and may have had no elements when it was learned.
    const within = part === '' ? '' : `${part}.`;
    const inside = [...this.repeating].filter((p) => p.startsWith(within)).map((p) => p.slice(within.length));
    this.withMembers = new Set([...structure.fields, ...inside].flatMap(parentsOf));
    const fields = structure.fields.map((f) => below(part, f));
    this.flattened = new Set([...this.repeating].filter((p) => fields.some((f) => f === p || f.startsWith(`${p}.`))));
    this.root = this.placeOf('', '');
    this.filledIn = new Float64Array(this.names.length);
  }

  /** What the records since the last time have and these rows don't. */
  takeUnknown(): Pick<RowBatch, 'unknown'> {
    return this.counter.take();
  }
  /** Rows of the `number`th record (1-based); the first of them is the row `firstRow`, where that counts. */
  rows(record: Tree, number: number, doc: () => string, firstRow = 1): RawRow[] {
    const rows: RawRow[] = [];
    this.firstRow = firstRow;
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
      return void rows.push(this.row(tree, path, key, parent, position, doc, this.firstRow + rows.length));
    if (!(tree instanceof Map)) return;
    for (const [name, member] of tree as Members) {
      const at = below(path, name);
      // An element's own text is within it.
      if (name === '' || (at !== this.part && !this.part.startsWith(`${at}.`))) continue;
      if (!this.repeating.has(at)) this.descend(member, at, key, parent, position, rows, doc);
      else {
        const elements = isArray(member) ? member : member === null && !this.emptyIsOne ? [] : [member];
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
    number: number,
  ): RawRow {
    const cells = new Array<string | null>(this.names.length).fill(null);
    cells[0] = key;
    if (path !== '') {
      cells[1] = parent;
      cells[2] = String(position);
    }
    if (this.withDoc) cells[cells.length - 1] = doc;
    let fault: string | null = null;
    this.rowsMade++;
    const fill = (value: Tree, at: Place): void => {
      if (value instanceof Map) {
        if (at.slot !== undefined && at.field !== '' && !at.hasMembers && isMembers(value))
          fault ??= `“${at.field}” has members in this record, and was one value ${SAMPLE}`;
        for (const [name, member] of value as Members) {
          const next = this.placeBelow(at, name);
          if (next.fills === 'here') fill(member, next);
          else if (next.fills === 'once')
            fill(isArray(member) && member.length < 2 ? (member[0] ?? null) : member, next);
        }
      } else if (isArray(value))
        fault ??=
          at.field === '' && path === ''
            ? 'The record is a list of values without names.'
            : `“${at.field || VALUE}” occurs more than once in this record, but not ${SAMPLE}`;
      else if (at.slot !== undefined) {
        // Such as a member “a.b” beside a member “a” that has “b”: none of them takes the other's place.
        if (this.filledIn[at.slot] === this.rowsMade) fault ??= `“${this.names[at.slot]!}” stands for two values of this record, so that one of them would be lost.`; // prettier-ignore
        this.filledIn[at.slot] = this.rowsMade;
        cells[at.slot] = value as string | null;
      } else if (value !== null && at.hasMembers)
        fault ??= `“${at.field}” is one value in this record, and had members ${SAMPLE}`;
      else if (value !== null && !at.isNil) this.counter.see(at.field || VALUE, number);
    };
    fill(tree, this.root);
    fault ??= this.counter.refusal(number);
    return fault === null ? cells : new Unreadable(fault, '');
  }

  private placeBelow(place: Place, name: string): Place {
    let found = place.below.get(name);
    if (found === undefined) {
      found = this.placeOf(below(place.field, name), name);
      // Records may have ever new names.
      if (place.below.size < MOST_PLACES) place.below.set(name, found);
    }
    return found;
  }
  private placeOf(field: string, name: string): Place {
    const path = below(this.part, field);
    const repeats = name !== '' && this.repeating.has(path);
    return {
      field,
      slot: this.slots.get(ownName(field) || VALUE),
      hasMembers: this.withMembers.has(field),
      isNil: name === NIL,
      fills: !repeats ? 'here' : this.flattened.has(path) ? 'once' : 'elsewhere',
      below: new Map(),
    };
  }
}
/** What becomes of a value at a path of the rows: worked out once, since the records of a file have the same ones. */
interface Place {
  readonly field: string;
  readonly slot: number | undefined;
  /** It has members in the rows. */
  readonly hasMembers: boolean;
  readonly isNil: boolean;
  /** `once`: where it does not repeat in the record. `elsewhere`: in rows of another structure. */
  readonly fills: 'here' | 'once' | 'elsewhere';
  readonly below: Map<string, Place>;
}
const MOST_PLACES = 10_000;
const SAMPLE = 'in those that the structure was learned from; learn it from all records.';
/** The paths above a field: `a` and `a.b` of `a.b.c`. */
const parentsOf = (field: string): string[] => {
  const names = field.split('.');
  return names.slice(1).map((_, i) => names.slice(0, i + 1).join('.'));
};

/** A tree as JSON; all scalars are texts. */
export function treeJson(tree: Tree): string {
  if (tree === null || typeof tree === 'string') return JSON.stringify(tree);
  if (isArray(tree)) return `[${tree.map(treeJson).join(',')}]`;
  return `{${[...(tree as Members)].map(([name, member]) => `${JSON.stringify(name)}:${treeJson(member)}`).join(',')}}`;
}

/** Too deep for anything that is meant. */
export const tooDeep = `It is nested deeper than ${MAX_DEPTH} levels; no record needs that.`;
