import { Peers } from '../../../workers/peers.ts';
import { CANCELLED } from '../../../systems/outage.ts';
import { Places } from './places.ts';
import { Sender, type SenderHouse } from './sender.ts';

/** Milliseconds after which the process that sends is asked once more to stop. */
const ASK_AGAIN = 2000;

/**
 * The senders of this process: one for each target that something waits for, made when somebody asks for it and gone when
 * nothing waits any more. Other processes may have the right to send to a target; then nothing is done here.
 */
export class Senders {
  private readonly working = new Map<string, { readonly sender: Sender; readonly done: Promise<void> }>();
  private readonly stopped = new Map<number, AbortController>();
  private readonly listeners = new Set<{ readonly run: number; readonly hear: () => void }>();
  /** Runs of which nothing more is to be sent by another process, until it says so. */
  private readonly asked = new Set<{ readonly run: number; readonly hear: () => void }>();
  private readonly closing = new AbortController();
  private readonly house: SenderHouse;

  constructor(
    house: Omit<SenderHouse, 'signalOf' | 'closing' | 'moved' | 'places'>,
    /** Pages hear of a run whose records are sent. */
    private readonly announce: (run: number) => void,
    private readonly peers: Peers = Peers.none(),
    /** Whether this process sends at all, or leaves that to others. */
    private readonly works = true,
  ) {
    peers.on('send', ({ target, first }) => this.wakeHere(target, first));
    peers.on('sends changed', ({ target, runs }) => this.changedHere(target, runs));
    peers.on('stop sending', ({ run, target }) => {
      this.stopHere(run, target).then(
        () => peers.tell({ kind: 'stopped sending', run }),
        (error: Error) => process.stderr.write(`Run ${run} could not be stopped sending: ${error.message}\n`),
      );
    });
    peers.on('stopped sending', ({ run }) => {
      for (const asked of [...this.asked]) if (asked.run === run) asked.hear();
    });
    this.house = {
      ...house,
      closing: this.closing.signal,
      places: new Places(),
      signalOf: (run) => this.controllerOf(run).signal,
      moved: (run) => this.moved(run),
    };
  }
  private controllerOf(run: number): AbortController {
    let controller = this.stopped.get(run);
    if (!controller) {
      controller = new AbortController();
      if (this.closing.signal.aborted) controller.abort();
      this.stopped.set(run, controller);
    }
    return controller;
  }

  /** Something waits for a target; `first`: it may have to go before what is at hand. */
  wake(target: string, first = false): void {
    // Another process may be the one that has the right to send to the system.
    this.peers.tell({ kind: 'send', target, first });
    this.wakeHere(target, first);
  }
  private wakeHere(target: string, first = false): void {
    if (this.closing.signal.aborted || !this.works) return;
    const known = this.working.get(target);
    if (known) {
      known.sender.again = true;
      known.sender.first ||= first;
      return;
    }
    const sender = new Sender(target, this.house);
    const done = sender
      .work()
      .catch((error: Error) => void process.stderr.write(`Records for ${target} could not be sent: ${error.message}\n`))
      .then(() => {
        this.working.delete(target);
        if (sender.again) this.wakeHere(target);
      });
    this.working.set(target, { sender, done });
  }

  /** People have changed what of some runs may be sent, or in which order. */
  changed(target: string, runs: readonly number[]): void {
    this.peers.tell({ kind: 'sends changed', target, runs });
    this.changedHere(target, runs);
  }
  private changedHere(target: string, runs: readonly number[]): void {
    this.working.get(target)?.sender.forget();
    this.wakeHere(target);
    for (const run of runs) this.moved(run);
  }

  /** Whatever of a run is under way is answered, or given up after a while; nothing more of it is sent. */
  async stop(run: number, target: string): Promise<void> {
    await this.house.outbox.setTrouble(run, 'It was cancelled.');
    await this.stopHere(run, target);
    // Whoever sends to the target is asked until it has said so, or has not the right any more.
    while (!this.closing.signal.aborted && (await this.house.outbox.isElsewhere(target))) {
      const said = this.answered(run);
      this.peers.tell({ kind: 'stop sending', run, target });
      if (await said) return;
    }
  }
  /** Whether the process that sends said within a while that nothing of the run is under way. */
  private answered(run: number): Promise<boolean> {
    return new Promise((resolve) => {
      const done = (said: boolean): void => {
        clearTimeout(timer);
        this.asked.delete(asked);
        resolve(said);
      };
      const asked = { run, hear: () => done(true) };
      const timer = setTimeout(() => done(false), ASK_AGAIN);
      this.asked.add(asked);
    });
  }
  private async stopHere(run: number, target: string): Promise<void> {
    this.controllerOf(run).abort(CANCELLED);
    await this.working.get(target)?.sender.without(run);
    this.forget(run);
  }
  /** The run is over. */
  forget(run: number): void {
    this.stopped.delete(run);
  }

  /** Resolves when something of the run was settled or went wrong, and after some time in any case. */
  progress(run: number, ms: number, signal: AbortSignal): Promise<void> {
    return new Promise((resolve) => {
      const hear = (): void => {
        clearTimeout(timer);
        signal.removeEventListener('abort', hear);
        this.listeners.delete(listener);
        resolve();
      };
      const listener = { run, hear };
      const timer = setTimeout(hear, ms);
      signal.addEventListener('abort', hear, { once: true });
      this.listeners.add(listener);
      if (signal.aborted) hear();
    });
  }
  private moved(run: number): void {
    this.announce(run);
    for (const listener of [...this.listeners]) if (listener.run === run) listener.hear();
  }

  /** What is under way is waited for a moment; the next start goes on from what was kept. */
  async close(): Promise<void> {
    this.closing.abort();
    for (const controller of this.stopped.values()) controller.abort();
    await Promise.all([...this.working.values()].map((w) => w.done));
    await this.house.answers.keep();
  }
}
