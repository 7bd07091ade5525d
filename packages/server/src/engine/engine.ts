import { existsSync, readdirSync, rmSync, statSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { carriedBy, isLostClaim, RENEW_EVERY, type Claim, type RunRow, type Runs } from '../runs/runs.ts';
import { CANCELLED, Outage } from '../systems/outage.ts';
import type { Systems } from '../systems/systems.ts';
import { LimitReached, type CarryOut } from './carry-out.ts';

/** Runs at a time: reading and mapping take a core each. */
const AT_ONCE = Number(process.env['VERSICLE_RUNS_AT_ONCE'] ?? Math.min(8, Math.max(2, availableParallelism())));
/** What broken runs left lies ready for so long to be taken up again. */
const KEPT_DAYS = 14;

/** A run under way, and the way to end it: cancelled by a person, or because the server stops or lost it. */
interface Current {
  readonly claim: Claim;
  readonly abort: AbortController;
  cancelled: boolean;
  /** It stays where it is until it is resumed. */
  paused: boolean;
  /** It waits for a system that does not answer: others may have its place. */
  waits: boolean;
  done: Promise<void> | null;
}

/**
 * Takes on runs and carries them out, several at a time, in the order in which they were started; a run waits for earlier
 * ones only where both touch the same (run-uses.ts), or for a free place.
 */
export class Engine {
  private readonly current = new Map<number, Current>();
  private looking: Promise<void> | null = null;
  private again = false;
  private closed = false;
  private readonly renewing: NodeJS.Timeout;

  constructor(
    private readonly runs: Runs,
    private readonly systems: Systems,
    private readonly carryOut: CarryOut,
    /** Where records are kept that a run fetched and has not worked off yet. */
    private readonly directory: string,
  ) {
    this.renewing = setInterval(() => void this.renew(), RENEW_EVERY);
    this.renewing.unref();
  }

  /** Takes up what an earlier process left unfinished, and removes what nobody needs any more. */
  async resume(): Promise<void> {
    this.sweep(new Set(await this.runs.inherit()));
    this.wake();
  }
  private sweep(needed: ReadonlySet<number>): void {
    if (!existsSync(this.directory)) return;
    const old = Date.now() - KEPT_DAYS * 86_400_000;
    for (const name of readdirSync(this.directory)) {
      const run = /^run-(\d+)(?:\.share-\d+)?\.jsonl/.exec(name)?.[1];
      const path = join(this.directory, name);
      const partial = !name.endsWith('.jsonl');
      if (partial || run === undefined || !needed.has(Number(run)) || statSync(path).mtimeMs < old)
        rmSync(path, { force: true, recursive: true });
    }
  }

  /** A run was made, or may go on. */
  async enqueue(run: number): Promise<void> {
    await this.runs.ready(run);
    this.wake();
  }
  /** Looks for runs to take on; also where it is looking already, since what is asked for may be newer than that look. */
  private wake(): void {
    this.again = true;
    this.looking ??= this.look()
      .catch((error: Error) => void process.stderr.write(`Runs could not be taken on: ${error.message}\n`))
      .finally(() => {
        this.looking = null;
        if (this.again && !this.closed) setTimeout(() => this.wake(), 1000).unref();
      });
  }
  private async look(): Promise<void> {
    while (this.again && !this.closed) {
      this.again = false;
      while (!this.closed && [...this.current.values()].filter((c) => !c.waits).length < AT_ONCE) {
        const claim = await this.runs.claimNext();
        if (claim === null) break;
        this.begin(claim);
      }
    }
  }
  private begin(claim: Claim): void {
    const abort = new AbortController();
    const current: Current = { claim, abort, cancelled: false, paused: false, waits: false, done: null };
    this.current.set(claim.run, current);
    current.done = this.see(current).finally(() => {
      // It may have been taken up again while its end was still being told of: that one goes on.
      if (this.current.get(claim.run) === current) this.current.delete(claim.run);
      this.wake();
    });
  }
  private async see(current: Current): Promise<void> {
    const { claim, abort } = current;
    const waits = (is: boolean): void => {
      current.waits = is;
      if (is) this.wake();
    };
    try {
      await this.carryOut.run(claim, { signal: abort.signal, waits });
    } catch (error) {
      if (isLostClaim(error)) return;
      await this.left(current, error).catch((fault: Error) => {
        // Not even that could be kept: the next start, or whoever claims it next, finds the run as it was left.
        if (!isLostClaim(fault)) process.stderr.write(`Run ${claim.run} could not be closed: ${fault.message}\n`);
      });
    }
  }
  private async left({ claim, cancelled, paused }: Current, error: unknown): Promise<void> {
    if (paused && !cancelled) return this.runs.pause(claim);
    if (cancelled) return this.carryOut.giveUp(claim, 'cancelled; what was delivered stays');
    if (this.closed) return this.runs.release(claim);
    if (error instanceof LimitReached) return this.carryOut.giveUp(claim, error.message, 'stopped');
    await this.runs.end(claim, {
      state: 'broken',
      message: (error as Error).message,
      outage: error instanceof Outage,
    });
  }

  private async renew(): Promise<void> {
    const claims = [...this.current.values()].map((c) => c.claim);
    const lost = await this.runs.renew(claims).catch(() => []);
    for (const { run, number } of lost) {
      const current = this.current.get(run);
      // It may have ended and been taken on anew meanwhile: that claim is another.
      if (current?.claim.number === number) current.abort.abort();
    }
    // Claims that nobody renews become free.
    this.wake();
  }

  async cancel(run: number): Promise<void> {
    if (this.stop(run) || (await this.giveUpIdle(run))) return;
    // It was just being taken on when it was asked for, or is over meanwhile.
    this.stop(run);
  }
  /** Ends a run under way. Gives whether it is. */
  private stop(run: number): boolean {
    const current = this.current.get(run);
    if (!current) return false;
    current.cancelled = true;
    current.abort.abort(CANCELLED);
    // One that broke, or asks, at that very instant hears nothing any more: it is given up then. So is one that was taken up
    // again before its earlier life was over.
    current
      .done!.then(() => (this.closed ? undefined : this.cancel(run)))
      .catch((error: Error) => process.stderr.write(`Run ${run} could not be given up: ${error.message}\n`));
    return true;
  }
  /** Gives up a run that nobody carries out now. Gives whether there was one. */
  private async giveUpIdle(run: number): Promise<boolean> {
    const claim = await this.runs.claimIdle(run);
    if (claim === null) return false;
    const begun = (await this.runs.row(run))?.started_at ?? null;
    if (begun === null) await this.runs.end(claim, { state: 'cancelled', message: 'cancelled before it began' });
    else await this.carryOut.giveUp(claim, 'given up; what was delivered stays');
    this.wake();
    return true;
  }

  /** Stops a run where it is; what is on its way to its target is settled first. */
  async pause(run: number): Promise<void> {
    const current = this.current.get(run);
    if (current) {
      current.paused = true;
      current.abort.abort();
      await current.done;
      return;
    }
    const claim = await this.runs.claimIdle(run);
    if (claim !== null) await this.runs.pause(claim);
  }

  /** Takes a run up again that broke, or was paused, or that asked and was answered. */
  async takeUp(run: number): Promise<void> {
    await this.runs.again(run);
    this.wake();
  }
  /** Runs that ended because a system could not be reached go on when it answers again. */
  async takeUpAfterOutage(): Promise<void> {
    for (const run of await this.runs.afterOutage()) {
      const system = await this.systemOf(run);
      const found = await this.systems.test(system).catch(() => null);
      if (found?.ok) await this.takeUp(run.id);
    }
  }

  /** The system that a run writes to. */
  private async systemOf(run: RunRow): Promise<string> {
    const carried = carriedBy(run);
    if (carried?.kind === 'sql' || carried?.kind === 'request') return carried.system;
    return (await this.runs.document(run)).target.dataset.split('/')[0]!;
  }

  /** Stops at once; the runs go on at the next start. */
  async close(): Promise<void> {
    this.closed = true;
    clearInterval(this.renewing);
    await this.looking;
    for (const { abort } of this.current.values()) abort.abort();
    await Promise.all([...this.current.values()].map((c) => c.done));
  }
}
