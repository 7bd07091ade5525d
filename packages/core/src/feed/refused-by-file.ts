import type { MappingDocument } from '../document/document.ts';
import type { Failure, Outcome } from '../document/records.ts';
import type { CantWrite } from '../formats/output.ts';

/** A finished record that a file can't hold as it is: it fails under the line of the field, as what a target refuses does. */
export function refusedByFile(outcome: Outcome, { field, message }: CantWrite, document: MappingDocument): Outcome {
  const line = document.lines.find((l) => l.target === field)?.id ?? null;
  const failure: Failure = {
    line,
    target: field,
    cause: 'target_rejected',
    message: `The target refused: ${message}`,
    values: {},
  };
  // Remarks are of records that went on.
  return { ...outcome, kind: 'failed', failures: [failure], remarks: [] };
}
