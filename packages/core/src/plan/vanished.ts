import type { MappingDocument } from '../document/document.ts';
import { isComposed } from '../source-set/source-set.ts';
import { quoted } from '../words.ts';
import type { MappingStep } from './plan.ts';

export type Vanished = Pick<MappingStep, 'vanished' | 'changes'>;

/** What stands against doing something about records that the source has no more, for a person; null where nothing does. */
export function vanishedProblem(step: Vanished, document: MappingDocument): string | null {
  const { target, write, source, lines } = document;
  if (step.vanished === 'leave') return null;
  if (step.changes === 'watermark')
    return 'A watermark reads only what is new, so nothing tells what is gone. Compare, or read all records.';
  if (write.mode === 'replace')
    return 'The mapping replaces all that its target has, and what is gone goes with that. Leave what is gone.';
  if (write.mode === 'skip existing' || (write.mode === 'upsert' && write.existing !== 'overwrite'))
    return 'The mapping leaves records alone that the target had before it, and these would be taken for its own. Let it overwrite what is there, or leave what is gone.';
  if (write.mode === 'new revision')
    return 'The mapping keeps every revision of a record, and what is gone is none of them. Leave what is gone.';
  if (target.key.length === 0)
    return 'What is gone is told by the key of the target, and the mapping has none. Choose the key on its sheet, or leave what is gone.';
  const anew = lines.find(
    (l) => target.key.includes(l.target) && l.kind === 'generated' && (l.generate ?? 'uuid') !== 'hash',
  );
  if (anew !== undefined)
    return `The key ${anew.target} is given anew to each record, so nothing tells which one is gone. Make the key of what the source has, or leave what is gone.`;
  if (isComposed(document) && (source.filter ?? null) !== null)
    return 'The filter of joined or grouped records is carried out before they are there, so one that it leaves out could not be told from one that is gone. Skip records instead of filtering them, or leave what is gone.';
  return step.vanished === 'delete' ? null : markProblem(step.vanished.mark, target);
}

function markProblem(
  mark: Readonly<Record<string, string | null>>,
  { fields, key }: MappingDocument['target'],
): string | null {
  const names = Object.keys(mark);
  if (names.length === 0) return 'Say which fields are to be set in records that are gone.';
  for (const name of names) {
    const field = fields.find((f) => f.name === name);
    if (field === undefined)
      return `The target has no field ${quoted(name)} to mark what is gone with; it has ${fields.map((f) => f.name).join(', ')}.`;
    if (key.includes(name)) return `${name} is part of the key, and can’t mark what is gone.`;
    if (mark[name] === null && !field.nullable)
      return `${name} may not be empty, so it can’t be emptied to mark what is gone.`;
  }
  return null;
}
