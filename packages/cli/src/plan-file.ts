import { readFileSync } from 'node:fs';
import {
  allSteps,
  counted,
  Fault,
  isFault,
  nextTimes,
  planProblems,
  planText,
  readPlan,
  type PlanDocument,
} from '@versicle/core';
import { requireFile } from './files.ts';
import { problemText } from './mapping-file.ts';

/** How many of the next times of a schedule are told. */
const TOLD = 5;

/** The problems of a plan, or how it reads and when it is due. Exit code 1 when there is an error. */
export function checkPlanFile(path: string, print: (text: string) => void): number {
  const plan = loadPlan(path);
  const problems = planProblems(plan);
  for (const problem of problems) print(problemText(problem));
  if (problems.length > 0) {
    print(`${plan.name}: ${counted(problems.length, 'error')}`);
    return 1;
  }
  print(planText(plan));
  for (const trigger of plan.triggers) {
    if (trigger.kind !== 'schedule') continue;
    const times = nextTimes(trigger, new Date(), TOLD);
    print(
      `next${trigger.except.length + trigger.only.length > 0 ? ', calendars left aside' : ''}: ${times.map(({ at, odd }) => timeText(at, trigger.zone, odd)).join(', ')}`,
    );
  }
  print(`${plan.name}: no errors in ${counted(allSteps(plan.steps).length, 'step')}`);
  return 0;
}

/** A plan as it stands in a file. Throws a fault that says where it is none. */
export function loadPlan(path: string): PlanDocument {
  requireFile(path);
  try {
    return readPlan(readFileSync(path, 'utf8'));
  } catch (error) {
    if (isFault(error, 'document'))
      throw new Fault(
        'input',
        `${path} is not a plan:\n${error.details.map((p) => `  ${p.path || 'plan'}: ${p.message}`).join('\n')}`,
      );
    throw error;
  }
}

function timeText(at: Date, zone: string, odd: string | null): string {
  const text = new Intl.DateTimeFormat('en-CA', {
    timeZone: zone,
    weekday: 'short',
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  }).formatToParts(at);
  const part = (type: string): string => text.find((p) => p.type === type)!.value;
  const why =
    odd === null
      ? ''
      : odd === 'skipped hour'
        ? ' (the clock jumps over its time)'
        : ' (the clock shows its time twice)';
  return `${part('weekday')} ${part('year')}-${part('month')}-${part('day')} ${part('hour')}:${part('minute')}${why}`;
}
