import { parsePlan, planProblems, type PlanDocument } from '@versicle/core';
import { newTrigger, partOf, samePart, withNewStep, withoutStep, withTrigger } from './edit-plan';

const base = (): PlanDocument =>
  parsePlan({
    versicle: 1,
    kind: 'plan',
    name: 'Night',
    steps: [
      { id: 'a', kind: 'mapping', mapping: 'stations' },
      { id: 'b', kind: 'mapping', mapping: 'members', after: ['a'] },
      { id: 'c', kind: 'mapping', mapping: 'bikes', after: ['a'] },
    ],
  });

describe('editing a plan', () => {
  it('puts a new step behind all that nothing else waits for', () => {
    expect(withNewStep(base(), 'share', 'signups/deliveries', ['joins', 'leaves']).steps.at(-1)).toMatchObject({
      id: 'share',
      kind: 'share',
      dataset: 'signups/deliveries',
      by: [
        { when: 'TRUE', mapping: 'joins' },
        { when: 'TRUE', mapping: 'leaves' },
      ],
      after: ['b', 'c'],
    });
    const plan = withNewStep(base(), 'mapping', 'trips-to-warehouse');
    expect(plan.steps.at(-1)).toMatchObject({ id: 'trips_to_warehouse', after: ['b', 'c'] });
    expect(withNewStep(plan, 'mapping', 'trips-to-warehouse').steps.at(-1)).toMatchObject({
      id: 'trips_to_warehouse_2',
      after: ['trips_to_warehouse'],
    });
    expect(planProblems(plan)).toEqual([]);
  });
  it('lets what waited for a step that goes wait for what that one waited for', () => {
    const plan = withNewStep(base(), 'plan', '7-days');
    expect(plan.steps.at(-1)!.id).toBe('days');
    const without = withoutStep(plan, 1);
    expect(without.steps.map((s) => [s.id, s.after])).toEqual([
      ['a', []],
      ['c', ['a']],
      ['days', ['a', 'c']],
    ]);
    expect(withoutStep(without, 0).steps.map((s) => s.after)).toEqual([[], ['c']]);
  });
  it('adds, changes and removes what starts it', () => {
    const kinds = ['schedule', 'every', 'call'] as const;
    let plan = base();
    for (const kind of kinds) plan = withTrigger(plan, -1, newTrigger(kind, plan, 'Europe/London', null));
    expect(plan.triggers.map((t) => [t.id, t.kind])).toEqual([
      ['t', 'schedule'],
      ['t_2', 'every'],
      ['t_3', 'call'],
    ]);
    expect(planProblems(plan)).toEqual([]);
    expect(withTrigger(plan, 1, null).triggers.map((t) => t.id)).toEqual(['t', 't_3']);
    expect(newTrigger('after', plan, 'UTC', 'stations')).toMatchObject({ plan: 'stations', on: 'success' });
  });
  it('knows what a gap belongs to', () => {
    expect(partOf('steps[2].by[0].when')).toEqual({ kind: 'step', index: 2 });
    expect(partOf('triggers[0].cron')).toEqual({ kind: 'trigger', index: 0 });
    expect(partOf('triggers')).toEqual({ kind: 'trigger', index: -1 });
    expect(samePart(partOf('stop'), partOf('overlap'))).toBe(true);
    expect(samePart(partOf('stop'), null)).toBe(false);
  });
});
