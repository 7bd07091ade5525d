import { Mismatch, type Converter } from '../fields/convert.ts';
import { parseFieldType, type ValueType } from '../fields/types.ts';
import type { Value } from '../fields/values.ts';
import { Unreadable, type Marks } from '../formats/format.ts';
import { textConverter } from '../formats/marks.ts';
import { parseRule } from '../rules/parse.ts';
import { walk } from '../rules/syntax.ts';
import type { SourceField } from './compile.ts';
import type { MappingDocument } from './document.ts';
import type { Failure } from './records.ts';

/** The structure that the document keeps for its primary dataset (under the alias or the dataset's name), if any. */
export function structureOf(document: MappingDocument): MappingDocument['source']['structures'][string] | null {
  const { structures, primary } = document.source;
  return structures[primary.alias] ?? structures[primary.dataset] ?? null;
}

/**
 * The fields that a file's names have for this document: of the type its structure says, otherwise text. `marks` are those
 * that the dataset's format declares, not those that were only guessed.
 */
export function sourceFieldsFor(
  document: MappingDocument,
  names: readonly string[],
  marks: Marks | null = null,
): SourceField[] {
  const types = new Map((structureOf(document) ?? []).map((f) => [f.name, typeOf(f.type)]));
  return names.map((name) => ({ name, type: types.get(name) ?? 'text', ...(marks ? { marks } : {}) }));
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

/** Field names that the document's rules use. */
export function namedSourceFields(document: MappingDocument): string[] {
  const { alias } = document.source.primary;
  const texts = [
    document.source.filter,
    ...document.skips.map((s) => s.when),
    ...document.lines.flatMap((l) => [l.kind === 'rule' ? l.rule : l.source, l.condition, l.default, ...(l.of ?? [])]),
  ];
  const names = new Set<string>();
  for (const text of texts) {
    if (!text) continue;
    try {
      walk(parseRule(text), (node) => {
        if (node.kind === 'field' && (node.alias === null || node.alias === alias)) names.add(node.name);
      });
    } catch {
      // The rule's own problem is reported when it is checked.
    }
  }
  return [...names];
}

/** The source fields that one line reads. */
export function usedFields(line: MappingDocument['lines'][number]): string[] {
  const names = new Set<string>();
  for (const text of [line.kind === 'rule' ? line.rule : line.source, line.condition, line.default, ...(line.of ?? [])])
    for (const name of fieldsIn(text)) names.add(name);
  return [...names];
}
function fieldsIn(text: string | null | undefined): string[] {
  const names: string[] = [];
  if (text)
    try {
      walk(parseRule(text), (node) => {
        if (node.kind === 'field') names.push(node.name);
      });
    } catch {
      // The rule's own problem is reported when it is checked.
    }
  return names;
}

/** Whether any rule asks for the whole record. */
export function mentionsDoc(document: MappingDocument): boolean {
  return namedSourceFields(document).includes('_doc');
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
