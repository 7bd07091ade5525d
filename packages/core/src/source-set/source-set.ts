import type { ValueType } from '../fields/types.ts';
import type { Marks } from '../formats/format.ts';
import { Unreadable, type RawRow } from '../formats/format.ts';
import { aggregateType, isAggregate } from '../rules/aggregates.ts';
import { checkRule } from '../rules/check.ts';
import type { Scope, ScopeField } from '../rules/scope.ts';
import { parseRule } from '../rules/parse.ts';
import { fieldText, printRule } from '../rules/print.ts';
import { walk, type Node } from '../rules/syntax.ts';
import type { SourceField } from '../document/source-field.ts';
import type { MappingDocument } from '../document/document.ts';
import { recordRules } from '../document/rules.ts';

/**
 * A source set of several datasets, or one that sorts or folds its records together. PostgreSQL composes its records
 * beforehand; they come to the lines with fields called `alias.field`, and with what was worked out for a group.
 */
export function isComposed({ source }: MappingDocument): boolean {
  return [source.joins, source.unions, source.distinctOn, source.groupBy, source.orderBy].some((l) => l.length > 0);
}

/** A dataset that a source set reads. A union has the primary's alias: its records stand below those. */
export interface SetMember {
  readonly role: 'primary' | 'union' | 'join';
  readonly alias: string;
  readonly dataset: string;
  /** Of a union: the field of it that stands below one of the primary dataset, where it has another name. */
  readonly columns?: Readonly<Record<string, string>>;
}
export function membersOf({ source }: MappingDocument): SetMember[] {
  const { alias } = source.primary;
  return [
    { role: 'primary', ...source.primary },
    ...source.unions.map(({ dataset, columns }) => ({ role: 'union' as const, alias, dataset, columns })),
    ...source.joins.map((j) => ({ role: 'join' as const, alias: j.alias, dataset: j.dataset })),
  ];
}

/** Where a composed record comes from: row and file of the primary dataset, and why it could not be read there, with what stands there. */
export const PLACE_FIELDS = { row: '_row', file: '_file', unreadable: '_unreadable', raw: '_raw' } as const;
const PLACES: ReadonlySet<string> = new Set(Object.values(PLACE_FIELDS));
export const isPlaceField = (name: string): boolean => PLACES.has(name);

/** The field names of composed records, from those of primary and joined datasets by their alias. */
export function composedNames(document: MappingDocument, names: ReadonlyMap<string, readonly string[]>): string[] {
  const base = [...names].flatMap(([alias, list]) => list.map((name) => ({ alias, name })));
  return [...base.map((f) => `${f.alias}.${f.name}`), ...computedOf(document, base), ...PLACES];
}

/** Composed fields from their names; `marksOf` says how a dataset's text writes numbers and dates. */
export function composedFields(
  document: MappingDocument,
  names: readonly string[],
  typeOf: (alias: string, name: string) => ValueType,
  marksOf: (alias: string) => Marks | null,
): SourceField[] {
  const aliases = new Set(membersOf(document).map((m) => m.alias));
  const split = names.map((name) => {
    const dot = name.indexOf('.');
    return dot > 0 && aliases.has(name.slice(0, dot)) ? { alias: name.slice(0, dot), name: name.slice(dot + 1) } : null;
  });
  const base: ScopeField[] = split.flatMap((f, slot) => (f ? [{ ...f, type: typeOf(f.alias, f.name), slot }] : []));
  return names.map((name, i) => {
    const field = split[i];
    if (!field) return { alias: null, name, type: isPlaceField(name) ? 'text' : computedType(name, base) };
    const marks = marksOf(field.alias);
    return { ...field, type: typeOf(field.alias, field.name), ...(marks ? { marks } : {}) };
  });
}
function computedType(text: string, fields: readonly ScopeField[]): ValueType {
  try {
    const tree = parseRule(text);
    const check = (node: Node): ReturnType<typeof checkRule>['checked'] => checkRule(node, { fields }).checked;
    const type = isAggregate(tree) ? aggregateType(tree, check) : check(tree).type;
    return type === 'unknown' ? 'text' : type;
  } catch {
    // What is wrong with it is said where it stands.
    return 'text';
  }
}

/** What rules of a source set may name: before it groups (`base`), and in lines (`lines`). */
export function composedScopes(
  document: MappingDocument,
  fields: readonly SourceField[],
  common: Omit<Scope, 'fields'>,
): { base: Scope; lines: Scope } {
  const all: ScopeField[] = fields.map((f, slot) => ({ alias: f.alias ?? null, name: f.name, type: f.type, slot }));
  const base: Scope = { ...common, fields: all.filter((f) => f.alias !== null) };
  if (document.source.groupBy.length === 0) return { base, lines: base };
  const known = base.fields;
  const keys = new Set(document.source.groupBy.flatMap((text) => resolvedText(text, known) ?? []));
  const isKey = (f: ScopeField): boolean => keys.has(fieldText(f.alias, f.name));
  const computed = new Map(all.filter((f) => f.alias === null && !isPlaceField(f.name)).map((f) => [f.name, f]));
  return {
    base,
    lines: {
      ...common,
      fields: known.filter(isKey),
      ungrouped: known.filter((f) => !isKey(f)),
      computed: (node) => computed.get(resolved(node, known)) ?? null,
    },
  };
}

