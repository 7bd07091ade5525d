import type { PlanDocument, Step, Trigger } from '@versicle/core';

/** Changes of a plan document, each giving a new one. */

/** What a gap belongs to: a trigger or a step of the outermost level with its place, or what holds for the whole. */
export interface Part {
  readonly kind: 'trigger' | 'step' | 'limits' | 'tell' | 'about';
  readonly index: number;
}
export const ABOUT: Part = { kind: 'about', index: 0 };
export const LIMITS: Part = { kind: 'limits', index: 0 };
export const TELL: Part = { kind: 'tell', index: 0 };

export function partOf(path: string): Part {
  const [, list, index] = /^(triggers|steps)\[(\d+)\]/.exec(path) ?? [];
  if (list === 'triggers') return { kind: 'trigger', index: Number(index) };
  if (list === 'steps') return { kind: 'step', index: Number(index) };
  if (/^(tell|expected)/.test(path)) return TELL;
  return path === 'triggers' ? { kind: 'trigger', index: -1 } : LIMITS;
}
export const samePart = (a: Part | null, b: Part | null): boolean => a?.kind === b?.kind && a?.index === b?.index;

const freeId = (stem: string, taken: readonly string[]): string => {
  const base =
    stem
      .replace(/[^A-Za-z0-9_]+/g, '_')
      .replace(/^[^A-Za-z]+|_+$/g, '')
      .slice(0, 40) || 'step';
  for (let n = 1; ; n++) {
    const id = n === 1 ? base : `${base}_${n}`;
    if (!taken.includes(id)) return id;
  }
};

export type TriggerKind = Trigger['kind'];
/** A trigger as it is when somebody has just asked for it; `zone`: where that person is, `otherPlan`: one that it may start after, `arrives`: where what starts it arrives. */
export function newTrigger(
  kind: TriggerKind,
  plan: PlanDocument,
  zone: string,
  otherPlan: string | null,
  arrives = { file: '', arrival: '' },
): Trigger {
  const id = freeId(
    't',
    plan.triggers.map((t) => t.id),
  );
  switch (kind) {
    case 'schedule':
      return { id, kind, cron: '0 6 * * *', zone, except: [], only: [], missed: 'once' };
    case 'every':
      return { id, kind, seconds: 60 };
    case 'after':
      return { id, kind, plan: otherPlan ?? '', on: 'success' };
    case 'arrival':
      return { id, kind, dataset: arrives.arrival };
    case 'file':
      return { id, kind, dataset: arrives.file, settled: '30 s', then: 'keep' };
    case 'call':
      return { id, kind };
  }
}
export function withTrigger(plan: PlanDocument, index: number, trigger: Trigger | null): PlanDocument {
  const triggers =
    index < 0
      ? [...plan.triggers, ...(trigger ? [trigger] : [])]
      : trigger === null
        ? plan.triggers.toSpliced(index, 1)
        : plan.triggers.with(index, trigger);
  return { ...plan, triggers };
}

export type StepKind = 'mapping' | 'sql' | 'request' | 'plan' | 'share';
/**
 * A step behind all others, as it is when somebody has just asked for it. `about`: the mapping, system or plan, or the dataset that
 * is shared out among `takers`.
 */
export function withNewStep(
  plan: PlanDocument,
  kind: StepKind,
  about: string,
  takers: readonly string[] = [],
): PlanDocument {
  const ids = plan.steps.map((s) => s.id);
  const stem =
    kind === 'mapping' || kind === 'plan'
      ? about.replaceAll('-', '_')
      : { sql: 'statement', request: 'request', share: 'share' }[kind];
  // It comes last: after all that nothing else waits for.
  const after = ids.filter((id) => !plan.steps.some((s) => s.after.includes(id)));
  const always = { id: freeId(stem, ids), after, afterAny: [], onFail: 'stop' as const };
  const step: Step =
    kind === 'mapping'
      ? { ...always, kind, mapping: about, revision: 'newest', changes: 'all', vanished: 'leave', removesAtMost: 0.5 }
      : kind === 'plan'
        ? { ...always, kind, plan: about }
        : kind === 'share'
          ? {
              ...always,
              kind,
              dataset: about,
              by: takers.map((mapping) => ({ when: 'TRUE', mapping })),
              all: false,
              rest: 'keep',
            }
          : kind === 'sql'
            ? { ...always, kind, system: about, sql: 'SELECT 1' }
            : { ...always, kind, system: about, method: 'POST', path: '/' };
  return { ...plan, steps: [...plan.steps, step] };
}
export function withStep(plan: PlanDocument, index: number, step: Step): PlanDocument {
  return { ...plan, steps: plan.steps.with(index, step) };
}
/** Without a step: what waited for it waits for what it waited for. */
export function withoutStep(plan: PlanDocument, index: number): PlanDocument {
  const gone = plan.steps[index]!;
  const instead = (list: readonly string[], own: readonly string[]): string[] => [
    ...new Set(list.flatMap((id) => (id === gone.id ? own : [id]))),
  ];
  const steps = plan.steps
    .toSpliced(index, 1)
    .map((s): Step => ({ ...s, after: instead(s.after, gone.after), afterAny: instead(s.afterAny, gone.afterAny) }));
  return { ...plan, steps };
}
