import type { PlanDetail } from '@versicle/contract';
import { parsePlan, type PlanDocument } from '@versicle/core';
import { initialPlan, planActions as a, planFeature, type PlanState } from './plan.feature';

const document = (purpose: string): PlanDocument =>
  parsePlan({ versicle: 1, kind: 'plan', name: 'P', purpose, steps: [{ id: 'a', kind: 'mapping', mapping: 'm' }] });
const plan = (version: number, purpose: string): PlanDetail =>
  ({ id: 'p', version, document: document(purpose) }) as PlanDetail;
const after = (...actions: Parameters<typeof planFeature.reducer>[1][]): PlanState =>
  actions.reduce<PlanState>((s, action) => planFeature.reducer(s, action), initialPlan);
const opened = [a.opened({ id: 'p' }), a.loaded({ plan: plan(1, 'one') })] as const;
const two = document('two');
const edited = a.edited({ document: two });
const saved = a.saved({ plan: plan(2, 'two'), sent: two, before: document('one') });

describe('a plan on its page', () => {
  it('shows what is kept, and what is on its way to be', () => {
    expect(after(...opened).draft?.purpose).toBe('one');
    const going = after(...opened, edited);
    expect([going.draft?.purpose, going.saving]).toEqual(['two', true]);
    // What was asked for before is older than what is being kept.
    expect(after(...opened, edited, a.loaded({ plan: plan(1, 'one') })).draft?.purpose).toBe('two');
    expect(after(...opened, edited, saved).saving).toBe(false);
  });
  it('does not go back to what was asked for before it was saved', () => {
    const late = after(...opened, edited, saved, a.loaded({ plan: plan(1, 'one') }));
    expect([late.draft?.purpose, late.plan.value?.version]).toEqual(['two', 2]);
  });
  it('is not another one that was asked for, or held, before', () => {
    const other = { ...plan(7, 'other'), id: 'q' };
    const late = after(...opened, a.loaded({ plan: other }), a.held({ plan: other }));
    expect([late.plan.value?.id, late.draft?.purpose]).toEqual(['p', 'one']);
  });
  it('is not kept before the newest change is', () => {
    const three = a.edited({ document: document('three') });
    const state = after(...opened, edited, three, saved);
    expect([state.draft?.purpose, state.saving]).toEqual(['three', true]);
    const failed = after(...opened, edited, three, a.saveFailed({ problem: 'No.', sent: two }));
    expect([failed.draft?.purpose, failed.saving]).toEqual(['three', true]);
    const done = planFeature.reducer(state, a.saved({ plan: plan(3, 'three'), sent: three.document, before: two }));
    expect([done.saving, done.before.length]).toEqual([false, 2]);
  });
  it('goes back step by step', () => {
    const state = after(...opened, edited, saved, a.undo());
    expect([state.draft?.purpose, state.undoing]).toEqual(['one', true]);
    const back = planFeature.reducer(state, a.saved({ plan: plan(3, 'one'), sent: state.draft!, before: two }));
    expect([back.before, back.undoing]).toEqual([[], false]);
    expect(after(...opened, a.undo())).toEqual(after(...opened));
  });
  it('keeps what could not be kept in sight, until it is taken back', () => {
    const failed = after(...opened, edited, a.saveFailed({ problem: 'There is no such mapping.', sent: two }));
    expect([failed.draft?.purpose, failed.problem]).toEqual(['two', 'There is no such mapping.']);
    expect(planFeature.reducer(failed, a.loaded({ plan: plan(1, 'one') })).draft?.purpose).toBe('two');
    const back = planFeature.reducer(failed, a.undo());
    expect([back.draft?.purpose, back.problem, back.saving]).toEqual(['one', null, false]);
  });
  it('counts a save that changed nothing as none', () => {
    expect(
      after(...opened, edited, a.saved({ plan: plan(1, 'one'), sent: two, before: document('one') })).before,
    ).toEqual([]);
  });
  it('forgets one plan when another is opened', () => {
    expect(after(...opened, edited, a.opened({ id: 'q' }))).toEqual({ ...initialPlan, id: 'q' });
    expect(after(...opened, a.opened({ id: 'p' })).plan.value?.version).toBe(1);
  });
});