/** How rows of the primary dataset became records: read + multiplied = unmatched + filtered + folded + records. */
export interface ComposedCounts {
  /** Rows of the primary dataset, and of those that stand below it. */
  readonly read: number;
  /** What joins added: rows that matched several times, and rows of a right or full join without a partner. */
  readonly multiplied: number;
  /** Rows that an inner or right join found no partner for. */
  readonly unmatched: number;
  readonly filtered: number;
  /** Rows that distinct or grouping folded into others. */
  readonly folded: number;
  readonly records: number;
}
/** The first records of each stage of composing, with the composed fields. */
export interface ComposedPeek {
  readonly joined: readonly PeekRecord[];
  readonly unmatched: readonly PeekRecord[];
  readonly filtered: readonly PeekRecord[];
}
export interface PeekRecord {
  /** Null where no record of the primary dataset belongs to it. */
  readonly row: number | null;
  readonly values: readonly (string | null)[];
}

type Named = Pick<ScopeField, 'alias' | 'name'>;
/** A rule's text in one spelling, with every field under its alias. */
function resolved(node: Node, fields: readonly Named[]): string {
  return printRule(node, (alias, name) => {
    if (alias !== null) return fieldText(alias, name);
    const found = fields.filter((f) => f.name === name);
    return fieldText(found.length === 1 ? found[0]!.alias : null, name);
  });
}
function resolvedText(text: string, fields: readonly Named[]): string | null {
  try {
    return resolved(parseRule(text), fields);
  } catch {
    return null;
  }
}

/** What a grouping source set works out: aggregates of lines and skips, and grouped expressions, in one spelling. */
function computedOf(document: MappingDocument, fields: readonly Named[]): string[] {
  if (document.source.groupBy.length === 0) return [];
  const found = new Set<string>();
  for (const text of document.source.groupBy) {
    const tree = parsed(text);
    if (tree && tree.kind !== 'field') found.add(resolved(tree, fields));
  }
  for (const text of recordRules(document)) {
    const tree = parsed(text);
    if (tree)
      walk(tree, (node) => {
        if (!isAggregate(node)) return true;
        found.add(resolved(node, fields));
        return false;
      });
  }
  return [...found];
}
function parsed(text: string): Node | null {
  try {
    return parseRule(text);
  } catch {
    // The rule's own problem is reported where it is checked.
    return null;
  }
}

/** A source field as rules write it, from its name in rows. */
export function sourceFieldText(document: MappingDocument, name: string): string {
  if (!isComposed(document)) return fieldText(document.source.primary.alias, name);
  const dot = name.indexOf('.');
  const alias = name.slice(0, Math.max(dot, 0));
  // What was worked out for a group is written as it stands.
  return membersOf(document).some((m) => m.alias === alias) ? fieldText(alias, name.slice(dot + 1)) : name;
}
/** Equal for documents that make the same records of their source. */
export function sourceSetKey(document: MappingDocument): string {
  const { structures: _, filter, ...set } = document.source;
  if (!isComposed(document)) return document.source.primary.dataset;
  return JSON.stringify([set, filter, computedOf(document, [])]);
}

/** What a source's fields are called in rows that carry them. */
export function sourceNamesOf(fields: readonly SourceField[]): string[] {
  return fields.map((f) => (f.alias == null ? f.name : `${f.alias}.${f.name}`));
}

/** A composed record as it is applied, with its place in the primary dataset. */
export interface PlacedRow {
  readonly row: RawRow;
  /** Null where no record of the primary dataset belongs to it. */
  readonly number: number | null;
  readonly file: string | null;
}
/** Reads the place out of composed records; null where the names are not those of composed records. */
export function placeReader(names: readonly string[]): ((row: RawRow) => PlacedRow) | null {
  const {
    row,
    file,
    unreadable,
    raw: text,
  } = Object.fromEntries(Object.entries(PLACE_FIELDS).map(([what, name]) => [what, names.indexOf(name)])) as Record<
    keyof typeof PLACE_FIELDS,
    number
  >;
  if (row < 0 || unreadable < 0) return null;
  return (raw) => {
    if (raw instanceof Unreadable) return { row: raw, number: null, file: null };
    const cells = raw as readonly (string | null)[];
    const why = cells[unreadable];
    const number = cells[row];
    return {
      row: why === null || why === undefined ? raw : new Unreadable(why, cells[text] ?? ''),
      number: number === null || number === undefined ? null : Number(number),
      file: cells[file] ?? null,
    };
  };
}
