import { counted } from '../words.ts';
import type { PlanDocument } from './plan.ts';

/** Records that have to have been read before a share of them says anything. */
const FROM = 100;

/** Why a load has to stop by what its plan says; null while it may go on. */
export function limitReached(
  { failedShare, failed: most }: NonNullable<PlanDocument['stop']>,
  { read, failed }: { readonly read: number; readonly failed: number },
): string | null {
  if (most !== undefined && failed > most)
    return `stopped: ${counted(failed, 'record')} failed, and the plan lets ${most.toLocaleString('en-GB')} fail at most`;
  if (failedShare !== undefined && read >= FROM && failed > failedShare * read)
    return `stopped: ${counted(failed, 'record')} of ${read.toLocaleString('en-GB')} failed, and the plan lets ${+(failedShare * 100).toFixed(2)} % fail at most`;
  return null;
}
