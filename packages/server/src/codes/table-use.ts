import type { Codes as CodeList, TableUse } from '@versicle/contract';
import type { MappingDocument } from '@versicle/core';

/** How a mapping's own copy of a code table differs from the table; `lines`: the numbers of those that use it. */
export function tableUse(
  id: string,
  document: MappingDocument,
  name: string,
  codes: CodeList,
  lines: readonly number[],
): TableUse {
  const own = document.codeTables[name];
  const key = (c: CodeList[number]): string => JSON.stringify([c.from, c.validFrom ?? '']);
  const text = (c: CodeList[number]): string => JSON.stringify([c.to, c.meaning ?? '', c.validTo ?? '']);
  const theirs = new Map((own ?? []).map((c) => [key(c), text(c)]));
  const ours = new Map(codes.map((c) => [key(c), text(c)]));
  const lacks = [...ours.keys()].filter((k) => !theirs.has(k)).length;
  const more = [...theirs.keys()].filter((k) => !ours.has(k)).length;
  const differs = [...ours].filter(([k, v]) => theirs.has(k) && theirs.get(k) !== v).length;
  return {
    mapping: id,
    name: document.name,
    lines: [...lines],
    lacks,
    more,
    differs,
    same: lacks + more + differs === 0,
  };
}
