import type { Step } from './plan.ts';

/** Where a step of a run is. `left out`: its condition was not true, or nothing that it waits for ended well. */
export type StepState = 'waiting' | 'running' | 'done' | 'failed' | 'left out';

type Waits = Pick<Step, 'id' | 'after' | 'afterAny' | 'onFail'>;

/** What comes next. */
export interface NextSteps {
  /** They wait for nothing any more; whether their condition is true is asked now. */
  readonly ready: readonly string[];
  /** They will never go: nor will what waits for them. */
  readonly leftOut: readonly string[];
  /** Nothing goes any more, and nothing will. */
  readonly ended: boolean;
  /** A step failed after which the plan stops: what has not begun is left out. */
  readonly stopped: string | null;
}

/**
 * What comes next in a plan, by where its steps are: a step goes when all of `after` have ended well and, where it names some,
 * one of `afterAny`; a step that failed and says `go on` counts as ended well. After any other failure nothing begins any more.
 */
export function nextSteps(steps: readonly Waits[], states: ReadonlyMap<string, StepState>): NextSteps {
  const gone = new Set<string>();
  const state = (id: string): StepState => (gone.has(id) ? 'left out' : (states.get(id) ?? 'waiting'));
  const byId = new Map(steps.map((s) => [s.id, s]));
  const endedWell = (id: string): boolean =>
    state(id) === 'done' || (state(id) === 'failed' && byId.get(id)?.onFail === 'go on');
  const never = (id: string): boolean =>
    state(id) === 'left out' || (state(id) === 'failed' && byId.get(id)?.onFail !== 'go on');
  const waiting = steps.filter((s) => state(s.id) === 'waiting');
  const running = steps.some((s) => state(s.id) === 'running');
  const stopped = steps.find((s) => state(s.id) === 'failed' && s.onFail === 'stop')?.id ?? null;
  if (stopped !== null) return { ready: [], leftOut: waiting.map((s) => s.id), ended: !running, stopped };
  const ready = waiting.filter(
    (s) => s.after.every(endedWell) && (s.afterAny.length === 0 || s.afterAny.some(endedWell)),
  );
  // What waits for a step that never goes never goes either.
  for (let before = -1; before < gone.size;) {
    before = gone.size;
    for (const s of waiting)
      if (s.after.some(never) || (s.afterAny.length > 0 && s.afterAny.every(never))) gone.add(s.id);
  }
  const ended = !running && ready.length === 0 && gone.size === waiting.length;
  return { ready: ready.map((s) => s.id), leftOut: [...gone], ended, stopped };
}

/** The first circle of steps that wait for each other, in order; null where there is none. */
export function circleOf(steps: readonly Waits[]): readonly string[] | null {
  const byId = new Map(steps.map((s) => [s.id, s]));
  const done = new Set<string>();
  const visit = (id: string, way: readonly string[]): readonly string[] | null => {
    const at = way.indexOf(id);
    if (at >= 0) return way.slice(at);
    const step = byId.get(id);
    if (step === undefined || done.has(id)) return null;
    for (const before of [...step.after, ...step.afterAny]) {
      const found = visit(before, [...way, id]);
      if (found !== null) return found;
    }
    done.add(id);
    return null;
  };
  for (const { id } of steps) {
    const found = visit(id, []);
    if (found !== null) return found;
  }
  return null;
}

/** All steps that have ended before a step begins, whatever comes of them. */
export function stepsBefore(steps: readonly Waits[], id: string): ReadonlySet<string> {
  const byId = new Map(steps.map((s) => [s.id, s]));
  const found = new Set<string>();
  const follow = (one: string): void => {
    for (const before of byId.get(one)?.after ?? [])
      if (!found.has(before)) {
        found.add(before);
        follow(before);
      }
  };
  follow(id);
  return found;
}
