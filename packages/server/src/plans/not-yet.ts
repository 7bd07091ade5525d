import { allSteps, type PlanDocument, type Problem } from '@versicle/core';

/** What plan documents can say and is not carried out yet: said when a plan is kept, so that nothing is quietly left out. */
export function notYet(document: PlanDocument): Problem[] {
  const problems: Problem[] = [];
  const report = (path: string, what: string): void =>
    void problems.push({ severity: 'error', path, message: `${what} can’t be carried out yet.` });
  for (const step of allSteps(document.steps)) {
    if (step.kind === 'mapping' && step.changes === 'captured')
      report(`steps (${step.id}).changes`, 'Reading what a database wrote down itself (captured)');
  }
  return problems;
}
