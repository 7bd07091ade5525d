import { outputText, type Value } from '../fields/values.ts';
import { parseSortKey } from '../rules/parse.ts';
import { walk } from '../rules/syntax.ts';
import type { CompiledMapping } from './compile.ts';
import type { MappingDocument } from '../document/document.ts';
import { documentRules } from '../document/rules.ts';
import { sourceSetKey } from '../source-set/source-set.ts';

/** The mappings whose delivered keys a document asks for, by the names in its rules. */
export function keyMapsAsked(document: MappingDocument): string[] {
  const names = new Set<string>();
  for (const text of documentRules(document))
    if (text.toLowerCase().includes('mapped_key'))
      try {
        walk(parseSortKey(text).by, (node) => {
          const [name] = node.kind === 'call' && node.name === 'mapped_key' ? node.args : [];
          if (name?.kind === 'text') names.add(name.value);
        });
      } catch {
        // The rule's own problem is reported when it is checked.
      }
  return [...names];
}

/** Equal for documents that want the same sample records, and the same key maps beside them. */
export function sampleKey(document: MappingDocument): string {
  return JSON.stringify([sourceSetKey(document), keyMapsAsked(document)]);
}

/** A record's key in the source and in the target; several fields are joined by “/”. */
export interface DeliveredKey {
  readonly source: string;
  readonly target: string;
}
/**
 * What a record is known by in its source: the fields that the lines of the target's key read. Null where the target has no
 * key, or its key is made without the source (a random or counted one).
 */
export function keyReader(
  mapping: CompiledMapping,
): ((row: readonly Value[], values: readonly Value[]) => DeliveredKey | null) | null {
  const key = mapping.keys.find((k) => k.primary);
  if (!key) return null;
  const lines = mapping.lines.filter((l) => key.names.includes(l.field.name));
  const uses = lines.flatMap((l) => l.uses).filter((u, i, all) => all.findIndex((o) => o.slot === u.slot) === i);
  if (uses.length === 0) return null;
  return (row, values) => {
    const source = uses.map((u) => outputText(row[u.slot] ?? null, u.type));
    const target = key.indexes.map((at) => outputText(values[at] ?? null, mapping.columns[at]!.type.value));
    if (source.includes(null) || target.includes(null)) return null;
    return { source: source.join('/'), target: target.join('/') };
  };
}
