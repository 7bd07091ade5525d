import type { Codes as CodeList, TableUse } from '@versicle/contract';
import { parseRule, rulesOfLine, walk, type Line, type MappingDocument } from '@versicle/core';

/** How a mapping uses a code table, and how its own copy differs from the table; null when it does not know it. */
export function tableUse(id: string, document: MappingDocument, name: string, codes: CodeList): TableUse | null {
  const own = document.codeTables[name];
  const lines = document.lines.flatMap((line, i) => (usesTable(document, line, name) ? [i + 1] : []));
  if (own === undefined && lines.length === 0) return null;
  const key = (c: CodeList[number]): string => JSON.stringify([c.from, c.validFrom ?? '']);
  const text = (c: CodeList[number]): string => JSON.stringify([c.to, c.meaning ?? '', c.validTo ?? '']);
  const theirs = new Map((own ?? []).map((c) => [key(c), text(c)]));
  const ours = new Map(codes.map((c) => [key(c), text(c)]));
  const lacks = [...ours.keys()].filter((k) => !theirs.has(k)).length;
  const more = [...theirs.keys()].filter((k) => !ours.has(k)).length;
  const differs = [...ours].filter(([k, v]) => theirs.has(k) && theirs.get(k) !== v).length;
  return { mapping: id, name: document.name, lines, lacks, more, differs, same: lacks + more + differs === 0 };
}

function usesTable(document: MappingDocument, line: Line, name: string): boolean {
  if (line.kind === 'lookup' && line.codeTable === name) return true;
  if (document.target.fields.find((f) => f.name === line.target)?.codeTable === name) return true;
  return rulesOfLine(line).some((text) => {
    if (!text.includes('lookup')) return false;
    let found = false;
    try {
      walk(parseRule(text), (node) => {
        const [table] = node.kind === 'call' && node.name === 'lookup' ? node.args : [];
        if (table?.kind === 'text' && table.value === name) found = true;
      });
    } catch {
      // The rule's own problem is reported when it is checked.
    }
    return found;
  });
}
