import { parseRule } from '../rules/parse.ts';
import { walk } from '../rules/syntax.ts';
import { isLoaded, type Line, type MappingDocument } from '../document/document.ts';
import { keyMapsAsked } from './key-map.ts';
import { fieldsOfLine } from './source.ts';
import { rulesOfLine } from '../document/rules.ts';
import { membersOf } from '../source-set/source-set.ts';

/** Something outside a document that the document uses; and its lines, by the names of what they fill, so that they are found. */
export interface Use {
  readonly thing: 'dataset' | 'code table' | 'key map' | 'line';
  /** A dataset by system and name, a code table by its name, a key map by what `mapped_key` calls it, a line by label and name of its target field. */
  readonly name: string;
  /** As what a dataset is used. */
  readonly role: 'primary' | 'union' | 'join' | 'target' | null;
  /** Of a dataset: the field that a line reads or fills, of a line the one it fills; null: the dataset as a whole. */
  readonly field: string | null;
  /** The line that uses it, and its place among the lines, counted from 1; null: the document as a whole. */
  readonly line: string | null;
  readonly number: number | null;
}

/** What a document uses of the things around it: which is kept with each save, so that nobody has to read all documents to find out. */
export function usesOf(document: MappingDocument): Use[] {
  const uses: Use[] = [];
  const whole = { field: null, line: null, number: null };
  const members = membersOf(document);
  for (const { dataset, role } of members) uses.push({ thing: 'dataset', name: dataset, role, ...whole });
  uses.push({ thing: 'dataset', name: document.target.dataset, role: 'target', ...whole });
  for (const name of Object.keys(document.codeTables)) uses.push({ thing: 'code table', name, role: null, ...whole });
  for (const name of keyMapsAsked(document)) uses.push({ thing: 'key map', name, role: null, ...whole });
  const labels = new Map(document.target.fields.map((f) => [f.name, f.label]));
  for (const [i, line] of document.lines.entries()) {
    const at = { line: line.id, number: i + 1 };
    const label = labels.get(line.target);
    const named = label === undefined ? line.target : `${label} ${line.target}`;
    uses.push({ thing: 'line', name: named, role: null, field: line.target, ...at });
    const read = fieldsOfLine(line);
    for (const { alias, dataset, role, columns = {} } of members) {
      const names = read.filter((f) => f.alias === alias || (f.alias === null && role !== 'join')).map((f) => f.name);
      // Datasets below the first one may call its fields otherwise.
      for (const field of new Set(names.map((name) => (Object.hasOwn(columns, name) ? columns[name]! : name))))
        uses.push({ thing: 'dataset', name: dataset, role, field, ...at });
    }
    if (isLoaded(line))
      uses.push({ thing: 'dataset', name: document.target.dataset, role: 'target', field: line.target, ...at });
    for (const name of codeTablesOfLine(document, line))
      uses.push({ thing: 'code table', name, role: null, field: null, ...at });
  }
  return uses;
}

function codeTablesOfLine(document: MappingDocument, line: Line): Set<string> {
  const names = new Set<string>();
  if (line.kind === 'lookup' && line.codeTable) names.add(line.codeTable);
  const checked = document.target.fields.find((f) => f.name === line.target)?.codeTable;
  if (checked) names.add(checked);
  for (const text of rulesOfLine(line)) {
    if (!text.toLowerCase().includes('lookup')) continue;
    try {
      walk(parseRule(text), (node) => {
        const [table] = node.kind === 'call' && node.name === 'lookup' ? node.args : [];
        if (table?.kind === 'text') names.add(table.value);
      });
    } catch {
      // The rule's own problem is reported when it is checked.
    }
  }
  return names;
}
