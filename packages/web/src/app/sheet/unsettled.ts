import type { Line, MappingDocument } from '@versicle/core';
import { capital, inWords } from '../shared/words';

/** What of a document nobody has settled yet, as a sentence; empty when all of it is agreed. */
export function unsettledWords(document: MappingDocument): string {
  const count = (state: Line['state']): number => document.lines.filter((l) => l.state === state).length;
  const questions = document.questions.filter((q) => q.answer === undefined).length;
  const parts = [
    count('drafted') > 0
      ? $localize`${inWords(count('drafted'), $localize`line is`, $localize`lines are`)} drafted and signed by nobody`
      : '',
    questions > 0 ? $localize`${inWords(questions, $localize`question is`, $localize`questions are`)} open` : '',
    count('to map') > 0
      ? $localize`${inWords(count('to map'), $localize`line is`, $localize`lines are`)} to map and would fill nothing`
      : '',
  ].filter(Boolean);
  if (parts.length === 0) return '';
  const said = parts.length === 1 ? parts[0]! : $localize`${parts.slice(0, -1).join(', ')} and ${parts.at(-1)!}`;
  return $localize`${capital(said)}. It can be published all the same.`;
}
