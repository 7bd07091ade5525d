import { parseArgs } from 'node:util';
import type { Plan, PlanDetail } from '@versicle/contract';
import { Fault } from '@versicle/core';
import { readVariable } from './variables.ts';
import { checkPlanFile, loadPlan } from './plan-file.ts';
import { ask, noSuch, onlyOne, REMOTE_OPTIONS, remoteOf, type Remote } from './remote.ts';
import { follow } from './runs.ts';

const WORDS = ['list', 'show', 'check', 'put', 'start'] as const;

/** `versicle plans list | show ID | check FILE | put FILE | start ID`. */
export async function plans(argv: string[], print: (text: string) => void): Promise<number> {
  const { values, positionals } = parseArgs({
    args: argv,
    allowPositionals: true,
    options: {
      ...REMOTE_OPTIONS,
      first: { type: 'string' },
      all: { type: 'boolean' },
      wait: { type: 'boolean' },
      variant: { type: 'string' },
      set: { type: 'string', multiple: true },
    },
  });
  const [what, ...rest] = positionals;
  const say = (value: unknown, text: string): void => print(values.json ? JSON.stringify(value) : text);
  switch (what) {
    case 'check':
      return checkPlanFile(onlyOne(rest, 'one plan: versicle plans check FILE'), print);
    case 'list': {
      const found = await ask<Plan[]>(remoteOf(values), 'GET', '/plans');
      say(
        found,
        found
          .map(
            (p) =>
              `${p.id}\t${p.held ? 'held' : (p.next ?? (p.startsItself ? 'as it comes' : 'by hand'))}\t${p.sentence}`,
          )
          .join('\n'),
      );
      return 0;
    }
    case 'show': {
      const id = onlyOne(rest, 'the plan: versicle plans show ID');
      const plan = await ask<PlanDetail>(remoteOf(values), 'GET', `/plans/${encodeURIComponent(id)}`);
      say(plan, planText(plan));
      return 0;
    }
    case 'put': {
      const path = onlyOne(rest, 'one plan: versicle plans put FILE');
      const { id, version, made } = await put(remoteOf(values), path);
      say({ id, version, made }, `${id}: ${made ? 'made' : `version ${version}`}`);
      return 0;
    }
    case 'start': {
      const id = onlyOne(rest, 'the plan: versicle plans start ID');
      const remote = remoteOf(values);
      const { run } = await ask<{ run: number }>(remote, 'POST', `/plans/${encodeURIComponent(id)}/start`, {
        ...(values.first === undefined ? {} : { rowLimit: rowLimit(values.first) }),
        ...(values.all ? { all: true } : {}),
        ...(values.variant === undefined ? {} : { variant: values.variant }),
        ...(values.set === undefined ? {} : { variables: Object.fromEntries(values.set.map(readVariable)) }),
      });
      if (values.wait) return follow(remote, run, values.json ?? false, print);
      say({ run }, `run ${run} of ${id} was started`);
      return 0;
    }
    default:
      throw noSuch('plans', what, WORDS);
  }
}

/** The plan of this name becomes what the file says; where there is none, it is made. */
async function put(remote: Remote, path: string): Promise<{ id: string; version: number; made: boolean }> {
  const document = loadPlan(path);
  const same = (await ask<Plan[]>(remote, 'GET', '/plans')).filter((p) => p.name === document.name);
  if (same.length > 1)
    throw new Fault(
      'input',
      `There are ${same.length} plans called “${document.name}” (${same.map((p) => p.id).join(', ')}); give them different names first.`,
    );
  const [known] = same;
  const kept =
    known === undefined
      ? await ask<PlanDetail>(remote, 'POST', '/plans', { document })
      : await ask<PlanDetail>(remote, 'PUT', `/plans/${encodeURIComponent(known.id)}`, {
          document,
          version: known.version,
        });
  return { id: kept.id, version: kept.version, made: known === undefined };
}

function rowLimit(text: string): number {
  const n = Number(text);
  if (!Number.isInteger(n) || n < 1) throw new Fault('input', `“${text}” is no number of records; write --first 100.`);
  return n;
}
function planText(plan: PlanDetail): string {
  const next = plan.held
    ? 'held: nothing starts it by itself'
    : plan.next === null
      ? 'started by hand'
      : `next ${plan.next}`;
  const last = plan.lastRun === null ? 'has not run yet' : `run ${plan.lastRun} ${plan.lastState}, ${plan.lastAt}`;
  return `${plan.name} (version ${plan.version})\n${plan.sentence}\n${next}; ${last}`;
}
