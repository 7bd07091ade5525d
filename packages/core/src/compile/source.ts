import { Mismatch, type Converter } from '../fields/convert.ts';
import { parseFieldType, type ValueType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import { Unreadable, type Marks } from '../formats/format.ts';
import { textConverter } from '../formats/text/marks.ts';
import { parseRule, parseSortKey } from '../rules/parse.ts';
import { walk, type Node } from '../rules/syntax.ts';
import type { SourceField } from '../document/source-field.ts';
import type { MappingDocument } from '../document/document.ts';
import { recordRules, rulesOfLine, setRules } from '../document/rules.ts';
import type { Failure } from '../document/records.ts';
import { composedFields, composedNames, isComposed, membersOf } from '../source-set/source-set.ts';

/** The structure that the document keeps for a dataset of its source set (under the alias or the dataset's name), if any. */
export function structureOf(
  document: MappingDocument,
  { alias, dataset }: { readonly alias: string; readonly dataset: string } = document.source.primary,
): MappingDocument['source']['structures'][string] | null {
  const { structures } = document.source;
  return structures[alias] ?? structures[dataset] ?? null;
}

/**
 * The fields that a file's names have for this document: of the type its structure says, otherwise text. `marks` are those
 * that the dataset's format declares, not those that were only guessed.
 */
export function sourceFieldsFor(
  document: MappingDocument,
  names: readonly string[],
  marks: DeclaredMarks = null,
): SourceField[] {
  const ofAlias = (alias: string): Marks | null =>
    marks instanceof Map ? (marks.get(alias) ?? null) : plainMarks(marks);
  if (isComposed(document)) return composedFields(document, names, typesOf(document), ofAlias);
  return memberFields(document, document.source.primary, names, ofAlias(document.source.primary.alias));
}
/** The fields of one dataset of the source set. */
export function memberFields(
  document: MappingDocument,
  member: { readonly alias: string; readonly dataset: string },
  names: readonly string[],
  marks: Marks | null,
): SourceField[] {
  const types = new Map((structureOf(document, member) ?? []).map((f) => [f.name, typeOf(f.type)]));
  return names.map((name) => ({ name, type: types.get(name) ?? 'text', ...(marks ? { marks } : {}) }));
}
/** Marks that are declared for the source: of its only dataset, or by alias. */
export type DeclaredMarks = Marks | ReadonlyMap<string, Marks> | null;
function plainMarks(marks: DeclaredMarks): Marks | null {
  return marks instanceof Map ? null : (marks as Marks | null);
}
function typesOf(document: MappingDocument): (alias: string, name: string) => ValueType {
  const types = new Map(
    membersOf(document).flatMap((m) =>
      m.role === 'union' ? [] : (structureOf(document, m) ?? []).map((f) => [`${m.alias}.${f.name}`, typeOf(f.type)]),
    ),
  );
  return (alias, name) => types.get(`${alias}.${name}`) ?? 'text';
}
function typeOf(text: string): ValueType {
  try {
    return parseFieldType(text).value;
  } catch {
    return 'text';
  }
}

/** Field names that the document's rules and examples use: what is known of a source when nothing else is. */
export function knownSourceFields(document: MappingDocument): string[] {
  const ofExamples = (document.examples ?? []).flatMap((e) => Object.keys(e.source));
  return [...new Set([...namedSourceFields(document), ...ofExamples])];
}

/** The source's field names as far as the document itself tells of them; `guessed`: from its rules, not from a structure. */
export function knownSource(document: MappingDocument): { names: string[]; marks: null; guessed: boolean } {
  const known = membersOf(document).flatMap((m) => {
    if (m.role === 'union') return [];
    const structure = structureOf(document, m);
    const names = structure?.map((f) => f.name) ?? namedSourceFields(document, m.alias);
    return [{ alias: m.alias, names, guessed: structure === null }];
  });
  const guessed = known.some((k) => k.guessed);
  if (isComposed(document)) {
    const names = new Map(known.map((k) => [k.alias, k.guessed ? withExamples(document, k.alias, k.names) : k.names]));
    return { names: composedNames(document, names), marks: null, guessed };
  }
  return { names: guessed ? knownSourceFields(document) : known[0]!.names, marks: null, guessed };
}

/** What examples name of a dataset of a composed set, beside the names that are known. */
function withExamples(document: MappingDocument, alias: string, names: readonly string[]): string[] {
  const others = new Set(membersOf(document).map((m) => m.alias));
  const isPrimary = alias === document.source.primary.alias;
  const named = (document.examples ?? [])
    .flatMap((e) => Object.keys(e.source))
    .flatMap((name) => {
      const dot = name.indexOf('.');
      const of = dot > 0 && others.has(name.slice(0, dot)) ? name.slice(0, dot) : null;
      if (of === alias) return name.slice(dot + 1);
      return of === null && isPrimary ? name : [];
    });
  return [...new Set([...names, ...named])];
}

/** Field names that the document's rules use of its primary dataset, or of the one with this alias. */
export function namedSourceFields(document: MappingDocument, alias = document.source.primary.alias): string[] {
  const { source } = document;
  const primary = alias === source.primary.alias;
  const named = [
    ...[...setRules(document), ...recordRules(document)].flatMap((text) => fieldsIn(text)),
    ...source.orderBy.flatMap((text) => fieldsIn(text, sortedBy)),
  ];
  return [...new Set(named.filter((f) => (f.alias === null ? primary : f.alias === alias)).map((f) => f.name))];
}

/** The source fields that rules use, by their names in rows. */
export function usedSourceNames(document: MappingDocument): Set<string> {
  if (!isComposed(document)) return new Set(namedSourceFields(document));
  const aliases = new Set(membersOf(document).map((m) => m.alias));
  return new Set([...aliases].flatMap((alias) => namedSourceFields(document, alias).map((name) => `${alias}.${name}`)));
}

/** The source fields that one line reads, by alias (null where none is written) and name. */
export function fieldsOfLine(line: MappingDocument['lines'][number]): { alias: string | null; name: string }[] {
  return rulesOfLine(line).flatMap((text) => fieldsIn(text));
}
/** The source fields that one line reads, by their bare names. */
export function usedFields(line: MappingDocument['lines'][number]): string[] {
  return [...new Set(fieldsOfLine(line).map((f) => f.name))];
}
const sortedBy = (text: string): Node => parseSortKey(text).by;
function fieldsIn(text: string | null | undefined, read = parseRule): { alias: string | null; name: string }[] {
  const fields: { alias: string | null; name: string }[] = [];
  if (text)
    try {
      walk(read(text), (node) => {
        if (node.kind === 'field') fields.push({ alias: node.alias, name: node.name });
      });
    } catch {
      // The rule's own problem is reported when it is checked.
    }
  return fields;
}

/** Whether any rule asks for the whole record. */
export function mentionsDoc(document: MappingDocument, alias = document.source.primary.alias): boolean {
  return namedSourceFields(document, alias).includes('_doc');
}

/** Makes typed values of raw rows; null when every field is text, so that rows can be used as they are. */
export function rowTyper(
  fields: readonly SourceField[],
): ((row: readonly (string | null)[]) => readonly Value[] | Unreadable) | null {
  if (fields.every((f) => f.type === 'text')) return null;
  const converters = fields.map((f): Converter | null =>
    f.type === 'text' ? null : textConverter({ value: f.type, sql: f.type }, f.marks),
  );
  return (row) => {
    const values: Value[] = [];
    for (const [i, text] of row.entries()) {
      const convert = converters[i];
      const value = text === null || !convert ? text : convert(text);
      if (value instanceof Mismatch) return new Unreadable(`Field ${fields[i]!.name}: ${value.message}`, text ?? '');
      values.push(value);
    }
    return values;
  };
}

/** The failure of a record that could not be read. */
export function unreadableFailure(row: Unreadable, file: string, rowNumber: number): Failure {
  return {
    line: null,
    target: null,
    cause: 'source_unreadable',
    message: `Row ${rowNumber.toLocaleString('en-GB')} of ${file} can't be read. ${row.message}`,
    values: row.raw === '' ? {} : { row: row.raw },
  };
}
