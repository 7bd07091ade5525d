import type { RunSummary } from '@versicle/contract';
import { nextSteps, type Step, type StepState } from '@versicle/core';

/** The run of a step, within the run that holds it. */
export interface StepRow {
  readonly id: number;
  readonly item: number;
  readonly step: string;
  readonly state: RunSummary['state'];
  readonly error: string | null;
}

const STEP_STATES: Readonly<Record<RunSummary['state'], StepState>> = {
  queued: 'running',
  running: 'running',
  asks: 'running',
  paused: 'running',
  finished: 'done',
  'left out': 'left out',
  cancelled: 'failed',
  stopped: 'failed',
  broken: 'failed',
};

export interface Moves {
  readonly begin: readonly { readonly step: Step; readonly item: number }[];
  readonly ended: boolean;
  /** The run of the step that makes the whole fail. */
  readonly failed: number | null;
}
/** What comes next, by where the steps of each item are. */
export function movesOf(
  steps: readonly Step[],
  items: readonly unknown[],
  found: readonly Pick<StepRow, 'id' | 'item' | 'step' | 'state'>[],
  parallel: number,
): Moves {
  const byItem = new Map<number, Map<string, StepState>>();
  for (const r of found) {
    if (!byItem.has(r.item)) byItem.set(r.item, new Map());
    byItem.get(r.item)!.set(r.step, STEP_STATES[r.state]);
  }
  const byId = new Map(steps.map((s) => [s.id, s]));
  const begin: { step: Step; item: number }[] = [];
  let going = 0;
  let failed: number | null = null;
  let running = false;
  for (const [item, states] of byItem) {
    const next = nextSteps(steps, states);
    running ||= [...states.values()].includes('running');
    if (!next.ended) going++;
    if (next.stopped !== null) failed ??= found.find((r) => r.item === item && r.step === next.stopped)!.id;
    for (const id of next.ready) begin.push({ step: byId.get(id)!, item });
  }
  // What is under way is waited for; nothing begins any more, for no item.
  if (failed !== null) return { begin: [], ended: !running, failed };
  for (let item = 0; item < items.length && going < parallel; item++) {
    if (byItem.has(item)) continue;
    going++;
    for (const id of nextSteps(steps, new Map()).ready) begin.push({ step: byId.get(id)!, item });
  }
  return { begin, ended: going === 0 && begin.length === 0, failed };
}
