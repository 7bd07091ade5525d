import { RUN_VARIABLES } from '../document/document.ts';
import type { Problem } from '../document/document.ts';
import { RuleError } from '../rules/errors.ts';
import { nearest, quoted } from '../words.ts';
import { conditionRule } from './conditions.ts';
import { isPeriod, placeProblem } from './places.ts';
import { allSteps, type PlanDocument, type Step, type Trigger } from './plan.ts';
import { circleOf, stepsBefore } from './step-order.ts';
import { scheduleFault } from './schedule.ts';
import { shareFault } from './share.ts';

/** What is there beside the plan: names that it may speak of. Left out where nobody knows. */
export interface PlanGround {
  readonly mappings?: readonly string[];
  readonly systems?: readonly string[];
  readonly plans?: readonly string[];
  readonly calendars?: readonly string[];
  /** What the plan itself is called there. */
  readonly self?: string;
}

/** Names that each run gives to places by itself: its number, and the plan's id. */
export const RUN_NAMES: readonly string[] = ['run', 'plan'];

/** What is wrong with a plan. Never throws for what a person wrote. */
export function planProblems(plan: PlanDocument, ground: PlanGround = {}): Problem[] {
  const problems: Problem[] = [];
  const report = (path: string, message: string, proposal?: string | null): void => {
    problems.push({ severity: 'error', path, message, ...(proposal ? { proposal } : {}) });
  };
  const known = (path: string, what: string, name: string, among: readonly string[] | undefined): void => {
    if (among === undefined || among.includes(name)) return;
    const near = nearest(name, among);
    report(path, `There is no ${what} ${quoted(name)}.${near ? ` Did you mean ${quoted(near)}?` : ''}`, near);
  };
  const twice = (all: readonly Placed[], what: string): void => {
    all.forEach(({ id, path }, i) => {
      if (all.findIndex((o) => o.id === id) !== i)
        report(`${path}.id`, `Two ${what} are called ${quoted(id)}; ids must differ.`);
    });
  };

  twice(placed(plan.steps, 'steps'), 'steps');
  twice(
    plan.triggers.map(({ id }, i) => ({ id, path: `triggers[${i}]` })),
    'triggers',
  );
  plan.triggers.forEach((t, i) => triggerProblems(t, `triggers[${i}]`));
  for (const [name, text] of Object.entries(plan.variables)) {
    variableName(`variables.${name}`, name);
    const problem = placeProblem(text, [], 'that others may use');
    if (problem !== null) report(`variables.${name}`, problem);
  }
  stepProblems(plan.steps, 'steps', Object.keys(plan.variables));
  plan.variants.forEach((v, i) => {
    for (const name of Object.keys(v.variables))
      known(`variants[${i}].variables.${name}`, 'variable', name, Object.keys(plan.variables));
    const loads = allSteps(plan.steps).flatMap((s) => (s.kind === 'mapping' ? [s.id] : []));
    for (const step of Object.keys(v.filters)) known(`variants[${i}].filters.${step}`, 'mapping step', step, loads);
  });
  plan.tell.forEach((t, i) => {
    if (t.by !== 'application' && t.to.length === 0)
      report(
        `tell[${i}].to`,
        `Say who is told by ${t.by}: ${t.by === 'mail' ? 'addresses' : 'an address of the web'}.`,
      );
    for (const to of t.to) {
      if (t.by === 'mail' && !/^[^\s@,;<>]+@[^\s@,;<>]+\.[^\s@,;<>.]+$/.test(to))
        report(`tell[${i}].to`, `${quoted(to)} is no address of mail; write one such as operations@example.org.`);
      if (t.by === 'webhook' && !isWebAddress(to))
        report(
          `tell[${i}].to`,
          `${quoted(to)} is no address of the web; write one such as https://chat.example.org/larkway.`,
        );
    }
    if (t.on.includes('late') && plan.expected === undefined)
      report('expected', 'Somebody is to be told when it is late: say by when it has to have ended well.');
  });
  return problems;

  function variableName(at: string, name: string): void {
    if (isPeriod(name) || RUN_NAMES.includes(name) || Object.hasOwn(RUN_VARIABLES, name))
      report(
        at,
        `${quoted(name)} means something of its own in places such as {{${name}}} or in rules; choose another name.`,
      );
  }

  function triggerProblems(trigger: Trigger, path: string): void {
    if (trigger.kind === 'schedule') {
      const fault = scheduleFault(trigger);
      if (fault !== null) report(`${path}.${fault.entry}`, fault.message);
      for (const list of ['except', 'only'] as const)
        trigger[list].forEach((c, i) => known(`${path}.${list}[${i}]`, 'calendar', c, ground.calendars));
    }
    if (trigger.kind === 'after') {
      if (trigger.plan === ground.self || trigger.plan === plan.name)
        report(`${path}.plan`, 'A plan can’t start itself when it has ended; use every, which waits in between.');
      else known(`${path}.plan`, 'plan', trigger.plan, ground.plans);
    }
    if (trigger.kind === 'arrival' || trigger.kind === 'file')
      known(`${path}.dataset`, 'system', trigger.dataset.split('/')[0]!, ground.systems);
  }

  /** `names`: variables that the steps may speak of. */
  function stepProblems(steps: readonly Step[], path: string, names: readonly string[]): void {
    const ids = steps.map((s) => s.id);
    steps.forEach((step, i) => {
      const at = `${path}[${i}]`;
      for (const list of ['after', 'afterAny'] as const)
        step[list].forEach((before, j) => {
          if (before === step.id) report(`${at}.${list}[${j}]`, `The step ${step.id} waits for itself.`);
          else known(`${at}.${list}[${j}]`, 'step', before, ids);
        });
      condition(step, steps, at, names);
      ofKind(step, at, names);
    });
    const circle = circleOf(steps.filter((s) => !s.after.includes(s.id) && !s.afterAny.includes(s.id)));
    if (circle !== null)
      report(
        path,
        `These steps wait for each other, so that none can begin: ${[...circle, circle[0]].join(' waits for ')}.`,
      );
  }

  function condition(step: Step, steps: readonly Step[], at: string, names: readonly string[]): void {
    if (step.when === undefined) return;
    const before = stepsBefore(steps, step.id);
    try {
      const { type } = conditionRule(step.when, [...before], names);
      if (type !== 'bool' && type !== 'unknown')
        report(`${at}.when`, 'A condition must be true or false, such as members.failed = 0; this gives a value.');
    } catch (error) {
      if (!(error instanceof RuleError)) throw error;
      const later = steps.find((s) => !before.has(s.id) && new RegExp(`\\b${s.id}\\.`).test(step.when!));
      report(
        `${at}.when`,
        later === undefined
          ? stepWords(error.message)
          : `${stepWords(error.message)} The figures of ${later.id} are known only to steps that go after it.`,
      );
    }
  }

  function places(at: string, text: string, names: readonly string[]): void {
    const problem = placeProblem(text, [...names, ...RUN_NAMES], 'of the plan');
    if (problem !== null) report(at, problem);
  }

  function keptAt(at: string, text: string | undefined, names: readonly string[]): void {
    if (text === undefined) return;
    const [system, ...folder] = text.split('/');
    if (folder.length === 0 || folder.some((part) => ['', '.', '..'].includes(part.trim())))
      return report(at, `${quoted(text)} is no folder of a system; write one such as archive/{{run}}.`);
    known(at, 'system', system!, ground.systems);
    places(at, text, names);
  }

  function ofKind(step: Step, at: string, names: readonly string[]): void {
    switch (step.kind) {
      case 'mapping':
        known(`${at}.mapping`, 'mapping', step.mapping, ground.mappings);
        if (step.changes === 'watermark' && step.watermark === undefined)
          report(`${at}.watermark`, 'Say by which field what is new is told: "watermark": { "field": … }.');
        if (step.changes !== 'watermark' && step.watermark !== undefined)
          report(`${at}.watermark`, 'A watermark counts only with "changes": "watermark".');
        if (typeof step.vanished === 'object')
          for (const [name, value] of Object.entries(step.vanished.mark))
            places(`${at}.vanished.mark.${name}`, value ?? '', names);
        for (const what of ['read', 'failed'] as const) keptAt(`${at}.keep.${what}`, step.keep?.[what], names);
        break;
      case 'sql':
        known(`${at}.system`, 'system', step.system, ground.systems);
        places(`${at}.sql`, step.sql, names);
        if (/'[^']*\{\{[^']*'/.test(step.sql))
          report(
            `${at}.sql`,
            'A place is put in as a value by itself: write it without quotes around it, such as WHERE region = {{region}}.',
          );
        break;
      case 'request':
        known(`${at}.system`, 'system', step.system, ground.systems);
        places(`${at}.path`, step.path, names);
        places(`${at}.body`, step.body ?? '', names);
        break;
      case 'share':
        known(`${at}.dataset`, 'system', step.dataset.split('/')[0]!, ground.systems);
        step.by.forEach((b, i) => {
          known(`${at}.by[${i}].mapping`, 'mapping', b.mapping, ground.mappings);
          const fault = shareFault(b.when);
          if (fault !== null) report(`${at}.by[${i}].when`, fault);
        });
        break;
      case 'plan':
        if (step.plan === ground.self || step.plan === plan.name)
          report(`${at}.plan`, 'A plan can’t be a step of itself: it would never end.');
        else known(`${at}.plan`, 'plan', step.plan, ground.plans);
        break;
      case 'each': {
        const own = 'dataset' in step.over ? Object.keys(step.over.fields) : [step.over.as];
        for (const name of own) variableName(`${at}.over`, name);
        for (const inner of allSteps(step.steps))
          if (inner.kind === 'mapping' && inner.changes === 'captured')
            report(
              `${at}.steps (${inner.id}).changes`,
              'What a source wrote down is worked off once, and each would find what the one before left. Compare instead.',
            );
        stepProblems(step.steps, `${at}.steps`, [...names, ...own]);
      }
    }
  }
}

const isWebAddress = (text: string): boolean => /^https?:\/\/[^\s/?#]+\S*$/i.test(text);

/** What rules call a source is a step here. */
const stepWords = (message: string): string =>
  message.replace('There is no source called', 'There is no earlier step called');

interface Placed {
  readonly id: string;
  readonly path: string;
}
/** Steps, and those within them, with their places. */
function placed(steps: readonly Step[], path: string): Placed[] {
  return steps.flatMap((s, i) => {
    const at = `${path}[${i}]`;
    return [{ id: s.id, path: at }, ...(s.kind === 'each' ? placed(s.steps, `${at}.steps`) : [])];
  });
}
