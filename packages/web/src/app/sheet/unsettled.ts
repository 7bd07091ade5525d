import type { Line, MappingDocument } from '@versicle/core';
import { capital, inWords } from '../shared/words';

/** What of a document nobody has settled yet, as a sentence; empty when all of it is agreed. */
export function unsettledWords(document: MappingDocument): string {
  const count = (state: Line['state']): number => document.lines.filter((l) => l.state === state).length;
  const questions = document.questions.filter((q) => q.answer === undefined).length;
  const parts = [
    count('drafted') > 0 ? `${inWords(count('drafted'), 'line is', 'lines are')} drafted and signed by nobody` : '',
    questions > 0 ? `${inWords(questions, 'question is', 'questions are')} open` : '',
    count('to map') > 0 ? `${inWords(count('to map'), 'line is', 'lines are')} to map and would fill nothing` : '',
  ].filter(Boolean);
  if (parts.length === 0) return '';
  const said = parts.length === 1 ? parts[0]! : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)!}`;
  return `${capital(said)}. It can be published all the same.`;
}
