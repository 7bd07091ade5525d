import fc from 'fast-check';
import { circleOf, nextSteps, type StepState } from './step-order.ts';

interface Plain {
  readonly id: string;
  readonly after: string[];
  readonly afterAny: string[];
  readonly onFail: 'stop' | 'go on';
}
/** Steps that wait for earlier ones only; whether each ends well. */
const plans = fc
  .array(
    fc.record({
      after: fc.array(fc.nat(7), { maxLength: 3 }),
      afterAny: fc.array(fc.nat(7), { maxLength: 2 }),
      onFail: fc.constantFrom('stop' as const, 'go on' as const),
      well: fc.boolean(),
    }),
    { minLength: 1, maxLength: 8 },
  )
  .map((all) =>
    all.map(({ after, afterAny, onFail, well }, i) => ({
      step: {
        id: `s${i}`,
        after: [...new Set(after.filter((n) => n < i))].map((n) => `s${n}`),
        afterAny: [...new Set(afterAny.filter((n) => n < i))].map((n) => `s${n}`),
        onFail,
      } satisfies Plain,
      well,
    })),
  );

/** What docs/plans.md says, one step at a time in the order in which they stand. */
function reference(all: readonly { step: Plain; well: boolean }[]): Map<string, string> {
  const states = new Map<string, string>();
  let stopped = false;
  for (const { step, well } of all) {
    const ended = (id: string): boolean => states.get(id) === 'done' || states.get(id) === 'failed, goes on';
    const goes = step.after.every(ended) && (step.afterAny.length === 0 || step.afterAny.some(ended));
    if (stopped || !goes) states.set(step.id, 'left out');
    else states.set(step.id, well ? 'done' : step.onFail === 'go on' ? 'failed, goes on' : 'failed');
    stopped ||= states.get(step.id) === 'failed';
  }
  return states;
}

describe('the order of steps', () => {
  it('comes out as the reference says, where one step goes at a time', () =>
    fc.assert(
      fc.property(plans, (all) => {
        const steps = all.map((a) => a.step);
        const states = new Map<string, StepState>();
        for (let turns = 0; turns < 40; turns++) {
          const { ready, leftOut, ended } = nextSteps(steps, states);
          leftOut.forEach((id) => states.set(id, 'left out'));
          const id = steps.find((s) => ready.includes(s.id))?.id;
          if (id !== undefined) states.set(id, all.find((a) => a.step.id === id)!.well ? 'done' : 'failed');
          else if (ended) break;
        }
        const told = new Map(
          steps.map(({ id, onFail }) => [
            id,
            states.get(id) === 'failed' && onFail === 'go on' ? 'failed, goes on' : states.get(id),
          ]),
        );
        expect(told).toEqual(reference(all));
      }),
    ));
  it('never ends with a step that waits, and begins none twice, however long each takes', () =>
    fc.assert(
      fc.property(plans, fc.infiniteStream(fc.nat()), (all, dice) => {
        const steps = all.map((a) => a.step);
        const states = new Map<string, StepState>();
        const begun: string[] = [];
        for (let turns = 0; turns < 200; turns++) {
          const { ready, leftOut, ended } = nextSteps(steps, states);
          leftOut.forEach((id) => states.set(id, 'left out'));
          for (const id of ready) {
            begun.push(id);
            states.set(id, 'running');
          }
          const running = steps.filter((s) => states.get(s.id) === 'running');
          if (running.length === 0) {
            if (nextSteps(steps, states).ended || ended) break;
            continue;
          }
          const one = running[dice.next().value % running.length]!;
          states.set(one.id, all.find((a) => a.step === one)!.well ? 'done' : 'failed');
        }
        expect(new Set(begun).size).toBe(begun.length);
        expect(steps.every((s) => ['done', 'failed', 'left out'].includes(states.get(s.id)!))).toBe(true);
      }),
    ));
  it('names steps that wait for each other', () => {
    const step = (id: string, ...after: string[]): Plain => ({ id, after, afterAny: [], onFail: 'stop' });
    expect(circleOf([step('a'), step('b', 'a', 'd'), step('c', 'b'), step('d', 'c')])).toEqual(['b', 'd', 'c']);
    expect(circleOf([step('a'), step('b', 'a'), step('c', 'a', 'b')])).toBeNull();
  });
});
