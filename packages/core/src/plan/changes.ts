import type { MappingDocument } from '../document/document.ts';
import type { MappingStep } from './plan.ts';

/** What stands against reading only the changes of a mapping, for a person; null where nothing does. */
export function changesProblem(
  { changes }: Pick<MappingStep, 'changes'>,
  { target, write, source }: Pick<MappingDocument, 'target' | 'write' | 'source'>,
): string | null {
  if (changes === 'all') return null;
  if (write.mode === 'replace')
    return 'The mapping replaces all that its target has, so only changes would leave a part of it. Let it upsert, or read all records.';
  if (target.key.length === 0)
    return 'What changed is told by the key of the target, and the mapping has none. Choose the key on its sheet, or read all records.';
  if (changes === 'watermark' && (source.groupBy.length > 0 || source.distinctOn.length > 0))
    return 'The mapping folds records together, and of the new ones alone it would make others. Compare instead.';
  return null;
}
