import type { Database } from '@versicle/postgres';
import type { Engine } from '../engine/engine.ts';
import { GOING, isHolder, OF_WHOLE_PLANS } from '../runs/run-store.ts';
import type { Runs } from '../runs/runs.ts';
import type { Conductor } from './conductor.ts';
import type { Plans } from './plan-store.ts';
import { startPlan, type HowToStart, type Occasion } from './start.ts';

/** Whom runs name where nobody started them. */
const BY_ITSELF = 'the plan itself';

/** Starts plans: for people at once, by themselves as the plan says for what still runs. */
export class Starter {
  constructor(
    private readonly db: Database,
    private readonly plans: Plans,
    private readonly runs: Runs,
    private readonly engine: Engine,
    private readonly conductor: () => Conductor,
  ) {}

  async start(plan: string, how: HowToStart, person: string): Promise<number> {
    const run = await startPlan(this.db, this.plans, plan, how, person);
    await this.begin(run!);
    return run!;
  }
  private async begin(run: number): Promise<void> {
    const [row] = await this.db.query<{ kind: string }>('SELECT kind FROM run WHERE id = $1', [run]);
    await this.runs.announce(run);
    if (row!.kind === 'plan') this.conductor().look(run);
    else await this.engine.enqueue(run);
  }

  /**
   * A plan is due, for an occasion that starts it once at most. `each`: it is started however many of its runs wait already;
   * `idle`: not while one goes on. What keeps it from being started is kept with its trigger, for people to see. Gives whether
   * it could be started, or need not be.
   */
  async due(plan: string, occasion: Occasion, how: 'start' | 'each' | 'idle'): Promise<boolean> {
    try {
      if (!(await this.mayStart(plan, occasion, how))) return true;
      const run = await startPlan(this.db, this.plans, plan, {}, BY_ITSELF, occasion);
      await this.said(plan, occasion.trigger, null);
      if (run !== null) await this.begin(run);
      return true;
    } catch (error) {
      await this.said(plan, occasion.trigger, (error as Error).message);
      return false;
    }
  }
  /** Something has arrived. While a run of the plan goes on it waits, and the next one takes it. */
  async arrived(plan: string, occasion: Occasion): Promise<void> {
    const going = await this.going(plan);
    if (going.length > 0) {
      const { document } = await this.plans.stored(plan);
      if (document.overlap !== 'replace') return;
      for (const { id } of going) await this.cancel(id);
    }
    const run = await startPlan(this.db, this.plans, plan, {}, BY_ITSELF, occasion);
    await this.said(plan, occasion.trigger, null);
    if (run !== null) await this.begin(run);
  }
  /** Why a trigger starts nothing; null: it does. */
  async said(plan: string, trigger: string, problem: string | null): Promise<void> {
    await this.db.query(
      'UPDATE plan_trigger SET problem = $3 WHERE plan = $1 AND trigger = $2 AND problem IS DISTINCT FROM $3',
      [plan, trigger, problem],
    );
  }

  /** What the plan says of a time at which an earlier run of it still goes on. */
  private async mayStart(
    plan: string,
    { trigger, occasion }: Occasion,
    how: 'start' | 'each' | 'idle',
  ): Promise<boolean> {
    const { document, held } = await this.plans.stored(plan);
    if (held) return false;
    const going = await this.going(plan);
    if (going.length === 0 || going.some((r) => r.trigger === trigger && r.occasion === occasion))
      return going.length === 0;
    // Its next time is counted from the end of what goes on.
    if (how === 'idle') return false;
    const [oldest] = going;
    switch (document.overlap) {
      case 'skip':
        await this.runs.log(
          oldest!.id,
          `the plan was due again (${occasion}) while this run went on; left out, as the plan says`,
          'warning',
        );
        return false;
      case 'replace':
        for (const { id } of going) await this.cancel(id);
        return true;
      case 'wait': {
        const waits = going.find((r) => r.state === 'queued');
        if (waits === undefined || how === 'each') return true;
        await this.runs.log(
          waits.id,
          `the plan was due once more (${occasion}) while this run waited; it stands for both`,
        );
        return false;
      }
    }
  }
  /** Runs of a plan that are not over, the oldest first. */
  private going(
    plan: string,
  ): Promise<{ id: number; state: string; trigger: string | null; occasion: string | null }[]> {
    return this.db.query(
      `SELECT id, state, trigger, occasion FROM run WHERE plan = $1 AND parent IS NULL AND kind IN ${OF_WHOLE_PLANS} AND state IN ${GOING} ORDER BY id`,
      [plan],
    );
  }

  async cancel(run: number): Promise<void> {
    await (await this.carrier(run)).cancel(run);
  }
  async pause(run: number): Promise<void> {
    await (await this.carrier(run)).pause(run);
  }
  async resume(run: number): Promise<void> {
    const carrier = await this.carrier(run);
    await (carrier === this.engine ? this.engine.takeUp(run) : this.conductor().resume(run));
  }
  /** Who carries a run out: the engine, or the conductor where it holds others. */
  private async carrier(run: number): Promise<Engine | Conductor> {
    const [row] = await this.db.query<{ kind: string }>('SELECT kind FROM run WHERE id = $1', [run]);
    return isHolder(row!.kind) ? this.conductor() : this.engine;
  }
}
