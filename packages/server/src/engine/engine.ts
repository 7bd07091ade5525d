import { LEASE } from '@versicle/store/claims';
import { existsSync, readdirSync, rmSync, statSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { isFault } from '@versicle/core';
import { carriedBy, isLostClaim, LostClaim, RENEW_EVERY, type Claim, type RunRow, type Runs } from '../runs/runs.ts';
import { CANCELLED, Outage } from '../systems/outage.ts';
import type { Systems } from '../systems/systems.ts';
import { Peers } from '../workers/peers.ts';
import { LimitReached, type CarryOut } from './carry-out.ts';

/** Runs at a time: reading and mapping take a core each. */
const AT_ONCE = Number(process.env['VERSICLE_RUNS_AT_ONCE'] ?? Math.min(8, Math.max(2, availableParallelism())));
/** Places besides for what people or deliveries wait for: it is not kept waiting by whole loads. */
const IMMEDIATE_AT_ONCE = 2;
/** What broken runs left lies ready for so long to be taken up again. */
const KEPT_DAYS = 14;

/** The target's journal has it taken on by somebody, and this store does not know of it. */
const LATER_LIFE =
  'The target knows of a later time that this run was taken on than this store: another Versicle with a copy of this store carries it out, or this store was put back from an older copy. Nothing more was written. Cancel it here, and start a new run where the store is right.';

/** Milliseconds for which a file that nobody writes to any more is left alone where several processes share the folder. */
const OTHERS_WRITE = 86_400_000;

/** A run under way, and the way to end it: cancelled by a person, or because the server stops or lost it. */
interface Current {
  readonly claim: Claim;
  readonly abort: AbortController;
  cancelled: boolean;
  /** It stays where it is until it is resumed. */
  paused: boolean;
  /** It waits for a system that does not answer: others may have its place. */
  waits: boolean;
  /** Until when the claim holds, by this process's own clock: one that was stopped in between finds out before it writes. */
  until: number;
  done: Promise<void> | null;
}

/**
 * Takes on runs and carries them out, several at a time, in the order in which they were started; a run waits for earlier
 * ones only where both touch the same (run-uses.ts), or for a free place.
 */
export class Engine {
  private readonly current = new Map<number, Current>();
  /** Runs whose store went away under them: they are given back, and taken on anew, as soon as it answers. */
  private readonly left: Claim[] = [];
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
    private readonly peers: Peers = Peers.none(),
    /** Whether this process carries runs out, or leaves that to others. */
    private readonly works = true,
  ) {
    this.renewing = setInterval(() => void this.renew(), RENEW_EVERY);
    this.renewing.unref();
    peers.on('runs', () => this.wake());
    const heed = (): void => {
      this.heed().catch((error: Error) => process.stderr.write(`What is wanted could not be seen: ${error.message}\n`));
    };
    peers.on('wanted', heed);
    peers.on('missed', () => {
      heed();
      this.wake();
    });
  }

  /** Takes up what an earlier process left unfinished, and removes what nobody needs any more. */
  async resume(alone: boolean): Promise<void> {
    await this.runs.readyLeft();
    this.sweep(new Set(await this.runs.unfinished()), alone);
    this.wake();
  }
  /** Others may be writing just now what has not got its name yet, or what belongs to a run that was made this very moment. */
  private sweep(needed: ReadonlySet<number>, alone: boolean): void {
    if (!existsSync(this.directory)) return;
    const old = Date.now() - KEPT_DAYS * 86_400_000;
    const young = alone ? Infinity : Date.now() - OTHERS_WRITE;
    for (const name of readdirSync(this.directory)) {
      const run = /^run-(\d+)(?:\.share-\d+)?\.jsonl/.exec(name)?.[1];
      const path = join(this.directory, name);
      const partial = !name.endsWith('.jsonl');
      const changed = statSync(path, { throwIfNoEntry: false })?.mtimeMs ?? Infinity;
      const isLeft = partial || run === undefined || !needed.has(Number(run));
      if ((isLeft && changed < young) || changed < old) rmSync(path, { force: true, recursive: true });
    }
  }

  /** Whether this process carries out any run. */
  get isBusy(): boolean {
    return this.current.size > 0;
  }

  /** A run was made, or may go on. */
  async enqueue(run: number): Promise<void> {
    await this.runs.ready(run);
    this.wake();
    this.peers.tell({ kind: 'runs' });
  }
  /** Looks for runs to take on; also where it is looking already, since what is asked for may be newer than that look. */
  private wake(): void {
    if (!this.works) return;
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
      for (;;) {
        const busy = [...this.current.values()].filter((c) => !c.waits).length;
        if (this.closed || busy >= AT_ONCE + IMMEDIATE_AT_ONCE) break;
        const asked = performance.now();
        const claim = await this.runs.claimNext(busy >= AT_ONCE);
        if (claim === null) break;
        this.begin(claim, asked);
      }
      // Whoever had it before may have been asked to end it.
      await this.heed();
    }
  }
  private begin(claim: Claim, asked: number): void {
    const abort = new AbortController();
    const current: Current = {
      claim,
      abort,
      cancelled: false,
      paused: false,
      waits: false,
      until: asked + LEASE * 1000,
      done: null,
    };
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
    const requireHeld = (): void => {
      if (performance.now() > current.until) throw new LostClaim(claim.run);
    };
    try {
      await this.carryOut.run(claim, { signal: abort.signal, waits, requireHeld });
    } catch (error) {
      // Whoever was away for too long does not know whether somebody else has it: where nobody does, it is free again.
      if (error instanceof LostClaim) return void this.left.push(claim);
      const isLost = isLostClaim(error);
      const isHeld = isLost ? await this.runs.holds(claim).catch(() => null) : true;
      if (isHeld === null) this.left.push(claim);
      if (isHeld !== true) return;
      await this.leave(current, isLost ? new Error(LATER_LIFE) : error).catch((fault: Error) => {
        // Not even that could be kept: the next start, or whoever claims it next, finds the run as it was left.
        if (isFault(fault, 'store away')) this.left.push(claim);
        else if (!isLostClaim(fault)) process.stderr.write(`Run ${claim.run} could not be closed: ${fault.message}\n`);
      });
    }
  }
  private async leave({ claim, cancelled, paused }: Current, error: unknown): Promise<void> {
    if (paused && !cancelled) return this.runs.pause(claim);
    if (cancelled) return this.carryOut.giveUp(claim, 'cancelled; what was delivered stays');
    if (this.closed || isFault(error, 'store away')) return this.runs.release(claim);
    if (error instanceof LimitReached) return this.carryOut.giveUp(claim, error.message, 'stopped');
    await this.runs.end(claim, {
      state: 'broken',
      message: (error as Error).message,
      outage: error instanceof Outage,
    });
  }

  private async renew(): Promise<void> {
    await this.giveBack();
    const held = [...this.current.values()];
    const asked = performance.now();
    const lost = await this.runs.renew(held.map((c) => c.claim)).catch(() => null);
    for (const { run, number } of lost ?? []) {
      const current = this.current.get(run);
      // It may have ended and been taken on anew meanwhile: that claim is another.
      if (current?.claim.number === number) current.abort.abort();
    }
    // A claim that could not be renewed is still held, until it is known to be another's: nobody else may have asked either.
    if (lost !== null) for (const current of held) current.until = asked + LEASE * 1000;
    await this.heed().catch(() => undefined);
    // Claims that nobody renews become free, and what was only half made can be carried out.
    if (this.works) await this.runs.readyLeft().catch(() => undefined);
    this.wake();
  }

  private async giveBack(): Promise<void> {
    for (let claim = this.left[0]; claim; claim = this.left[0]) {
      const given = await this.runs.release(claim).then(
        () => true,
        () => false,
      );
      if (!given) return;
      this.left.shift();
    }
  }

  async cancel(run: number): Promise<void> {
    if (this.stop(run) || (await this.giveUpIdle(run))) return;
    // It was just being taken on when it was asked for, or another process has it, or it is over meanwhile.
    if (!this.stop(run)) await this.runs.want(run, 'cancelled');
  }
  /** Carries out what was asked for, at other processes, of runs that this one has. */
  private async heed(): Promise<void> {
    for (const { id, wanted } of await this.runs.wanted()) {
      if (wanted === 'cancelled') this.stop(id);
      else await this.pauseHere(id);
    }
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
    if (await this.pauseHere(run)) return;
    const claim = await this.runs.claimIdle(run);
    if (claim !== null) await this.runs.pause(claim);
    else if (!(await this.pauseHere(run))) await this.runs.want(run, 'paused');
  }
  /** Gives whether this process has it. */
  private async pauseHere(run: number): Promise<boolean> {
    const current = this.current.get(run);
    if (!current) return false;
    current.paused = true;
    current.abort.abort();
    await current.done;
    return true;
  }

  /** Takes a run up again that broke, or was paused, or that asked and was answered. */
  async takeUp(run: number): Promise<void> {
    await this.runs.again(run);
    this.wake();
    this.peers.tell({ kind: 'runs' });
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
