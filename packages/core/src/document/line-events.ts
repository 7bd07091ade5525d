import { lineDifferences } from './difference.ts';
import type { MappingDocument } from './document.ts';

/** What was done to a line between two states of a document. */
export interface LineEvent {
  readonly line: string;
  readonly what: 'added' | 'removed' | 'edited' | 'state';
  readonly parts: readonly { readonly part: string; readonly before: string; readonly after: string }[];
}

/** What happened to each line, its state apart from the rest: who signs is not who edits. */
export function lineEvents(before: MappingDocument, after: MappingDocument): LineEvent[] {
  return lineDifferences(before, after).flatMap(({ line, change, parts }): LineEvent[] => {
    if (change !== 'changed') return [{ line, what: change, parts: change === 'added' ? parts : [] }];
    const state = parts.filter((p) => p.part === 'state');
    const rest = parts.filter((p) => p.part !== 'state');
    return [
      ...(rest.length > 0 ? [{ line, what: 'edited' as const, parts: rest }] : []),
      ...(state.length > 0 ? [{ line, what: 'state' as const, parts: state }] : []),
    ];
  });
}

/** Parts of a line that are signed with it; a note is not. */
const UNSIGNED = new Set(['state', 'note', 'lineage']);

/** Agreed lines whose content differs from what was agreed are drafts again. */
export function withStaleAgreements(before: MappingDocument, after: MappingDocument): MappingDocument {
  const stale = new Set(
    lineDifferences(before, after).flatMap((l) =>
      l.change === 'changed' && l.parts.some((p) => !UNSIGNED.has(p.part)) && !l.parts.some((p) => p.part === 'state')
        ? [l.line]
        : [],
    ),
  );
  if (stale.size === 0) return after;
  const lines = after.lines.map((l) =>
    stale.has(l.id) && l.state === 'agreed' ? { ...l, state: 'drafted' as const } : l,
  );
  return { ...after, lines };
}
