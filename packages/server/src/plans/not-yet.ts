import { allSteps, type PlanDocument, type Problem } from '@versicle/core';

/** What plan documents can say and is not carried out yet: said when a plan is kept, so that nothing is quietly left out. */
export function notYet(document: PlanDocument): Problem[] {
  const problems: Problem[] = [];
  const report = (path: string, what: string): void =>
    void problems.push({ severity: 'error', path, message: `${what} can’t be carried out yet.` });
  for (const step of allSteps(document.steps)) {
    const at = `steps (${step.id})`;
    if (step.kind !== 'mapping') continue;
    if (step.changes === 'captured') report(`${at}.changes`, 'Reading what a database wrote down itself (captured)');
    if (step.vanished !== 'leave') report(`${at}.vanished`, 'Doing something about records that are gone');
  }
  return problems;
}
